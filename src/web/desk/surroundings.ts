import * as THREE from "three";
import type { unlitBy } from "#core/light/rig";
import { lampsLit, lampsOf, weighed } from "#core/light/rig";
import { shrink } from "#core/image/resize";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { cross, dot, sub } from "#core/math/vec3";
import { faceNormal } from "#core/set/face";
import type { Camera } from "#core/optics/camera";
import { pickFace } from "#core/set/pick";
import { materialAt } from "#core/set/surface";
import type { Shot } from "#core/shot/schema";
import type { Picture } from "#core/trace/scene";
import { MOST_LAMPS, projectedMaterial } from "./projected.ts";
import { layOver } from "./shadeMesh.ts";
import type { AroundFound } from "../workers/around.worker.ts";
import { SkyBall, textureOf } from "./skyBall.ts";

/**
 * What surrounds the props, as the real-time view sees it, taken as a small cube of pictures at each prop's place: what the
 * tracer finds there, and until it has found it the set wearing the plate, the sky and the lamps. Props reflect it and are
 * lit by it, so that nothing is black indoors, the room's own colours come back from its walls, the sky is shut out by what
 * stands before it, and sources that leave a prop out are not in its own.
 */

/** Side of each of the six pictures, pixels. */
const SIDE = 128;
/** The place is taken anew when it moved by more than this, metres. */
const GRAIN = 0.2;

const LUMINANCE: Vec3 = [0.2126, 0.7152, 0.0722];
const luminance = (c: ArrayLike<number>): number => LUMINANCE.reduce((sum, weight, k) => sum + weight * c[k], 0);

/** Light that the set gives back over its albedo, and what of it lamps bring. */
interface OnSet {
  level: number;
  brought: number;
}

/** Places of the plate that are looked at, across and down. */
const PLACES = [48, 32] as const;

const reduced = new WeakMap<Picture, Picture>();

/** A plate's light at those places. */
function placesOf(plate: Picture): Picture {
  const known = reduced.get(plate) ?? shrink(plate, ...PLACES);
  reduced.set(plate, known);
  return known;
}

/**
 * Light that the set which the plate shows gives back, over its albedo: the mean of the places where the camera sees it,
 * but for what glows; and what lamps bring there. Null where it sees none of it.
 */
function lightOnSet(shot: Shot, camera: Camera, plate: Picture, lamps: readonly FarLamp[]): OnSet | null {
  const [across, down] = PLACES;
  const { pixels } = placesOf(plate);
  const { width, height } = shot.plates.main;
  let sum = 0;
  let brought = 0;
  let count = 0;
  for (let i = 0; i < across * down; i++) {
    const pixel: Vec2 = [(((i % across) + 0.5) / across) * width, ((Math.floor(i / across) + 0.5) / down) * height];
    const met = pickFace(shot.set, camera, pixel);
    const material = met && materialAt(shot, met.part, met.face.id);
    if (!material || material.glow > 0) continue;
    const shown = luminance(pixels.subarray(i * 3, i * 3 + 3));
    sum += shown / Math.max(0.02, luminance(material.albedo.colour));
    brought += lamps.reduce((total, lamp) => total + broughtBy(lamp, met.world, faceNormal(met.face)), 0);
    count++;
  }
  return count > 0 ? { level: sum / count, brought: brought / count } : null;
}

/** A lamp as the set sees it from afar: luminance times area, without the angles. */
interface FarLamp {
  at: Vec3;
  facing: Vec3;
  power: number;
}

/** What a lamp brings to a face, but for what stands between: as the material's shader reckons it. */
function broughtBy({ at, facing, power }: FarLamp, world: Vec3, normal: Vec3): number {
  const way = sub(at, world);
  const d2 = Math.max(0.04, dot(way, way));
  return (power * Math.abs(dot(way, normal)) * Math.max(0, -dot(way, facing))) / (d2 * d2);
}

/** The strongest lamps that have a direction. */
function farLamps(shot: Shot): FarLamp[] {
  const sources = lampsLit(shot);
  return lampsOf(shot)
    .flatMap(({ kind, position, facing, size, radiance }, i): FarLamp[] => {
      if (kind !== "rectangle" && kind !== "disc") return [];
      const area = kind === "rectangle" ? size[0] * size[1] : (Math.PI / 4) * size[0] ** 2;
      return [{ at: position, facing, power: area * luminance(weighed(radiance, sources[i])) }];
    })
    .sort((a, b) => b.power - a.power)
    .slice(0, MOST_LAMPS);
}

/** What surroundings are taken from: the set's meshes, and what gives them the plate. */
export interface Place {
  shot: Shot;
  camera: Camera;
  /** Its linear light, made small. */
  plate: Picture | null;
  meshes: readonly { geometry: THREE.BufferGeometry; pictured: boolean }[];
  wear: (uniforms: THREE.ShaderMaterial["uniforms"], pictured: boolean) => void;
  /** Shades of the props on the set, and which of them they are. */
  shades: { sheets: THREE.Group; laidAnew: number };
}

