import * as L from "../../kernel/layout.ts";
import { luminance, srgbTable } from "../colour/srgb.ts";
import type { Material, Mesh, Model, Texture, TextureMatrix } from "../props/model.ts";
import { COPY_FLOATS, MAX_TEXTURE_BYTES, plainMaterial } from "../props/model.ts";
import { invertMatrix, placementMatrix } from "../props/transform.ts";
import { ggxAlbedo, sheenAlbedo } from "./albedo.ts";
import { buildInstanceBvh, buildTriangleBvh } from "./bvh.ts";
import { environmentTables } from "./environment.ts";
import type { FilmChoice, FilmLayout } from "./film.ts";
import { BARE_SUMS, filmLayout } from "./film.ts";
import type { PixelFilter } from "./filter.ts";
import { BOX, filterTable } from "./filter.ts";
import type { Kernel } from "./kernel.ts";
import { lampRows } from "./lamps.ts";
import type { SceneMemory } from "./memory.ts";
import { GENERATION_ADDRESS } from "./memory.ts";
import type { Caster, Picture, PropPiece, SetPiece, TraceScene } from "./scene.ts";
import { halve, levelSizes } from "./smaller.ts";
import { vertexTangents } from "./tangents.ts";

/** Pixels of the render, which may differ from the plate's by a scale, never in shape. */
export interface RenderSettings {
  width: number;
  height: number;
  seed: number;
  maxDepth: number;
  filter?: PixelFilter;
  sums?: FilmChoice;
  /** Distance in metres that ambient occlusion looks; 0 or missing leaves it out. */
  occlusion?: number;
  /**
   * Most that light by way of a matt surface may add to one sample, in multiples of the radiance of a white surface
   * under all lights; 0 or missing for no limit. Samples that were limited are counted.
   */
  limit?: number;
  /** Rows that the film holds at a time, all of them if missing; see `aimFilm`. */
  filmRows?: number;
}

/** Addresses of an uploaded scene. */
export interface LoadedScene {
  params: number;
  film: number;
  filmRows: number;
  width: number;
  height: number;
  layout: FilmLayout;
  triangles: number;
  setRoot: number;
  propRoot: number;
}

/** Meshes of a model that share a tree, and where they stand in it. */
interface Body {
  model: number;
  meshes: Mesh[];
  /** Rows of 3 × 4 matrices; null for once, as it is. */
  copies: Float32Array | null;
}

function bodiesOf(models: Model[]): Body[] {
  return models.flatMap((model, number): Body[] => {
    const once = model.meshes.filter((m) => !m.copies);
    const often = model.meshes.filter((m) => m.copies);
    return [
      { model: number, meshes: once, copies: null },
      ...often.map((mesh) => ({ model: number, meshes: [mesh], copies: mesh.copies! })),
    ].filter((body) => body.meshes.length > 0);
  });
}

/** Matrices by which a body stands in the world when its prop does: one, or one for every copy. */
function standingAt(forward: readonly number[], { copies }: Body): number[][] {
  if (!copies) return [[...forward]];
  return Array.from({ length: copies.length / COPY_FLOATS }, (_, c) => {
    const m = copies.subarray(c * COPY_FLOATS, (c + 1) * COPY_FLOATS);
    return Array.from({ length: 12 }, (_unused, i) => {
      const [row, k] = [i - (i % 4), i % 4];
      const sum = forward[row] * m[k] + forward[row + 1] * m[4 + k] + forward[row + 2] * m[8 + k];
      return k === 3 ? sum + forward[row + 3] : sum;
    });
  });
}

interface Range {
  first: number;
  count: number;
}

/** What stays in memory while models, plate and environment are the same. */
interface Resident {
  models: Model[];
  plate: Picture | null;
  environment: Picture | null;
  backdrop: Picture | null;
  capacity: { vertices: number; triangles: number; parts: number };
  positions: number;
  normals: number;
  /** 0 where no material has a grain. */
  tangents: number;
  uvs: number;
  triangles: number;
  parts: number;
  materials: number;
  textures: number;
  /** What has a tree of its own, by number: of every model the meshes that stand once, and each that stands several times. */
  bodies: Body[];
  roots: number[];
  ranges: Range[];
  materialFirst: number[];
  bounds: { low: number[]; high: number[] }[];
  /** Shining triangles by body. */
  emissive: Map<number, { triangles: Uint32Array; luminance: number }[]>;
  plateAt: number;
  backdropAt: number;
  environmentAt: { pixels: number; alias: number; weight: number } | null;
  srgb: number;
  albedo: number;
  sheen: number;
  end: number;
}

let ggxTable: Float32Array | null = null;
let sheenTable: Float32Array | null = null;

