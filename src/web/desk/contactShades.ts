import type { Remote } from "comlink";
import { wrap } from "comlink";
import * as THREE from "three";
import type { Vec3 } from "#core/math/vec3";
import { dot } from "#core/math/vec3";
import type { Model } from "#core/props/model";
import { COPY_FLOATS } from "#core/props/model";
import { modelOf, placementOf } from "#core/props/placed";
import type { Prop } from "#core/props/schema";
import { placementMatrix } from "#core/props/transform";
import type { Face } from "#core/set/face";
import { facePlane, planeAxes } from "#core/set/face";
import { facesOf } from "#core/set/faces";
import { kindOf } from "#core/set/parts/index";
import { frontMesh, groundHeight } from "#core/set/pieces";
import { flagsAt } from "#core/set/surface";
import type { Shot } from "#core/shot/schema";
import type { Sheet } from "#core/trace/ambient";
import type { ShadeJob, ShadeModel, Shading } from "../workers/shade.worker.ts";

/**
 * Shade of the light from all around, as rays tell it: on what props stand on, lean against or come near, each face of the
 * set by itself, and on the props. Reckoned in a worker once nothing moves any more; until then shades go along with their
 * props.
 */

/** Nothing has moved for so long. */
const CALM_MS = 120;
/** Faces that a prop shades, and how near they are: a share of its size, in metres at most. */
const FACES = { most: 8, share: 0.6, near: 1 };
/** How far a shade goes beyond its prop: a share of its size, in metres at most and at least. */
const BEYOND = { share: 0.7, most: 1.5, least: 0.05 };
/** Cells of a sheet's longer side. */
const CELLS = 56;
/** The shade lies so far above what it is on, metres. */
const LIFT = 0.001;
/** Copies of a prop that its size is told from. */
const COPIES = 48;
/** Shares of linear light become shares of a picture that is shown on a screen. */
const SCREEN_GAMMA = 2.2;

interface Stood {
  prop: Prop;
  model: Model;
  /** Of its model, and rows of the matrix that places it. */
  number: number;
  matrix: number[];
  low: Vec3;
  high: Vec3;
  /** What its shade depends on besides the set and its neighbours. */
  pose: string;
}

interface OnFace {
  prop: string;
  face: Face;
  sheet: Sheet;
  mesh: THREE.Mesh<THREE.BufferGeometry, THREE.ShaderMaterial>;
  /** Where its prop stood. */
  stood: Vec3;
  pose: string;
}

const numbers = new WeakMap<Model, number>();
let lastNumber = 0;
function numberOf(model: Model): number {
  let known = numbers.get(model);
  if (known === undefined) numbers.set(model, (known = ++lastNumber));
  return known;
}

const boxes = new WeakMap<Float32Array, [Vec3, Vec3]>();
/** Lowest and highest corner around a mesh in its own coordinates. */
function boxOf(positions: Float32Array): [Vec3, Vec3] {
  let known = boxes.get(positions);
  if (!known) {
    known = [
      [Infinity, Infinity, Infinity],
      [-Infinity, -Infinity, -Infinity],
    ];
    for (let i = 0; i < positions.length; i++) {
      const k = i % 3;
      if (positions[i] < known[0][k]) known[0][k] = positions[i];
      if (positions[i] > known[1][k]) known[1][k] = positions[i];
    }
    boxes.set(positions, known);
  }
  return known;
}

/** No copies: the mesh itself. */
const WHERE_IT_IS = new Float32Array([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0]);

/** One placing within another, rows of 3 x 4 matrices. */
function followed(m: readonly number[], by: ArrayLike<number>): number[] {
  const out: number[] = [];
  for (let r = 0; r < 12; r += 4)
    for (let c = 0; c < 4; c++)
      out.push(m[r] * by[c] + m[r + 1] * by[4 + c] + m[r + 2] * by[8 + c] + (c === 3 ? m[r + 3] : 0));
  return out;
}

