import type { Vec3 } from "#core/math/vec3";
import { cross, normalize, scale, sub } from "#core/math/vec3";
import { noDistortion } from "#core/optics/distortion";
import type { Camera } from "#core/optics/camera";
import type { Material, Model } from "#core/props/model";
import { plainMaterial } from "#core/props/model";
import { standing } from "#core/props/transform";
import type { PartFilter } from "#core/trace/denoise";
import type { Kernel } from "#core/trace/kernel";
import { kernelFilter } from "#core/trace/kernelDenoise";
import type { PngFilter } from "#core/trace/kernelPng";
import { kernelPng } from "#core/trace/kernelPng";
import type { PackedPixels, Packing } from "#core/trace/sparse";
import { packPixels, packRoom, packedPixels, twinMarks } from "#core/trace/sparse";
import { SceneMemory, scratchAddress } from "#core/trace/memory";
import type { TraceScene } from "#core/trace/scene";
import { compileKernel, newKernelMemory, openKernel } from "#node/kernelFile";
import type { Film } from "#node/bands";
import { renderScene } from "#node/renderScene";
import * as L from "#kernel/layout";

/** Small scenes with a known answer. */

export const SIZE = 16;

/** A narrow camera at `eye` that looks at `target`. */
export function lookAt(eye: Vec3, target: Vec3, focalPx = 4000): Camera {
  const forward = normalize(sub(target, eye));
  const side: Vec3 = Math.abs(forward[2]) > 0.99 ? [1, 0, 0] : normalize(cross(forward, [0, 0, 1]));
  return {
    focalPx,
    principal: [SIZE / 2, SIZE / 2],
    distortion: noDistortion(),
    rotation: [side, cross(forward, side), forward],
    position: eye,
  };
}

/** A parallelogram as a model of its own. */
export function quadModel(origin: Vec3, a: Vec3, b: Vec3, material: Partial<Material>): Model {
  const corners = [origin, add(origin, a), add(add(origin, a), b), add(origin, b)];
  const n = normalize(cross(a, b));
  return {
    meshes: [
      {
        positions: new Float32Array(corners.flat()),
        normals: new Float32Array(Array.from({ length: 4 }, () => n).flat()),
        uvs: null,
        indices: new Uint32Array([0, 1, 2, 0, 2, 3]),
        material: 0,
      },
    ],
    materials: [plainMaterial({ specular: 0, ...material })],
    textures: [],
  };
}

const add = (a: Vec3, b: Vec3): Vec3 => [a[0] + b[0], a[1] + b[1], a[2] + b[2]];

export const emptyScene = (camera: Camera): TraceScene => ({
  camera,
  frame: { width: SIZE, height: SIZE },
  set: [],
  props: [],
  sun: null,
  sky: [0, 0, 0],
  floor: null,
  plate: null,
  mask: null,
  backdrop: null,
  picture: true,
});

export const withModels = (scene: TraceScene, models: Model[]): TraceScene => ({
  ...scene,
  props: models.map((model) => ({ model, placement: standing() })),
});

/** Mean colour of the picture. */
export async function meanRadiance(scene: TraceScene, samples: number, maxDepth = 8): Promise<Vec3> {
  const film = await renderScene(
    scene,
    { width: SIZE, height: SIZE, seed: 5, maxDepth },
    { samples, threads: 2, batch: samples },
  );
  return meanOf(film);
}

/** Mean over all samples of a film. */
export function meanOf({ pixels, layout }: Film): Vec3 {
  const sum: Vec3 = [0, 0, 0];
  let n = 0;
  for (let f = 0; f < pixels.length; f += layout.stride) {
    n += pixels[f + L.FILM_SAMPLES];
    for (let k = 0; k < 3; k++) sum[k] += pixels[f + L.FILM_PROP + k];
  }
  return scale(sum, 1 / n);
}

/** A kernel in memory of its own. */
export async function ownKernel(): Promise<{ kernel: Kernel; memory: SceneMemory }> {
  const memory = newKernelMemory();
  const kernel = await openKernel(await compileKernel(), memory, scratchAddress(0));
  return { kernel, memory: new SceneMemory(memory) };
}

/** The kernel's filter for denoising. */
export async function ownFilter(): Promise<PartFilter> {
  const { kernel, memory } = await ownKernel();
  return kernelFilter(kernel, memory);
}

export async function ownPng(): Promise<PngFilter> {
  const { kernel, memory } = await ownKernel();
  return kernelPng(kernel, memory);
}

/** A film as the tracer's threads pack it. */
export async function packedFilm(film: Float32Array, packing: Packing): Promise<PackedPixels> {
  const { kernel, memory: scene } = await ownKernel();
  const { stride } = packing;
  const pixels = film.length / stride;
  const job = {
    film: scene.putF32(film),
    stride,
    twins: scene.putU32(twinMarks(packing)),
    first: 0,
    last: pixels,
    room: scene.reserve(packRoom(pixels, stride)),
  };
  return packedPixels(scene.buffer, job, packPixels(kernel, job));
}
