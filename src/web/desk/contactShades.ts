import type { Remote } from "comlink";
import { wrap } from "comlink";
import * as THREE from "three";
import type { Vec3 } from "#core/math/vec3";
import type { Model } from "#core/props/model";
import { meanPass } from "#core/props/thickness";
import type { Stood } from "#core/render/shadeSheets";
import { shadedBy, stoodOf } from "#core/render/shadeSheets";
import type { Face } from "#core/set/face";
import { facesOf } from "#core/set/faces";
import { frontMesh, groundHeight } from "#core/set/pieces";
import type { Shot } from "#core/shot/schema";
import type { Sheet } from "#core/trace/ambient";
import type { ShadeJob, ShadeModel, Shading } from "../workers/shade.worker.ts";
import type { SheetMesh } from "./shadeMesh.ts";
import { discard, newSheet } from "./shadeMesh.ts";

/**
 * Shade of the light from all around, as rays tell it: on what props stand on, lean against or come near, each face of the
 * set by itself, and on the props. Reckoned in a worker once nothing moves any more; until then shades go along with their
 * props.
 */

/** Nothing has moved for so long. */
const CALM_MS = 120;
/** Cells of a sheet's longer side. */
const CELLS = 56;

/** A sheet that lies on a face. */
interface OnFace {
  prop: string;
  face: Face;
  sheet: Sheet;
  mesh: SheetMesh;
  /** Where its prop stood. */
  stood: Vec3;
  pose: string;
}

/** Lets go of what a geometry has by itself: the rest lies on the graphics card for others as well. */
function letGo(geometry: THREE.BufferGeometry): void {
  for (const name of Object.keys(geometry.attributes)) if (name !== "shut") geometry.deleteAttribute(name);
  geometry.setIndex(null);
  geometry.dispose();
}

export class ContactShades {
  /** What is laid over the set. */
  readonly sheets = new THREE.Group();
  /** Times that they were laid anew. */
  laidAnew = 0;
  private laid: OnFace[] = [];
  private readonly passes = new WeakMap<Model, { scale: number; pass: number }>();
  /** The first sheet's material stays, and with it the shader that all of them have: to make it anew takes long. */
  private first: THREE.Material | null = null;
  /** Corners of props with the light that they lack, by prop and mesh. */
  private readonly lit = new Map<string, { positions: Float32Array; geometry: THREE.BufferGeometry }>();
  private readonly sent = new Set<number>();
  private worker: Worker | null = null;
  private remote: Remote<Shading> | null = null;
  private asked: unknown[] = [];
  private timer = 0;
  private running = false;
  private again: (() => Promise<void>) | null = null;
  private gone = false;

  constructor(private readonly onShaded: () => void) {}

  /**
   * Shades as strong as the light from all around is a share of all; `groups` are the props' meshes. What has changed is
   * reckoned anew once it is calm.
   */
  show(shot: Shot, models: Map<string, Model>, groups: readonly THREE.Object3D[], strength: number): void {
    const all = Object.values(shot.props).flatMap((prop) => stoodOf(prop, models) ?? []);
    this.follow(all, strength);
    this.dress(groups, all);
    const key = [
      shot.set,
      groundHeight(shot),
      ...all.flatMap(({ prop, model }) => [prop.placement, prop.visibility, model]),
    ];
    if (key.length === this.asked.length && key.every((part, i) => part === this.asked[i])) return;
    this.asked = key;
    clearTimeout(this.timer);
    this.timer = window.setTimeout(() => this.ask(() => this.reckon(shot, all)), CALM_MS);
  }

  /** Sheets go along with their props; those of what has gone or turned go. */
  private follow(all: readonly Stood[], strength: number): void {
    const byId = new Map(all.map((stood) => [stood.prop.id, stood]));
    this.laid = this.laid.filter((on) => {
      const stood = byId.get(on.prop);
      if (stood?.pose === on.pose) {
        const { uniforms } = on.mesh.material;
        uniforms.strength.value = stood.prop.visibility.shadow ? strength * (1 - this.passOf(stood)) : 0;
        const { position } = stood.prop.placement;
        (uniforms.shift.value as THREE.Vector3).set(
          ...(position.map((x, k) => x - on.stood[k]) as [number, number, number]),
        );
        return true;
      }
      this.sheets.remove(on.mesh);
      discard(on.mesh, this.first);
      return false;
    });
  }

  /** Share of light that goes through a prop: glass throws less shade. */
  private passOf({ model, matrix }: Stood): number {
    const scale = Math.hypot(matrix[0], matrix[4], matrix[8]);
    const known = this.passes.get(model);
    if (known?.scale === scale) return known.pass;
    const pass = meanPass(model, scale);
    this.passes.set(model, { scale, pass });
    return pass;
  }