function stoodOf(prop: Prop, models: Map<string, Model>): Stood | null {
  const model = prop.hidden || prop.role !== "cg" ? null : modelOf(prop, models);
  if (!model) return null;
  const placement = placementOf(prop);
  const m = placementMatrix(placement);
  const low: Vec3 = [Infinity, Infinity, Infinity];
  const high: Vec3 = [-Infinity, -Infinity, -Infinity];
  for (const { positions, copies = WHERE_IT_IS } of model.meshes) {
    const box = boxOf(positions);
    for (let c = 0; c < Math.min(copies.length, COPIES * COPY_FLOATS); c += COPY_FLOATS) {
      const place = followed(m, copies.subarray(c, c + COPY_FLOATS));
      for (let corner = 0; corner < 8; corner++)
        for (let k = 0; k < 3; k++) {
          let x = place[k * 4 + 3];
          for (let j = 0; j < 3; j++) x += place[k * 4 + j] * box[(corner >> j) & 1][j];
          if (x < low[k]) low[k] = x;
          if (x > high[k]) high[k] = x;
        }
    }
  }
  const { turnDeg, leanDeg, scale } = prop.placement;
  return { prop, model, number: numberOf(model), matrix: m, low, high, pose: [turnDeg, ...leanDeg, ...scale].join() };
}

/** A sheet with how far its prop is from it, metres. */
interface NearSheet extends Sheet {
  gap: number;
}

/** Where a prop's shade may lie on a plane that looks along `normal`; null where it is too far, or behind. */
function sheetOn({ low, high }: Stood, normal: Vec3, offset: number, bothSides: boolean): NearSheet | null {
  const middle = low.map((x, k) => (x + high[k]) / 2) as Vec3;
  const front = bothSides && dot(normal, middle) < offset ? -1 : 1;
  const n = normal.map((x) => front * x) as Vec3;
  const height = front * offset;
  const [u, v] = planeAxes(n);
  const size = Math.max(...high.map((x, k) => x - low[k]));
  const beyond = Math.min(BEYOND.most, Math.max(BEYOND.least, BEYOND.share * size));
  let [above, below] = [Infinity, -Infinity];
  const reach = [Infinity, -Infinity, Infinity, -Infinity];
  for (let c = 0; c < 8; c++) {
    const p = [0, 1, 2].map((k) => ((c >> k) & 1 ? high[k] : low[k])) as Vec3;
    const d = dot(n, p) - height;
    above = Math.min(above, d);
    below = Math.max(below, d);
    const [s, t] = [dot(u, p), dot(v, p)];
    reach[0] = Math.min(reach[0], s);
    reach[1] = Math.max(reach[1], s);
    reach[2] = Math.min(reach[2], t);
    reach[3] = Math.max(reach[3], t);
  }
  if (above > Math.min(FACES.near, FACES.share * size) || below < 0) return null;
  const [s, t] = [reach[0] - beyond, reach[2] - beyond];
  const corner = [0, 1, 2].map((k) => s * u[k] + t * v[k] + height * n[k]) as Vec3;
  return {
    gap: Math.abs(above),
    corner,
    across: u,
    along: v,
    normal: n,
    size: [reach[1] + beyond - s, reach[3] + beyond - t],
  };
}

/** A level square under all of a sheet, for the ground that goes on beyond the set. */
function squareOf({ corner, across, along, size }: Sheet): Face {
  const at = (a: number, b: number) =>
    [0, 1, 2].map((k) => corner[k] + a * size[0] * across[k] + b * size[1] * along[k]) as Vec3;
  return { id: "ground", rings: [[at(0, 0), at(1, 0), at(1, 1), at(0, 1)]] };
}

/** Overlap of a sheet with a face, told from the corners of both along the sheet's sides. */
function meets({ corner, across, along, size }: Sheet, face: Face): boolean {
  return ([across, along] as const).every((axis, k) => {
    const places = face.rings[0].map((p) => dot(axis, p) - dot(axis, corner));
    return Math.max(...places) > 0 && Math.min(...places) < size[k];
  });
}

/** What of the set a prop shades. */
function shadedBy(shot: Shot, stood: Stood): { face: Face; sheet: Sheet }[] {
  const found: { face: Face; sheet: NearSheet }[] = [];
  for (const part of Object.values(shot.set)) {
    if (part.muted) continue;
    for (const face of facesOf(shot.set, part.id)) {
      if (!flagsAt(part, face.id).catches) continue;
      const { normal, offset } = facePlane(face);
      const sheet = sheetOn(stood, normal, offset, !kindOf(part).frontOnly);
      if (sheet && meets(sheet, face)) found.push({ face, sheet });
    }
  }
  if (found.length === 0) {
    const sheet = sheetOn(stood, [0, 0, 1], groundHeight(shot), false);
    if (sheet) found.push({ face: squareOf(sheet), sheet });
  }
  return found.sort((a, b) => a.sheet.gap - b.sheet.gap).slice(0, FACES.most);
}