/** Sources that leave a prop out: the lamps by their number. */
export type Spared = ReturnType<typeof unlitBy>;

/** What lights a prop. */
export interface Around {
  /** The picture that it mirrors, with its coarser levels. */
  mirrored: THREE.CubeTexture;
  /** The same as three filters it, for what has no shader of its own. */
  filtered: THREE.Texture;
  /** Irradiance of its faces, where the tracer has found it. */
  irradiance: THREE.Texture | null;
}

interface Taken {
  targets: { dispose(): void }[];
  around: Around;
}

/** What a place is called, with what leaves a prop out: near ones alike. */
export function placeName(place: Vec3, spared: Spared): string {
  const without = spared ? `${spared.sky} ${spared.lamps.join()}` : "";
  return `${place.map((x) => Math.round(x / GRAIN)).join()} ${without}`;
}

const cubeTarget = (side: number) =>
  new THREE.WebGLCubeRenderTarget(side, {
    type: THREE.HalfFloatType,
    generateMipmaps: true,
    minFilter: THREE.LinearMipmapLinearFilter,
  });

export class Surroundings {
  private readonly scene = new THREE.Scene();
  private readonly set = new THREE.Group();
  private readonly lamps = new THREE.Group();
  private readonly sky = new SkyBall();
  /** All that was found around a place. */
  private readonly found = new SkyBall();
  private readonly filter: THREE.PMREMGenerator;
  /** Of the set that the plate shows, and of the rest. Kept, since a shader takes long to make. */
  private readonly materials = [projectedMaterial(THREE.DoubleSide), projectedMaterial(THREE.DoubleSide)];
  /** By place and by what is left out. */
  private readonly taken = new Map<string, Taken>();
  private known: unknown[] = [];
  private generation = 0;
  private readonly numbers = new WeakMap<AroundFound, number>();
  private counted = 0;
  private sheets: THREE.Group | null = null;
  private any: THREE.WebGLRenderTarget | null = null;
  private onSet: { of: unknown[]; found: OnSet | null } | null = null;
  /** What shaders are made for: a target like those that are drawn to, and some camera. */
  private readonly model = cubeTarget(1);
  private readonly eye = new THREE.PerspectiveCamera();
  private readonly evenSky = new THREE.Color();

  constructor(private readonly renderer: THREE.WebGLRenderer) {
    this.filter = new THREE.PMREMGenerator(renderer);
    this.scene.add(this.set, this.lamps, this.sky.mesh, this.found.mesh);
    this.found.mesh.visible = false;
  }

  /** Makes ready for a set, light, camera and plate. What was taken of others stays until it is let go. */
  prepare({ shot, camera, plate, meshes, wear, shades }: Place): void {
    this.sheets = shades.sheets;
    const key = [shot.set, shot.materials, shot.light, camera, plate, meshes.length, shades.laidAnew];
    if (key.length === this.known.length && key.every((x, i) => x === this.known[i])) return;
    this.known = key;
    this.generation++;
    this.set.clear();
    const lamps = farLamps(shot);
    const seen = plate && this.lightSeen(shot, camera, plate, lamps);
    // Without a plate that shows the set it is the sky's light.
    const level = Math.min(4, seen?.level ?? Math.PI * luminance(shot.light.sky.radiance));
    this.materials.forEach(({ uniforms }, i) => {
      wear(uniforms, i === 0);
      uniforms.unseen.value = level;
      for (let k = 0; k < MOST_LAMPS; k++) {
        const lamp = seen && seen.brought > 0 ? lamps[k] : undefined;
        (uniforms.lampPower.value as number[])[k] = lamp ? lamp.power / seen!.brought : 0;
        if (!lamp) continue;
        (uniforms.lampAt.value as THREE.Vector3[])[k].set(...lamp.at);
        (uniforms.lampFacing.value as THREE.Vector3[])[k].set(...lamp.facing);
      }
    });
    for (const { geometry, pictured } of meshes)
      this.set.add(new THREE.Mesh(geometry, this.materials[pictured ? 0 : 1]));
    this.lightLamps(shot);
  }

  /** As `lightOnSet`, which takes its time, where anything that it depends on has changed. */
  private lightSeen(shot: Shot, camera: Camera, plate: Picture, lamps: readonly FarLamp[]): OnSet | null {
    const of = [shot.set, shot.materials, shot.light.lamps, camera, plate];
    if (!this.onSet || !of.every((part, i) => part === this.onSet!.of[i]))
      this.onSet = { of, found: lightOnSet(shot, camera, plate, lamps) };
    return this.onSet.found;
  }