/** Address of the table of casters, 0 without any. */
function putCasters(memory: SceneMemory, casters: Caster[]): number {
  if (casters.length === 0) return 0;
  const cells = casters.map((c) => memory.putF32(c.hides));
  const table = memory.reserve(casters.length * L.CASTER_BYTES);
  casters.forEach((c, i) => {
    const at = table + i * L.CASTER_BYTES;
    const f = memory.f32(at, L.CASTER_BYTES / 4);
    f.set([...c.toSun, c.foot, c.slant, c.left, c.span, c.ground, c.tall, ...c.radiance]);
    memory.u32(at + L.CASTER_CELLS, 3).set([cells[i], c.width, c.height]);
  });
  return table;
}

/**
 * Puts scenes into the kernel's memory. Models, their trees and textures stay there from one scene to the next, so that
 * a moved prop, another camera or another light rebuild only the set's tree and the tree of instances.
 */
export class SceneLoader {
  private resident: Resident | null = null;

  constructor(
    private readonly kernel: Kernel,
    private readonly memory: SceneMemory,
  ) {}

  /** Forgets what is resident: the next scene is built afresh, as finals are. */
  forget(): void {
    this.resident = null;
  }

  /** Writes a scene. The film is cleared. Throws RangeError with advice if it does not fit. */
  load(scene: TraceScene, settings: RenderSettings): LoadedScene {
    const { memory, kernel } = this;
    const models = [...new Set(scene.props.map((p) => p.model))];
    const set = joinSet(scene.set);
    const r = this.keep(scene, models, set);
    memory.release(r.end);
    const params = memory.reserve(L.PARAM_BYTES);
    putSet(memory, r, set, scene.set);
    const setTree = buildTriangleBvh(kernel, memory, r, 0, set.triangles.length / 4);
    const instances = putInstances(memory, r, scene.props, models);
    const propTree = buildInstanceBvh(kernel, memory, instances.boxes);
    const lamps = lampRows(scene.lamps ?? [], shiningTriangles(memory, r, scene.props, models));
    const lampTable = memory.reserve(Math.max(1, lamps.count) * L.LAMP_BYTES);
    memory.u8(lampTable, lamps.bytes.length).set(lamps.bytes);
    const layout = sceneLayout(scene, settings.sums ?? BARE_SUMS);
    const filter = memory.putF32(filterTable(settings.filter ?? BOX));
    const mask = scene.mask ? memory.putF32(scene.mask.values) : 0;
    const casters = putCasters(memory, scene.casters ?? []);
    const filmRows = settings.filmRows ?? settings.height;
    const film = memory.reserve(settings.width * filmRows * layout.stride * 4);

    const u = memory.u32(params, L.PARAM_BYTES / 4);
    const f = memory.f32(params, L.PARAM_BYTES / 4);
    u.fill(0);
    const setU = (offset: number, value: number) => (u[offset / 4] = value);
    const setF = (offset: number, ...values: number[]) => f.set(values, offset / 4);
    setU(L.PARAM_SET_ROOT, setTree.root);
    setU(L.PARAM_PROP_ROOT, propTree.root);
    setU(L.PARAM_INSTANCES, instances.table);
    setU(L.PARAM_POSITIONS, r.positions);
    setU(L.PARAM_NORMALS, r.normals);
    setU(L.PARAM_TANGENTS, r.tangents);
    setU(L.PARAM_UVS, r.uvs);
    setU(L.PARAM_TRIANGLES, r.triangles);
    setU(L.PARAM_PARTS, r.parts);
    setU(L.PARAM_MATERIALS, r.materials);
    setU(L.PARAM_TEXTURES, r.textures);
    setU(L.PARAM_SRGB_TABLE, r.srgb);
    setU(L.PARAM_ALBEDO_TABLE, r.albedo);
    setU(L.PARAM_SHEEN_TABLE, r.sheen);
    setU(L.PARAM_FILM, film);
    setU(L.PARAM_WIDTH, settings.width);
    setU(L.PARAM_HEIGHT, settings.height);
    setU(L.PARAM_SEED, settings.seed >>> 0);
    setU(L.PARAM_MAX_DEPTH, settings.maxDepth);
    setU(L.PARAM_FILTER, filter);
    setU(L.PARAM_PICTURE, scene.picture ? 1 : 0);
    const picture = (offset: number, address: number, p: Picture | null | undefined) => {
      if (p) u.set([address, p.width, p.height], offset / 4);
    };
    picture(L.PARAM_PLATE, r.plateAt, scene.plate);
    picture(L.PARAM_BACKDROP, r.backdropAt, scene.backdrop);
    if (scene.environment && r.environmentAt) {
      picture(L.PARAM_ENVIRONMENT, r.environmentAt.pixels, scene.environment);
      setU(L.PARAM_ENVIRONMENT_ALIAS, r.environmentAt.alias);
      setU(L.PARAM_ENVIRONMENT_WEIGHT, r.environmentAt.weight);
    }
    if (casters) u.set([casters, scene.casters!.length], L.PARAM_CASTERS / 4);
    if (scene.mask) u.set([mask, scene.mask.width, scene.mask.height], L.PARAM_MASK / 4);
    setU(L.PARAM_LAMPS, lampTable);
    setU(L.PARAM_LAMP_COUNT, lamps.count);
    setU(L.PARAM_LAMP_PROPER, lamps.proper);
    setF(L.PARAM_LAMP_POWER, lamps.power);
    const { camera } = scene;
    setF(L.PARAM_FRAME_WIDTH, scene.frame.width);
    setF(L.PARAM_FRAME_HEIGHT, scene.frame.height);
    setF(L.PARAM_FOCAL, camera.focalPx);
    setF(L.PARAM_PRINCIPAL, ...camera.principal);
    const d = camera.distortion;
    setF(L.PARAM_DISTORTION, d.k1, d.k2, d.k3, d.p1, d.p2);
    setF(L.PARAM_ROTATION, ...camera.rotation.flat());
    setF(L.PARAM_POSITION, ...camera.position);
    setF(L.PARAM_SPREAD, scene.frame.width / settings.width / camera.focalPx);
    if (scene.aperture && scene.aperture.radius > 0) {
      setF(L.PARAM_LENS_RADIUS, scene.aperture.radius);
      setF(L.PARAM_FOCUS, scene.aperture.focus);
      setU(L.PARAM_BLADES, scene.aperture.blades);
      setF(L.PARAM_BLADE_TURN, scene.aperture.turn);
    }
    setU(L.PARAM_SHUTTER, instances.moving ? 1 : 0);
    setF(L.PARAM_SUN_DIRECTION, ...(scene.sun?.direction ?? [0, 0, 1]));
    setF(L.PARAM_SUN_COS, Math.cos(scene.sun?.angularRadius ?? 0.005));
    setF(L.PARAM_SUN_IRRADIANCE, ...(scene.sun?.irradiance ?? [0, 0, 0]));
    setF(L.PARAM_SKY, ...scene.sky);
    if (scene.floor) {
      setU(L.PARAM_FLOOR_ON, 1);
      setF(L.PARAM_FLOOR_HEIGHT, scene.floor.height);
      setF(L.PARAM_FLOOR_ALBEDO, ...scene.floor.albedo);
    }
    setF(L.PARAM_OCCLUSION, settings.occlusion ?? 0);
    setF(L.PARAM_LIMIT, (settings.limit ?? 0) * whiteLevel(scene, lamps));
    setU(L.PARAM_FILM_STRIDE, layout.stride);
    setU(L.PARAM_FILM_LIGHTS, layout.lights);
    setU(L.PARAM_FILM_HALF, layout.half);
    setU(L.PARAM_FILM_FEATURES, layout.features);
    setU(L.PARAM_FILM_EXTRAS, layout.extras);
    setU(L.PARAM_FILM_PROPS, layout.props);
    setU(L.PARAM_FILM_MATERIALS, layout.materials);
    setU(L.PARAM_FILM_PROP_LIGHTS, layout.propLights);
    setU(L.PARAM_CANCEL, GENERATION_ADDRESS);
    setU(L.PARAM_GENERATION, Atomics.load(new Int32Array(memory.buffer, GENERATION_ADDRESS, 1), 0));
    const loaded = {
      params,
      film,
      filmRows,
      width: settings.width,
      height: settings.height,
      layout,
      triangles: set.triangles.length / 4 + r.ranges.reduce((n, x) => n + x.count, 0),
      setRoot: setTree.root,
      propRoot: propTree.root,
    };
    clearFilm(memory, loaded);
    return loaded;
  }

