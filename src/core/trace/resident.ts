import * as L from "../../kernel/layout.ts";
import { srgbTable } from "../colour/srgb.ts";
import type { Material, Model } from "../props/model.ts";
import { plainMaterial } from "../props/model.ts";
import { ggxAlbedo, sheenAlbedo } from "./albedo.ts";
import { buildTriangleBvh } from "./bvh.ts";
import { environmentTables } from "./environment.ts";
import type { Kernel } from "./kernel.ts";
import type { SceneMemory } from "./memory.ts";
import type { Picture, TraceScene } from "./scene.ts";
import { opennessOf } from "./openness.ts";
import { vertexTangents } from "./tangents.ts";
import type { Body } from "./bodies.ts";
import { bodiesOf, putMesh } from "./bodies.ts";
import type { SetSoup } from "./setSoup.ts";
import { checkTextures, meanEmission, putMaterial, putTextures } from "./materials.ts";
import { namesOfMaterials } from "./sceneLayout.ts";

/** What stays in memory while models, plate and environment are the same. */

export interface Range {
  first: number;
  count: number;
}

/** What stays in memory while models, plate and environment are the same. */
export interface Resident {
  models: Model[];
  plate: Picture | null;
  environment: Picture | null;
  backdrop: Picture | null;
  capacity: { vertices: number; triangles: number; parts: number };
  positions: number;
  normals: number;
  /** 0 where no material has a grain. */
  tangents: number;
  /** 0 where no mesh has colours at its corners. */
  colours: number;
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

const roomFor = (n: number, least: number) => Math.max(least, 2 ** Math.ceil(Math.log2(Math.max(1, n))));

export function buildResident(
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
  const dirty = ({ mesh, model }: (typeof meshes)[number]) =>
    (models[model].materials[mesh.material].wear?.dirt ?? 0) > 0;
  const coloured = meshes.some((each) => each.mesh.colours || dirty(each));
  const colours = coloured ? memory.reserve(vertices * 4) : 0;
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
    if (coloured) {
      const at = memory.u8(colours + v * 4, (mesh.positions.length / 3) * 4);
      if (mesh.colours) at.set(mesh.colours);
      else at.fill(255);
      if (dirty({ mesh, model, body })) opennessOf(models[model], mesh).forEach((open, i) => (at[i * 4 + 3] = open));
    }
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
    colours,
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
