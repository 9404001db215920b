import { compositeLinear } from "#core/comp/composite";
import type { Vec2, Vec3 } from "#core/math/vec3";
import { projectPoint } from "#core/optics/camera";
import type { Camera } from "#core/optics/camera";
import { placePoint } from "#core/props/transform";
import { denoiseFilm } from "#core/trace/denoise";
import { developFilm, unitWeights } from "#core/trace/film";
import { SOFT } from "#core/trace/filter";
import type { PropPiece, TraceScene } from "#core/trace/scene";
import type { Region } from "#core/trace/tiles";
import { renderScene } from "#node/renderScene";
import { ownFilter } from "./render.ts";
import { CASES, prepare, truthOf } from "../demo/insertions.ts";
import type { InsertionFigures } from "./insertion.ts";
import { insertionFigures } from "./insertion.ts";

export interface Insertion {
  figures: InsertionFigures;
  width: number;
  height: number;
  region: Region;
  without: Float32Array;
  truth: Float32Array;
  composite: Float32Array;
}

/**
 * Inserts a case's props into the clean plate, with parts of its scene replaced, and compares with the picture in which
 * they stood there.
 */
export async function insert(
  name: string,
  samples: number,
  denoise = true,
  instead: Partial<TraceScene> = {},
): Promise<Insertion> {
  const c = CASES[name];
  const { scene: own, without } = await prepare(c);
  const scene = { ...own, ...instead };
  const { props } = scene;
  const { width, height } = without;
  const truth = await truthOf(c, without);
  const sums = { half: true, features: true, extras: false, mattes: false, propLights: false };
  const film = await renderScene(
    scene,
    { width, height, seed: 3, maxDepth: 8, filter: SOFT, limit: 20, sums },
    { samples, region: c.region },
  );
  // Only the region's pixels are developed: the rest has no samples.
  const part = cut(film.pixels, film.layout.stride, width, c.region);
  const [w, h] = [c.region.x1 - c.region.x0, c.region.y1 - c.region.y0];
  const passes = denoise
    ? denoiseFilm(part, w, h, film.layout, unitWeights(), await ownFilter())
    : developFilm(part, w, h, film.layout);
  const under = { width: w, height: h, linear: cut(without.pixels, 3, width, c.region) };
  const composite = without.pixels.slice();
  paste(compositeLinear(under, passes), composite, 3, width, c.region);
  const alpha = new Float32Array(width * height);
  paste(
    Float32Array.from({ length: w * h }, (_, i) => passes.prop[i * 4 + 3]),
    alpha,
    1,
    width,
    c.region,
  );
  const figures = insertionFigures({
    width,
    height,
    without: without.pixels,
    truth,
    composite,
    alpha,
    contacts: contactsOf(props, scene.camera),
    region: c.region,
  });
  return { figures, width, height, region: c.region, without: without.pixels, truth, composite };
}

/** A region of a picture of so many floats a pixel. */
function cut(pixels: Float32Array, floats: number, width: number, { x0, y0, x1, y1 }: Region): Float32Array {
  const row = (x1 - x0) * floats;
  const part = new Float32Array((y1 - y0) * row);
  for (let y = y0; y < y1; y++) {
    const from = (y * width + x0) * floats;
    part.set(pixels.subarray(from, from + row), (y - y0) * row);
  }
  return part;
}

/** Puts such a part back where it was cut. */
function paste(
  part: Float32Array,
  into: Float32Array,
  floats: number,
  width: number,
  { x0, y0, x1, y1 }: Region,
): void {
  const row = (x1 - x0) * floats;
  for (let y = y0; y < y1; y++) into.set(part.subarray((y - y0) * row, (y - y0 + 1) * row), (y * width + x0) * floats);
}

/** Pixels of the props' vertices within a centimetre of their lowest: where they touch what they stand on. */
export function contactsOf(props: PropPiece[], camera: Camera): Vec2[] {
  const pixels = new Map<string, Vec2>();
  for (const { model, placement } of props) {
    const points = model.meshes.flatMap((mesh) =>
      Array.from({ length: mesh.positions.length / 3 }, (_, i) =>
        placePoint(placement, [...mesh.positions.subarray(i * 3, i * 3 + 3)] as unknown as Vec3),
      ),
    );
    const low = Math.min(...points.map((p) => p[2]));
    for (const point of points) {
      if (point[2] > low + 0.01) continue;
      const pixel = projectPoint(camera, point);
      if (pixel) pixels.set(pixel.map((v) => Math.round(v / 3)).join(), pixel);
    }
  }
  return [...pixels.values()];
}