  /** The resident part, rebuilt if anything of it changed or the set outgrew its place. */
  private keep(scene: TraceScene, models: Model[], set: SetSoup): Resident {
    const before = this.resident;
    const [environment, backdrop] = [scene.environment ?? null, scene.backdrop];
    const same =
      before !== null &&
      before.models.length === models.length &&
      models.every((m, i) => before.models[i] === m) &&
      before.plate === scene.plate &&
      before.environment === environment &&
      before.backdrop === backdrop &&
      set.positions.length / 3 <= before.capacity.vertices &&
      set.triangles.length / 4 <= before.capacity.triangles &&
      scene.set.length <= before.capacity.parts;
    if (same) return before;
    this.resident = null;
    this.memory.release();
    this.resident = buildResident(this.kernel, this.memory, scene, models, set);
    return this.resident;
  }
}

/** Where the film of a scene keeps its sums. */
export function sceneLayout(scene: TraceScene, sums: FilmChoice): FilmLayout {
  const names = unique(scene.props.map((p, i) => p.name || `prop ${i + 1}`));
  const lamps = unique((scene.lamps ?? []).map((l) => l.name || "lamp"));
  return filmLayout(sums, lamps, names, namesOfMaterials([...new Set(scene.props.map((p) => p.model))]));
}

