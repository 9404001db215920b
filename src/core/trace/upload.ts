import * as L from "../../kernel/layout.ts";
import { srgbTable } from "../colour/srgb.ts";
import type { Mesh } from "../props/model.ts";
import { placeMesh } from "../props/transform.ts";
import type { Kernel } from "./kernel.ts";
import type { SceneMemory } from "./memory.ts";
import { GENERATION_ADDRESS } from "./memory.ts";
import type { Picture, SetPiece, TraceScene } from "./scene.ts";

/** Pixels of the render, which may differ from the plate's by a scale, never in shape. */
export interface RenderSettings {
  width: number;
  height: number;
  seed: number;
  maxDepth: number;
  /** Width of the pixel filter in render pixels: 1 is a box of one pixel. */
  filterWidth: number;
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
  triangles: number;
  setRoot: number;
  propRoot: number;
}

interface Soup {
  positions: number[] | Float32Array;
  normals: Float32Array;
  uvs: Float32Array;
  triangles: Uint32Array;
}

/** Flat normals for a set piece: one per vertex, from the first triangle that uses it. */
function flatNormals(piece: Pick<SetPiece, "positions" | "indices">): Float32Array {
  const { positions: p, indices } = piece;
  const normals = new Float32Array(p.length);
  for (let i = 0; i < indices.length; i += 3) {
    const [a, b, c] = [indices[i] * 3, indices[i + 1] * 3, indices[i + 2] * 3];
    const [ux, uy, uz] = [p[b] - p[a], p[b + 1] - p[a + 1], p[b + 2] - p[a + 2]];
    const [vx, vy, vz] = [p[c] - p[a], p[c + 1] - p[a + 1], p[c + 2] - p[a + 2]];
    const n = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
    const s = 1 / (Math.hypot(n[0], n[1], n[2]) || 1);
    for (const at of [a, b, c]) normals.set([n[0] * s, n[1] * s, n[2] * s], at);
  }
  return normals;
}

function joinMeshes(meshes: { mesh: Mesh; object: number }[]): Soup {
  let vertices = 0;
  let triangles = 0;
  for (const { mesh } of meshes) {
    vertices += mesh.positions.length / 3;
    triangles += mesh.indices.length / 3;
  }
  const soup: Soup = {
    positions: new Float32Array(vertices * 3),
    normals: new Float32Array(vertices * 3),
    uvs: new Float32Array(vertices * 2),
    triangles: new Uint32Array(triangles * 4),
  };
  let v = 0;
  let t = 0;
  for (const { mesh, object } of meshes) {
    (soup.positions as Float32Array).set(mesh.positions, v * 3);
    soup.normals.set(mesh.normals, v * 3);
    if (mesh.uvs) soup.uvs.set(mesh.uvs, v * 2);
    for (let i = 0; i < mesh.indices.length; i += 3, t += 4) {
      soup.triangles[t] = mesh.indices[i] + v;
      soup.triangles[t + 1] = mesh.indices[i + 1] + v;
      soup.triangles[t + 2] = mesh.indices[i + 2] + v;
      soup.triangles[t + 3] = object;
    }
    v += mesh.positions.length / 3;
  }
  return soup;
}

/** Builds a BVH over `count` triangles from number `first` on; returns the root's address, 0 for none. */
export function buildBvhAt(
  kernel: Kernel,
  memory: SceneMemory,
  positions: number,
  triangles: number,
  first: number,
  count: number,
): number {
  if (count === 0) return 0;
  const out = memory.reserve(Math.max(1, count) * L.NODE_BYTES);
  const blocks = memory.reserve(count * L.TRIANGLE_BLOCK_BYTES);
  const end = memory.mark();
  const records = memory.reserve(count * 32);
  const binary = memory.reserve(count * 64 + 64);
  const work = memory.reserve(L.SCRATCH_BYTES * 4);
  kernel.buildBvh(positions, triangles + first * L.TRIANGLE_BYTES, count, records, binary, out, blocks, work);
  memory.release(end);
  return out;
}

const putPicture = (memory: SceneMemory, picture: Picture): number => memory.putF32(picture.pixels);

/**
 * Writes a scene into the kernel's memory and builds its two hierarchies, of the set and of the props. The film is
 * cleared. Throws RangeError if it does not fit.
 */