  /** Gives the props' meshes what light their corners lack, where it is known. */
  private dress(groups: readonly THREE.Object3D[], all: readonly Stood[]): void {
    const needed = new Set<string>();
    for (const group of groups) {
      const stood = all.find(({ prop }) => prop.id === group.userData.prop);
      if (!stood) continue;
      stood.model.meshes.forEach(({ positions }, i) => {
        const key = `${stood.prop.id} ${i}`;
        const known = this.lit.get(key);
        if (known?.positions !== positions) return;
        needed.add(key);
        const mesh = group.children[i] as THREE.Mesh;
        const { geometry } = known;
        const shared = (mesh.userData.shared ??= mesh.geometry) as THREE.BufferGeometry;
        for (const [name, attribute] of Object.entries(shared.attributes)) geometry.setAttribute(name, attribute);
        geometry.setIndex(shared.index);
        geometry.boundingBox = shared.boundingBox;
        geometry.boundingSphere = shared.boundingSphere;
        mesh.geometry = geometry;
      });
    }
    for (const [key, { geometry }] of this.lit)
      if (!needed.has(key)) {
        letGo(geometry);
        this.lit.delete(key);
      }
  }

  /** One after the other; of those that wait only the last is done. */
  private ask(work: () => Promise<void>): void {
    if (this.running) {
      this.again = work;
      return;
    }
    this.running = true;
    void work()
      .catch(() => undefined)
      .finally(() => {
        this.running = false;
        const next = this.again;
        this.again = null;
        if (next) this.ask(next);
      });
  }

  private async reckon(shot: Shot, all: readonly Stood[]): Promise<void> {
    if (this.gone) return;
    if (!this.worker) {
      this.worker = new Worker(new URL("../workers/shade.worker.ts", import.meta.url), { type: "module" });
      this.remote = wrap<Shading>(this.worker);
    }
    const fresh = new Map<number, ShadeModel>();
    for (const { model, number } of all)
      if (!this.sent.has(number)) {
        const meshes = model.meshes.map(({ positions, normals, indices, copies }) => ({
          positions,
          normals,
          indices,
          copies,
        }));
        fresh.set(number, { id: number, meshes });
      }
    if (fresh.size > 0) await this.remote!.keep([...fresh.values()]);
    for (const id of fresh.keys()) this.sent.add(id);
    const needed = all.map(({ number }) => number);
    await this.remote!.keepOnly(needed);
    for (const id of this.sent) if (!needed.includes(id)) this.sent.delete(id);

    const on = all.flatMap((stood) => shadedBy(shot, stood).map((found) => ({ ...found, stood })));
    const job: ShadeJob = {
      props: all.map(({ prop, number, matrix }) => ({ id: prop.id, model: number, matrix })),
      place: frontMesh(Object.values(shot.set).flatMap((part) => (part.muted ? [] : facesOf(shot.set, part.id)))),
      ground: groundHeight(shot),
      sheets: on.map(({ sheet, stood }) => {
        const cell = Math.max(...sheet.size) / CELLS;
        const cells = sheet.size.map((x) => Math.max(2, Math.ceil(x / cell))) as [number, number];
        return { prop: stood.prop.id, sheet, cells };
      }),
    };
    const shades = await this.remote!.shade(job);
    if (this.gone) return;
    this.lay(job, shades, on);
    this.onShaded();
    // The props' own light takes longer: not where they stand otherwise by now.
    if (this.again) return;
    const lit = await this.remote!.light(job);
    if (this.gone) return;
    for (const { prop, meshes } of lit)
      this.keepLit(
        all.find((s) => s.prop.id === prop)!,
        meshes,
      );
    this.onShaded();
  }

  private lay(
    job: ShadeJob,
    shades: readonly Float32Array[],
    on: readonly { face: Face; sheet: Sheet; stood: Stood }[],
  ): void {
    for (const { mesh } of this.laid) discard(mesh, this.first);
    this.sheets.clear();
    this.laidAnew++;
    this.laid = shades.map((shade, i) => {
      const { face, sheet, stood } = on[i];
      const mesh = newSheet(face, sheet);
      this.first ??= mesh.material;
      const [columns, rows] = job.sheets[i].cells;
      const bytes = Uint8Array.from(shade, (x) => Math.round(255 * x));
      const picture = new THREE.DataTexture(bytes, columns, rows, THREE.RedFormat);
      picture.unpackAlignment = 1;
      picture.magFilter = picture.minFilter = THREE.LinearFilter;
      picture.needsUpdate = true;
      mesh.material.uniforms.picture.value = picture;
      this.sheets.add(mesh);
      return { prop: stood.prop.id, face, sheet, mesh, stood: stood.prop.placement.position, pose: stood.pose };
    });
  }

  private keepLit({ prop, model }: Stood, shut: readonly Float32Array[]): void {
    model.meshes.forEach(({ positions }, i) => {
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute("shut", new THREE.BufferAttribute(shut[i], 2));
      const key = `${prop.id} ${i}`;
      if (this.lit.has(key)) letGo(this.lit.get(key)!.geometry);
      this.lit.set(key, { positions, geometry });
    });
  }

  dispose(): void {
    this.gone = true;
    clearTimeout(this.timer);
    this.worker?.terminate();
    for (const { mesh } of this.laid) discard(mesh);
    this.first?.dispose();
    for (const { geometry } of this.lit.values()) letGo(geometry);
  }
}