/** Names with a number behind those that are there already. */
function unique(names: string[]): string[] {
  const used = new Set<string>();
  return names.map((name) => {
    let own = name;
    for (let n = 2; used.has(own); n++) own = `${name} ${n}`;
    used.add(own);
    return own;
  });
}

/** Names of all materials; those of one name share a matte. */
const namesOfMaterials = (models: Model[]): string[] => [
  ...new Set(models.flatMap((m) => m.materials).map((material, i) => material.name || `material ${i + 1}`)),
];

/** Writes a single scene. */
export function uploadScene(
  kernel: Kernel,
  memory: SceneMemory,
  scene: TraceScene,
  settings: RenderSettings,
): LoadedScene {
  return new SceneLoader(kernel, memory).load(scene, settings);
}

interface SetSoup {
  positions: Float32Array;
  normals: Float32Array;
  /** Three vertex numbers and the piece's. */
  triangles: Uint32Array;
}

/** All set pieces as one soup, with one flat normal a vertex, from the first triangle that uses it. */
function joinSet(pieces: SetPiece[]): SetSoup {
  const vertices = pieces.reduce((n, p) => n + p.positions.length / 3, 0);
  const count = pieces.reduce((n, p) => n + p.indices.length / 3, 0);
  const positions = new Float32Array(vertices * 3);
  const normals = new Float32Array(vertices * 3);
  const triangles = new Uint32Array(count * 4);
  let v = 0;
  let t = 0;
  pieces.forEach(({ positions: p, indices }, number) => {
    positions.set(p, v * 3);
    for (let i = 0; i < indices.length; i += 3, t += 4) {
      const [a, b, c] = [indices[i] * 3, indices[i + 1] * 3, indices[i + 2] * 3];
      const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
      const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
      const n = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
      const s = 1 / (Math.hypot(n[0], n[1], n[2]) || 1);
      for (const at of [a, b, c]) normals.set([n[0] * s, n[1] * s, n[2] * s], v * 3 + at);
      triangles.set([indices[i] + v, indices[i + 1] + v, indices[i + 2] + v, number], t);
    }
    v += p.length / 3;
  });
  return { positions, normals, triangles };
}

const roomFor = (n: number, least: number) => Math.max(least, 2 ** Math.ceil(Math.log2(Math.max(1, n))));