function newSheet(face: Face, sheet: Sheet): OnFace["mesh"] {
  const { positions, indices } = frontMesh([face]);
  const geometry = new THREE.BufferGeometry();
  geometry.setAttribute("position", new THREE.BufferAttribute(positions, 3));
  geometry.setIndex(new THREE.BufferAttribute(indices, 1));
  const vector = (p: Vec3) => new THREE.Vector3(p[0], p[1], p[2]);
  const material = new THREE.ShaderMaterial({
    uniforms: {
      picture: { value: null },
      strength: { value: 0 },
      corner: { value: vector(sheet.corner) },
      across: { value: vector(sheet.across).divideScalar(sheet.size[0]) },
      along: { value: vector(sheet.along).divideScalar(sheet.size[1]) },
      lift: { value: vector(sheet.normal).multiplyScalar(LIFT) },
      shift: { value: new THREE.Vector3() },
    },
    vertexShader: `uniform vec3 corner; uniform vec3 across; uniform vec3 along; uniform vec3 lift; uniform vec3 shift; varying vec2 at;
      void main() {
        vec3 from = position - shift - corner;
        at = vec2(dot(from, across), dot(from, along));
        gl_Position = projectionMatrix * modelViewMatrix * vec4(position + lift, 1.0);
      }`,
    fragmentShader: `uniform sampler2D picture; uniform float strength; varying vec2 at;
      void main() {
        if (at.x < 0.0 || at.y < 0.0 || at.x > 1.0 || at.y > 1.0) discard;
        vec2 edge = smoothstep(0.0, 0.15, at) * smoothstep(0.0, 0.15, 1.0 - at);
        float left = 1.0 - strength * edge.x * edge.y * texture2D(picture, at).r;
        gl_FragColor = vec4(0.0, 0.0, 0.0, 1.0 - pow(left, 1.0 / ${SCREEN_GAMMA.toFixed(1)}));
      }`,
    side: THREE.DoubleSide,
    transparent: true,
    depthWrite: false,
    polygonOffset: true,
    polygonOffsetFactor: -2,
    polygonOffsetUnits: -8,
  });
  return new THREE.Mesh(geometry, material);
}

function discard(mesh: OnFace["mesh"]): void {
  mesh.geometry.dispose();
  (mesh.material.uniforms.picture.value as THREE.Texture | null)?.dispose();
  mesh.material.dispose();
}

/** Lets go of what a geometry has by itself: the rest lies on the graphics card for others as well. */
function letGo(geometry: THREE.BufferGeometry): void {
  for (const name of Object.keys(geometry.attributes)) if (name !== "shut") geometry.deleteAttribute(name);
  geometry.setIndex(null);
  geometry.dispose();
}

/** A share of linear light that is taken away, as one of a picture on a screen. */
export const onScreen = (share: number): number => 1 - (1 - Math.min(1, share)) ** (1 / SCREEN_GAMMA);

export class ContactShades {
  /** What is laid over the set. */
  readonly sheets = new THREE.Group();
  private laid: OnFace[] = [];
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
        uniforms.strength.value = stood.prop.visibility.shadow ? strength : 0;
        const { position } = stood.prop.placement;
        (uniforms.shift.value as THREE.Vector3).set(
          ...(position.map((x, k) => x - on.stood[k]) as [number, number, number]),
        );
        return true;
      }
      this.sheets.remove(on.mesh);
      discard(on.mesh);
      return false;
    });
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
    for (const { mesh } of this.laid) discard(mesh);
    this.sheets.clear();
    this.laid = shades.map((shade, i) => {
      const { face, sheet, stood } = on[i];
      const mesh = newSheet(face, sheet);
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

  private keepLit({ prop, model }: Stood, shares: readonly Float32Array[]): void {
    model.meshes.forEach(({ positions }, i) => {
      const geometry = new THREE.BufferGeometry();
      geometry.setAttribute(
        "shut",
        new THREE.BufferAttribute(
          Float32Array.from(shares[i], (x) => 1 - x),
          2,
        ),
      );
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
    for (const { geometry } of this.lit.values()) letGo(geometry);
  }
}