export function uploadScene(
  kernel: Kernel,
  memory: SceneMemory,
  scene: TraceScene,
  settings: RenderSettings,
): LoadedScene {
  memory.release();
  const params = memory.reserve(L.PARAM_BYTES);
  const filmRows = settings.filmRows ?? settings.height;
  const film = memory.reserve(settings.width * filmRows * L.FILM_FLOATS * 4);

  // Objects: one per set piece, then one per material of each prop.
  const parts: { mesh: Mesh; object: number }[] = [];
  const objects: { material: number; flags: number; piece: SetPiece | null }[] = [];
  const materialOffsets: number[] = [];
  const models = [...new Set(scene.props.map((p) => p.model))];
  const materials = models.flatMap((m, i) => {
    materialOffsets[i] = models.slice(0, i).reduce((n, x) => n + x.materials.length, 0);
    return m.materials.map((material) => ({ material, model: i }));
  });
  const textureOffsets = models.map((_, i) => models.slice(0, i).reduce((n, x) => n + x.textures.length, 0));
  const textures = models.flatMap((m) => m.textures);

  let setTriangles = 0;
  for (const piece of scene.set) {
    const mesh: Mesh = {
      positions: piece.positions,
      normals: flatNormals(piece),
      uvs: null,
      indices: piece.indices,
      material: 0,
    };
    parts.push({ mesh, object: objects.length });
    objects.push({
      material: 0,
      flags: L.OBJECT_IS_SET | (piece.catcher ? L.OBJECT_IS_CATCHER : 0),
      piece,
    });
    setTriangles += piece.indices.length / 3;
  }
  for (const prop of scene.props) {
    const modelIndex = models.indexOf(prop.model);
    for (const mesh of prop.model.meshes) {
      parts.push({ mesh: placeMesh(prop.placement, mesh), object: objects.length });
      objects.push({ material: materialOffsets[modelIndex] + mesh.material, flags: 0, piece: null });
    }
  }
  const soup = joinMeshes(parts);
  const triangleTotal = soup.triangles.length / 4;

  const positions = memory.putF32(soup.positions);
  const normals = memory.putF32(soup.normals);
  const uvs = memory.putF32(soup.uvs);
  const triangles = memory.reserve(soup.triangles.length * 4);
  memory.u32(triangles, soup.triangles.length).set(soup.triangles);

  const textureTable = memory.reserve(Math.max(1, textures.length) * L.TEXTURE_BYTES);
  textures.forEach((texture, i) => {
    const texels = memory.reserve(texture.texels.length);
    memory.u8(texels, texture.texels.length).set(texture.texels);
    memory.u32(textureTable + i * L.TEXTURE_BYTES, 4).set([texels, texture.width, texture.height, 0]);
  });

  const materialTable = memory.reserve(Math.max(1, materials.length) * L.MATERIAL_BYTES);
  materials.forEach(({ material: m, model }, i) => {
    const at = materialTable + i * L.MATERIAL_BYTES;
    const f = memory.f32(at, L.MATERIAL_BYTES / 4);
    const u = memory.u32(at, L.MATERIAL_BYTES / 4);
    f.set(m.baseColor, L.MATERIAL_BASE / 4);
    f.set(m.emissive, L.MATERIAL_EMISSIVE / 4);
    f[L.MATERIAL_METALLIC / 4] = m.metallic;
    f[L.MATERIAL_ROUGHNESS / 4] = m.roughness;
    f[L.MATERIAL_NORMAL_SCALE / 4] = m.normalScale;
    f[L.MATERIAL_F0 / 4] = m.f0;
    u[L.MATERIAL_FLAGS / 4] = m.seesBackdrop ? L.MATERIAL_SEES_BACKDROP : 0;
    const slot = (index: number | null) => (index === null ? 0 : textureOffsets[model] + index + 1);
    u[L.MATERIAL_BASE_TEXTURE / 4] = slot(m.baseTexture);
    u[L.MATERIAL_SURFACE_TEXTURE / 4] = slot(m.surfaceTexture);
    u[L.MATERIAL_NORMAL_TEXTURE / 4] = slot(m.normalTexture);
    u[L.MATERIAL_EMISSIVE_TEXTURE / 4] = slot(m.emissiveTexture);
  });

  const objectTable = memory.reserve(Math.max(1, objects.length) * L.OBJECT_BYTES);
  objects.forEach((object, i) => {
    const at = objectTable + i * L.OBJECT_BYTES;
    const f = memory.f32(at, L.OBJECT_BYTES / 4);
    const u = memory.u32(at, L.OBJECT_BYTES / 4);
    u[L.OBJECT_MATERIAL / 4] = object.material;
    u[L.OBJECT_FLAGS / 4] = object.flags;
    if (object.piece) {
      f.set(object.piece.albedo, L.OBJECT_ALBEDO / 4);
      f[L.OBJECT_ROUGHNESS / 4] = object.piece.roughness;
      f[L.OBJECT_SPECULAR / 4] = object.piece.specular;
    }
  });

  const plate = scene.plate ? putPicture(memory, scene.plate) : 0;
  const mask = scene.mask ? memory.putF32(scene.mask.values) : 0;
  const backdrop = scene.backdrop ? putPicture(memory, scene.backdrop) : 0;
  const srgb = memory.putF32(srgbTable(8));
  const setRoot = buildBvhAt(kernel, memory, positions, triangles, 0, setTriangles);
  const propRoot = buildBvhAt(kernel, memory, positions, triangles, setTriangles, triangleTotal - setTriangles);

  const u = memory.u32(params, L.PARAM_BYTES / 4);
  const f = memory.f32(params, L.PARAM_BYTES / 4);
  u.fill(0);
  const setU = (offset: number, value: number) => (u[offset / 4] = value);
  const setF = (offset: number, ...values: number[]) => f.set(values, offset / 4);
  setU(L.PARAM_SET_ROOT, setRoot);
  setU(L.PARAM_PROP_ROOT, propRoot);
  setU(L.PARAM_SET_BASE, 0);
  setU(L.PARAM_PROP_BASE, setTriangles);
  setU(L.PARAM_POSITIONS, positions);
  setU(L.PARAM_NORMALS, normals);
  setU(L.PARAM_UVS, uvs);
  setU(L.PARAM_TRIANGLES, triangles);
  setU(L.PARAM_OBJECTS, objectTable);
  setU(L.PARAM_MATERIALS, materialTable);
  setU(L.PARAM_TEXTURES, textureTable);
  setU(L.PARAM_SRGB_TABLE, srgb);
  setU(L.PARAM_FILM, film);
  setU(L.PARAM_WIDTH, settings.width);
  setU(L.PARAM_HEIGHT, settings.height);
  setU(L.PARAM_SEED, settings.seed >>> 0);
  setU(L.PARAM_MAX_DEPTH, settings.maxDepth);
  setF(L.PARAM_FILTER, settings.filterWidth);
  setU(L.PARAM_PICTURE, scene.picture ? 1 : 0);
  if (scene.plate) {
    setU(L.PARAM_PLATE, plate);
    setU(L.PARAM_PLATE_WIDTH, scene.plate.width);
    setU(L.PARAM_PLATE_HEIGHT, scene.plate.height);
  }
  if (scene.mask) {
    setU(L.PARAM_MASK, mask);
    setU(L.PARAM_MASK_WIDTH, scene.mask.width);
    setU(L.PARAM_MASK_HEIGHT, scene.mask.height);
  }
  if (scene.backdrop) {
    setU(L.PARAM_BACKDROP, backdrop);
    setU(L.PARAM_BACKDROP_WIDTH, scene.backdrop.width);
    setU(L.PARAM_BACKDROP_HEIGHT, scene.backdrop.height);
  }
  const { camera } = scene;
  setF(L.PARAM_FRAME_WIDTH, scene.frame.width);
  setF(L.PARAM_FRAME_HEIGHT, scene.frame.height);
  setF(L.PARAM_FOCAL, camera.focalPx);
  setF(L.PARAM_PRINCIPAL, ...camera.principal);
  const d = camera.distortion;
  setF(L.PARAM_DISTORTION, d.k1, d.k2, d.k3, d.p1, d.p2);
  setF(L.PARAM_ROTATION, ...camera.rotation.flat());
  setF(L.PARAM_POSITION, ...camera.position);
  setF(L.PARAM_SUN_DIRECTION, ...(scene.sun?.direction ?? [0, 0, 1]));
  setF(L.PARAM_SUN_COS, Math.cos(scene.sun?.angularRadius ?? 0.005));
  setF(L.PARAM_SUN_IRRADIANCE, ...(scene.sun?.irradiance ?? [0, 0, 0]));
  setF(L.PARAM_SKY, ...scene.sky);
  if (scene.floor) {
    setU(L.PARAM_FLOOR_ON, 1);
    setF(L.PARAM_FLOOR_HEIGHT, scene.floor.height);
    setF(L.PARAM_FLOOR_ALBEDO, ...scene.floor.albedo);
  }
  setU(L.PARAM_CANCEL, GENERATION_ADDRESS);
  const generation = new Int32Array(memory.buffer, GENERATION_ADDRESS, 1);
  setU(L.PARAM_GENERATION, Atomics.load(generation, 0));

  clearFilm(memory, { film, width: settings.width, filmRows });
  return {
    params,
    film,
    filmRows,
    width: settings.width,
    height: settings.height,
    triangles: triangleTotal,
    setRoot,
    propRoot,
  };
}