function buildResident(
  kernel: Kernel,
  memory: SceneMemory,
  scene: TraceScene,
  models: Model[],
  set: SetSoup,
): Resident {
  const capacity = {
    vertices: roomFor(set.positions.length / 3, 4096),
    triangles: roomFor(set.triangles.length / 4, 8192),
    parts: roomFor(scene.set.length, 256),
  };
  const bodies = bodiesOf(models);
  const meshes = bodies.flatMap((body, b) => body.meshes.map((mesh) => ({ mesh, model: body.model, body: b })));
  let vertices = capacity.vertices;
  let triangleTotal = capacity.triangles;
  for (const { mesh } of meshes) {
    vertices += mesh.positions.length / 3;
    triangleTotal += mesh.indices.length / 3;
  }
  checkTextures(models);
  const positions = memory.reserve(vertices * 12);
  const normals = memory.reserve(vertices * 12);
  const uvs = memory.reserve(vertices * 8);
  const grained = models.some((m) => m.materials.some((material) => material.anisotropy > 0));
  const tangents = grained ? memory.reserve(vertices * 12) : 0;
  const triangles = memory.reserve(triangleTotal * L.TRIANGLE_BYTES);
  const parts = memory.reserve((capacity.parts + meshes.length) * L.PART_BYTES);
  memory.u8(parts, (capacity.parts + meshes.length) * L.PART_BYTES).fill(0);

  // Material 0 is the set's.
  const materialFirst: number[] = [];
  const all: { material: Material; textures: number }[] = [{ material: plainMaterial({ name: "set" }), textures: 0 }];
  let textureFirst = 0;
  models.forEach((model) => {
    materialFirst.push(all.length);
    for (const material of model.materials) all.push({ material, textures: textureFirst });
    textureFirst += model.textures.length;
  });
  const textures = putTextures(memory, models);
  const materials = memory.reserve(all.length * L.MATERIAL_BYTES);
  const materialNames = namesOfMaterials(models);
  const luminances = all.map(({ material, textures: first }, i) => {
    const number = i === 0 ? 0 : materialNames.indexOf(material.name || `material ${i}`);
    const lamp = meanEmission(material, models.flatMap((m) => m.textures)[first + (material.emissiveTexture ?? 0)]);
    putMaterial(memory, materials + i * L.MATERIAL_BYTES, material, first, number, lamp);
    return lamp;
  });

  const ranges: Range[] = bodies.map(() => ({ first: 0, count: 0 }));
  const bounds = bodies.map(() => ({ low: [Infinity, Infinity, Infinity], high: [-Infinity, -Infinity, -Infinity] }));
  const emissive: Resident["emissive"] = new Map();
  let v = capacity.vertices;
  let t = capacity.triangles;
  meshes.forEach(({ mesh, model, body }, i) => {
    const part = capacity.parts + i;
    const material = materialFirst[model] + mesh.material;
    const of = all[material].material;
    const asks = of.alpha !== "opaque" || of.transmission > 0;
    memory.u32(parts + part * L.PART_BYTES, 2).set([material, asks ? L.PART_ASKS : 0]);
    if (i === 0 || meshes[i - 1].body !== body) ranges[body].first = t;
    const count = putMesh(memory, { positions, normals, uvs, triangles }, mesh, v, t, part, bounds[body]);
    if (of.anisotropy > 0) memory.f32(tangents + v * 12, mesh.positions.length).set(vertexTangents(mesh));
    if (luminances[material] > 0) {
      const numbers = Uint32Array.from({ length: count }, (_, k) => t + k);
      emissive.set(body, [...(emissive.get(body) ?? []), { triangles: numbers, luminance: luminances[material] }]);
    }
    ranges[body].count += count;
    v += mesh.positions.length / 3;
    t += count;
  });
  const soup = { positions, triangles, parts };
  const roots = ranges.map(({ first, count }) => buildTriangleBvh(kernel, memory, soup, first, count).root);

  ggxTable ??= ggxAlbedo();
  const sheen = all.some(({ material }) => material.sheenColor.some((c) => c > 0));
  if (sheen) sheenTable ??= sheenAlbedo();
  const resident: Resident = {
    models,
    plate: scene.plate,
    environment: scene.environment ?? null,
    backdrop: scene.backdrop,
    capacity,
    positions,
    normals,
    tangents,
    uvs,
    triangles,
    parts,
    materials,
    textures,
    bodies,
    roots,
    ranges,
    materialFirst,
    bounds,
    emissive,
    plateAt: scene.plate ? memory.putF32(scene.plate.pixels) : 0,
    backdropAt: scene.backdrop ? memory.putF32(scene.backdrop.pixels) : 0,
    environmentAt: scene.environment ? putEnvironment(memory, scene.environment) : null,
    srgb: memory.putF32(srgbTable(8)),
    albedo: memory.putF32(ggxTable),
    sheen: sheen ? memory.putF32(sheenTable!) : 0,
    end: 0,
  };
  resident.end = memory.mark();
  return resident;
}

function checkTextures(models: Model[]): void {
  const bytes = models.reduce((n, m) => n + m.textures.reduce((k, t) => k + t.texels.length, 0), 0);
  if (bytes <= MAX_TEXTURE_BYTES) return;
  throw new RangeError(
    `The props' textures take ${(bytes / 1024 ** 3).toFixed(1)} GiB; ${MAX_TEXTURE_BYTES / 1024 ** 3} GiB fit. Make them smaller: half the width and height is a quarter of it.`,
  );
}

/** Writes a mesh's vertices from number `v` and its triangles from number `t` on; returns how many triangles. */
function putMesh(
  memory: SceneMemory,
  at: { positions: number; normals: number; uvs: number; triangles: number },
  mesh: Mesh,
  v: number,
  t: number,
  part: number,
  bounds: { low: number[]; high: number[] },
): number {
  const vertices = mesh.positions.length / 3;
  memory.f32(at.positions + v * 12, vertices * 3).set(mesh.positions);
  memory.f32(at.normals + v * 12, vertices * 3).set(mesh.normals);
  const uvs = memory.f32(at.uvs + v * 8, vertices * 2);
  if (mesh.uvs) uvs.set(mesh.uvs);
  else uvs.fill(0);
  const count = mesh.indices.length / 3;
  const rows = memory.u32(at.triangles + t * L.TRIANGLE_BYTES, count * 4);
  for (let i = 0, j = 0; i < mesh.indices.length; i += 3, j += 4) {
    rows[j] = mesh.indices[i] + v;
    rows[j + 1] = mesh.indices[i + 1] + v;
    rows[j + 2] = mesh.indices[i + 2] + v;
    rows[j + 3] = part;
  }
  for (let i = 0; i < mesh.positions.length; i++) {
    const k = i % 3;
    const value = mesh.positions[i];
    if (value < bounds.low[k]) bounds.low[k] = value;
    if (value > bounds.high[k]) bounds.high[k] = value;
  }
  return count;
}