  /** Makes the shaders for it without holding up the page. */
  async compile(): Promise<void> {
    const target = this.renderer.getRenderTarget();
    this.renderer.setRenderTarget(this.model);
    const made = this.withShades(() => this.renderer.compileAsync(this.scene, this.eye));
    this.renderer.setRenderTarget(target);
    await made;
  }

  /** The shades that lie on the set come along: a prop mirrors its own on what it stands on. */
  private withShades<T>(draw: () => T): T {
    const { sheets } = this;
    const shown = sheets?.parent;
    if (sheets) {
      this.scene.add(sheets);
      layOver(sheets, true);
    }
    const drawn = draw();
    if (sheets && shown) {
      layOver(sheets, false);
      shown.add(sheets);
    }
    return drawn;
  }

  /**
   * What surrounds a place, kept under its name until it is let go; `traced` is what the tracer has found there.
   */
  at(place: Vec3, shot: Shot, spared: Spared, traced: AroundFound | null): Around & { name: string } {
    const name = `${this.generation} ${placeName(place, spared)} ${traced ? this.numberOf(traced) : ""}`;
    const kept = this.taken.get(name);
    if (kept) return { name, ...kept.around };
    if (traced) this.wearTraced(traced, place);
    else this.wearGuessed(place, shot, spared);
    const target = cubeTarget(SIDE);
    const cube = new THREE.CubeCamera(0.02, 500, target);
    cube.position.set(...place);
    this.withShades(() => cube.update(this.renderer, this.scene));
    // What is known needs no picture filtered by three, but its shaders want one to be there.
    const own = traced ? null : this.filter.fromCubemap(target.texture);
    this.any ??= this.filter.fromCubemap(target.texture);
    const around = {
      mirrored: target.texture,
      filtered: (own ?? this.any).texture,
      irradiance: traced && textureOf(traced.irradiance),
    };
    this.taken.set(name, { targets: own ? [target, own] : [target], around });
    return { name, ...around };
  }

  private numberOf(picture: AroundFound): number {
    let number = this.numbers.get(picture);
    if (number === undefined) this.numbers.set(picture, (number = ++this.counted));
    return number;
  }

  /** What the tracer found; of the set only how far it is, for the shades that lie on it. */
  private wearTraced({ picture }: AroundFound, place: Vec3): void {
    this.found.wearAll(picture, place);
    this.sky.mesh.visible = false;
    this.lamps.visible = false;
    this.scene.background = null;
    for (const material of this.materials) material.colorWrite = false;
  }

  private wearGuessed(place: Vec3, shot: Shot, spared: Spared): void {
    this.found.mesh.visible = false;
    this.lamps.visible = true;
    for (const material of this.materials) material.colorWrite = true;
    const { sky } = shot.light;
    const lit = sky.on && !spared?.sky;
    const even = !this.sky.wear(shot, place);
    const [r, g, b] = lit && even ? weighed(sky.radiance, sky) : [0, 0, 0];
    this.sky.mesh.visible &&= lit;
    this.scene.background = this.evenSky.setRGB(r, g, b);
    this.lamps.children.forEach((lamp, i) => (lamp.visible = !spared?.lamps.includes(i)));
  }

  /** Lets go of all but those of some names. */
  keep(names: ReadonlySet<string>): void {
    for (const [name, { targets, around }] of this.taken)
      if (!names.has(name)) {
        for (const target of targets) target.dispose();
        around.irradiance?.dispose();
        this.taken.delete(name);
      }
  }

  /** Lamps that have a size, as bright shapes; light of theirs comes back from the set in the plate already. */
  private lightLamps(shot: Shot): void {
    this.lamps.clear();
    const sources = lampsLit(shot);
    for (const [i, { kind, position, facing, across, size, radiance: full }] of lampsOf(shot).entries()) {
      const radiance = weighed(full, sources[i]);
      const shape =
        kind === "rectangle"
          ? new THREE.PlaneGeometry(size[0], size[1])
          : kind === "sphere"
            ? new THREE.SphereGeometry(size[0] / 2, 16, 12)
            : new THREE.CircleGeometry(Math.max(0.02, size[0] / 2), 24);
      const colour = new THREE.Color().setRGB(radiance[0], radiance[1], radiance[2]);
      const lamp = new THREE.Mesh(shape, new THREE.MeshBasicMaterial({ color: colour }));
      lamp.position.set(position[0], position[1], position[2]);
      const basis = [across, cross(facing, across), facing].map((axis) => new THREE.Vector3(...axis));
      lamp.quaternion.setFromRotationMatrix(new THREE.Matrix4().makeBasis(basis[0], basis[1], basis[2]));
      this.lamps.add(lamp);
    }
  }

  dispose(): void {
    for (const material of this.materials) material.dispose();
    this.sky.dispose();
    this.found.dispose();
    this.keep(new Set());
    this.model.dispose();
    this.any?.dispose();
    this.filter.dispose();
  }
}