export function clearFilm(memory: SceneMemory, scene: Pick<LoadedScene, "film" | "width" | "filmRows">): void {
  memory.f32(scene.film, scene.width * scene.filmRows * L.FILM_FLOATS).fill(0);
}

/**
 * Clears a film of few rows and puts its first row at row `y0` of the render, so that pictures of any size are rendered
 * band by band in little memory. The kernel's addresses count from the render's own first row and wrap.
 */
export function aimFilm(memory: SceneMemory, loaded: LoadedScene, y0: number): void {
  clearFilm(memory, loaded);
  const address = loaded.film - y0 * loaded.width * L.FILM_FLOATS * 4;
  memory.u32(loaded.params, L.PARAM_BYTES / 4)[L.PARAM_FILM / 4] = address >>> 0;
}

/** Cells of the fill map along the longer side of the frame. */
const FILL_CELLS = 160;

/**
 * Measures the set's irradiance without sun and props over a coarse grid of the plate and gives it to the kernel, so
 * that surfaces showing the plate know which part of their light a prop takes away. Cells that show no set take the
 * nearest value.
 */
export function measureFill(
  kernel: Kernel,
  memory: SceneMemory,
  loaded: LoadedScene,
  frame: { width: number; height: number },
  samples: number,
): void {
  const s = FILL_CELLS / Math.max(frame.width, frame.height);
  const width = Math.max(2, Math.round(frame.width * s));
  const height = Math.max(2, Math.round(frame.height * s));
  const address = memory.reserve(width * height * 12);
  kernel.renderFill(loaded.params, 0, height, width, height, samples, address);
  spreadIntoGaps(memory.f32(address, width * height * 3), width, height);
  const u = memory.u32(loaded.params, L.PARAM_BYTES / 4);
  u[L.PARAM_FILL / 4] = address;
  u[L.PARAM_FILL_WIDTH / 4] = width;
  u[L.PARAM_FILL_HEIGHT / 4] = height;
}

function spreadIntoGaps(cells: Float32Array, width: number, height: number): void {
  let gaps = true;
  for (let round = 0; gaps && round < width + height; round++) {
    gaps = false;
    const before = cells.slice();
    for (let y = 0; y < height; y++) {
      for (let x = 0; x < width; x++) {
        const i = (y * width + x) * 3;
        if (before[i] >= 0) continue;
        let n = 0;
        const sum = [0, 0, 0];
        for (const [dx, dy] of [
          [-1, 0],
          [1, 0],
          [0, -1],
          [0, 1],
        ]) {
          const [nx, ny] = [x + dx, y + dy];
          if (nx < 0 || ny < 0 || nx >= width || ny >= height) continue;
          const j = (ny * width + nx) * 3;
          if (before[j] < 0) continue;
          n++;
          for (let k = 0; k < 3; k++) sum[k] += before[j + k];
        }
        if (n === 0) gaps = true;
        else for (let k = 0; k < 3; k++) cells[i + k] = sum[k] / n;
      }
    }
  }
  for (let i = 0; i < cells.length; i++) if (cells[i] < 0) cells[i] = 0;
}