/** A set piece's flags. One that not every ray meets is asked by each. */
function setFlags({ flags, ownColour }: SetPiece): number {
  const met =
    (flags.seen ? L.SET_SEEN : 0) |
    (flags.shadow ? L.SET_SHADOW : 0) |
    (flags.reflection ? L.SET_REFLECTION : 0) |
    (flags.bounce ? L.SET_BOUNCE : 0) |
    (flags.blocks ? L.SET_BLOCKS : 0);
  return (
    L.PART_IS_SET |
    met |
    (met === L.SET_ALL ? 0 : L.PART_ASKS) |
    (flags.catches ? L.PART_IS_CATCHER : 0) |
    (ownColour ? L.PART_OWN_COLOUR : 0)
  );
}

function putSet(memory: SceneMemory, r: Resident, set: SetSoup, pieces: SetPiece[]): void {
  memory.f32(r.positions, set.positions.length).set(set.positions);
  memory.f32(r.normals, set.normals.length).set(set.normals);
  memory.u32(r.triangles, set.triangles.length).set(set.triangles);
  pieces.forEach((piece, i) => {
    const f = memory.f32(r.parts + i * L.PART_BYTES, L.PART_BYTES / 4);
    const u = memory.u32(r.parts + i * L.PART_BYTES, L.PART_BYTES / 4);
    u[L.PART_MATERIAL / 4] = 0;
    u[L.PART_FLAGS / 4] = setFlags(piece);
    f.set(piece.albedo, L.PART_ALBEDO / 4);
    f[L.PART_ROUGHNESS / 4] = piece.roughness;
    f[L.PART_SPECULAR / 4] = piece.specular;
    f[L.PART_GLOW / 4] = piece.glow ?? 0;
    f.set(piece.glowColour ?? [1, 1, 1], L.PART_GLOW_COLOUR / 4);
  });
}

/** Writes the instances of all props; tells their boxes in the world and whether any moves. */
function putInstances(memory: SceneMemory, r: Resident, props: PropPiece[], models: Model[]) {
  const standing = props.flatMap((prop, number) => {
    const model = models.indexOf(prop.model);
    const start = placementMatrix(prop.placement);
    const close = prop.end ? placementMatrix(prop.end) : start;
    return r.bodies.flatMap((body, b) => {
      if (body.model !== model) return [];
      const ends = prop.end ? standingAt(close, body) : null;
      return standingAt(start, body).map((forward, c) => ({
        prop,
        number,
        body: b,
        forward,
        end: ends?.[c] ?? forward,
      }));
    });
  });
  const table = memory.reserve(Math.max(1, standing.length) * L.INSTANCE_BYTES);
  const boxes = new Float32Array(standing.length * 6);
  let moving = false;
  standing.forEach(({ prop, number, body, forward, end }, i) => {
    const at = table + i * L.INSTANCE_BYTES;
    const f = memory.f32(at, L.INSTANCE_BYTES / 4);
    const u = memory.u32(at, L.INSTANCE_BYTES / 4);
    f.set(invertMatrix(forward), L.INSTANCE_INVERSE / 4);
    f.set(forward, L.INSTANCE_FORWARD / 4);
    f.set(end, L.INSTANCE_END / 4);
    u[L.INSTANCE_ROOT / 4] = r.roots[body];
    const seen = prop.visibility;
    const moves = end.some((x, k) => x !== forward[k]);
    moving ||= moves;
    u[L.INSTANCE_FLAGS / 4] =
      (!seen || seen.camera ? L.RAY_CAMERA : 0) |
      (!seen || seen.shadow ? L.RAY_SHADOW : 0) |
      (!seen || seen.reflection ? L.RAY_REFLECTION : 0) |
      (!seen || seen.bounce ? L.RAY_BOUNCE : 0) |
      (moves ? L.INSTANCE_MOVES : 0);
    u[L.INSTANCE_PROP / 4] = number;
    // Between the two ends every point goes straight, so the boxes of both ends hold the whole way.
    const low = [Infinity, Infinity, Infinity];
    const high = [-Infinity, -Infinity, -Infinity];
    const box = r.bounds[body];
    for (const m of moves ? [forward, end] : [forward]) {
      for (let k = 0; k < 3; k++) {
        let [a, b] = [m[k * 4 + 3], m[k * 4 + 3]];
        for (let j = 0; j < 3; j++) {
          const [p, q] = [m[k * 4 + j] * box.low[j], m[k * 4 + j] * box.high[j]];
          a += Math.min(p, q);
          b += Math.max(p, q);
        }
        // Room for rounding: the rays are turned into the model in single precision.
        const slack = 1e-5 + 2e-6 * Math.max(Math.abs(a), Math.abs(b));
        low[k] = Math.min(low[k], a - slack);
        high[k] = Math.max(high[k], b + slack);
      }
    }
    boxes.set([...low, ...high], i * 6);
  });
  return { table, boxes, moving };
}

/** Emitting triangles of all props in the world, with the luminance that they are drawn by. */
function shiningTriangles(memory: SceneMemory, r: Resident, props: PropPiece[], models: Model[]) {
  const shining: { corners: number[]; luminance: number; triangle: number }[] = [];
  for (const prop of props) {
    // A moving lamp cannot be drawn from: paths must find it.
    if (prop.end || prop.visibility?.shadow === false) continue;
    const model = models.indexOf(prop.model);
    const forward = placementMatrix(prop.placement);
    for (const [b, body] of r.bodies.entries()) {
      const groups = body.model === model ? r.emissive.get(b) : undefined;
      if (!groups) continue;
      for (const m of standingAt(forward, body)) {
        const vertex = (i: number) => {
          const [x, y, z] = memory.f32(r.positions + i * 12, 3);
          return [0, 1, 2].map((k) => m[k * 4] * x + m[k * 4 + 1] * y + m[k * 4 + 2] * z + m[k * 4 + 3]);
        };
        for (const { triangles, luminance: level } of groups) {
          for (const triangle of triangles) {
            const [p, q, s] = memory.u32(r.triangles + triangle * L.TRIANGLE_BYTES, 3);
            shining.push({ corners: [...vertex(p), ...vertex(q), ...vertex(s)], luminance: level, triangle });
          }
        }
      }
    }
  }
  return shining;
}

function putTextures(memory: SceneMemory, models: Model[]): number {
  const all = models.flatMap((m) => m.textures.map((texture, i) => ({ texture, srgb: isColour(m, i) })));
  const table = memory.reserve(Math.max(1, all.length) * L.TEXTURE_BYTES);
  const wraps = { repeat: 0, clamp: 1, mirror: 2 };
  all.forEach(({ texture, srgb }, i) => {
    const sizes = levelSizes(texture.width, texture.height);
    const levels = sizes.map(([w, h]) => memory.reserve(w * h * 4));
    memory.u8(levels[0], texture.texels.length).set(texture.texels);
    for (let l = 1; l < sizes.length; l++) {
      const [w, h] = sizes[l - 1];
      const above = memory.u8(levels[l - 1], w * h * 4);
      halve(above, w, h, srgb, memory.u8(levels[l], sizes[l][0] * sizes[l][1] * 4), sizes[l]);
    }
    const row = memory.u32(table + i * L.TEXTURE_BYTES, L.TEXTURE_BYTES / 4);
    row.fill(0);
    const [across, down] = texture.wrap ?? ["repeat", "repeat"];
    row.set([texture.width, texture.height, levels.length, wraps[across] | (wraps[down] << 2), ...levels]);
  });
  return table;
}

const isColour = (model: Model, texture: number): boolean =>
  model.materials.some((m) => m.baseTexture === texture || m.emissiveTexture === texture);

/** Luminance by which a material's triangles are drawn as lamps; 0 for those that hardly shine. */
function meanEmission(material: Material, texture: Texture | undefined): number {
  const level = luminance(...material.emissive);
  if (level <= 0) return 0;
  if (material.emissiveTexture === null || !texture) return level;
  const decode = srgbTable(8);
  let sum = 0;
  const step = Math.max(1, Math.floor(texture.texels.length / 4 / 4096));
  let n = 0;
  for (let i = 0; i < texture.texels.length; i += 4 * step, n++)
    sum += luminance(decode[texture.texels[i]], decode[texture.texels[i + 1]], decode[texture.texels[i + 2]]);
  return (level * sum) / n;
}

function putMaterial(
  memory: SceneMemory,
  at: number,
  m: Material,
  textureFirst: number,
  number: number,
  lamp: number,
): void {
  const f = memory.f32(at, L.MATERIAL_BYTES / 4);
  const u = memory.u32(at, L.MATERIAL_BYTES / 4);
  u.fill(0);
  f.set(m.baseColor, L.MATERIAL_BASE / 4);
  f.set(m.emissive, L.MATERIAL_EMISSIVE / 4);
  f[L.MATERIAL_METALLIC / 4] = m.metallic;
  f[L.MATERIAL_ROUGHNESS / 4] = m.roughness;
  f[L.MATERIAL_NORMAL_SCALE / 4] = m.normalScale;
  u[L.MATERIAL_FLAGS / 4] =
    (m.seesBackdrop ? L.MATERIAL_SEES_BACKDROP : 0) |
    (m.alpha === "mask" ? L.MATERIAL_MASK : 0) |
    (m.alpha === "blend" ? L.MATERIAL_BLEND : 0) |
    (m.transmission > 0 ? L.MATERIAL_TRANSMITS : 0) |
    (m.thin ? L.MATERIAL_THIN : 0);
  f[L.MATERIAL_INDEX / 4] = Math.max(1.0001, m.index);
  f[L.MATERIAL_SPECULAR / 4] = m.specular;
  f.set(m.specularColor, L.MATERIAL_SPECULAR_COLOUR / 4);
  f[L.MATERIAL_TRANSMISSION / 4] = m.transmission;
  f.set(m.absorption, L.MATERIAL_ABSORPTION / 4);
  f[L.MATERIAL_COAT / 4] = m.coat;
  f[L.MATERIAL_COAT_ROUGHNESS / 4] = m.coatRoughness;
  f.set(m.sheenColor, L.MATERIAL_SHEEN / 4);
  f[L.MATERIAL_SHEEN_ROUGHNESS / 4] = m.sheenRoughness;
  f[L.MATERIAL_ANISOTROPY / 4] = m.anisotropy;
  f.set([Math.cos(m.anisotropyTurn), Math.sin(m.anisotropyTurn)], L.MATERIAL_ANISOTROPY_TURN / 4);
  f[L.MATERIAL_CUTOFF / 4] = m.alphaCutoff;
  u[L.MATERIAL_NUMBER / 4] = number;
  f[L.MATERIAL_LAMP / 4] = lamp;
  const slot = (offset: number, index: number | null, matrix: TextureMatrix) => {
    u[offset / 4] = index === null ? 0 : textureFirst + index + 1;
    f.set(matrix, (offset + L.SLOT_MATRIX) / 4);
  };
  slot(L.MATERIAL_BASE_TEXTURE, m.baseTexture, m.baseMatrix);
  slot(L.MATERIAL_SURFACE_TEXTURE, m.surfaceTexture, m.surfaceMatrix);
  slot(L.MATERIAL_NORMAL_TEXTURE, m.normalTexture, m.normalMatrix);
  slot(L.MATERIAL_EMISSIVE_TEXTURE, m.emissiveTexture, m.emissiveMatrix);
}

function putEnvironment(memory: SceneMemory, picture: Picture) {
  const tables = environmentTables(picture);
  const n = picture.width * picture.height;
  const pixels = memory.putF32(picture.pixels);
  const alias = memory.reserve(n * 8);
  const [f, u] = [memory.f32(alias, n * 2), memory.u32(alias, n * 2)];
  for (let i = 0; i < n; i++) {
    f[i * 2] = tables.alias.keep[i];
    u[i * 2 + 1] = tables.alias.other[i];
  }
  return { pixels, alias, weight: memory.putF32(tables.weight) };
}

/** Radiance of a white surface that faces all lights at once: the unit of the limit. */
function whiteLevel(scene: TraceScene, lamps: { power: number }): number {
  const sun = scene.sun ? Math.max(...scene.sun.irradiance) / Math.PI : 0;
  let sky = Math.max(...scene.sky);
  if (scene.environment) {
    const { pixels } = scene.environment;
    let sum = 0;
    for (let i = 0; i < pixels.length; i++) sum += pixels[i];
    sky = sum / pixels.length;
  }
  // Lamps seen from a metre away.
  return sun + sky + lamps.power / Math.PI;
}

export function clearFilm(
  memory: SceneMemory,
  loaded: Pick<LoadedScene, "film" | "width" | "filmRows" | "layout">,
): void {
  memory.f32(loaded.film, loaded.width * loaded.filmRows * loaded.layout.stride).fill(0);
}

/**
 * Clears a film of few rows and puts its first row at row `y0` of the render, so that pictures of any size are rendered
 * band by band in little memory. The kernel's addresses count from the render's own first row and wrap.
 */
export function aimFilm(memory: SceneMemory, loaded: LoadedScene, y0: number): void {
  clearFilm(memory, loaded);
  const address = loaded.film - y0 * loaded.width * loaded.layout.stride * 4;
  memory.u32(loaded.params, L.PARAM_BYTES / 4)[L.PARAM_FILM / 4] = address >>> 0;
}
