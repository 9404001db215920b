import type { Vec2 } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { readLength } from "./evidence.ts";
import type { RequestLength, SolveRequest } from "./request.ts";
import { solveInside } from "./solve.ts";
import type { Spread } from "./spread.ts";
import { spreadOf } from "./spread.ts";

/** What one known size says of the scale of the whole place. */
export interface ScaleReading {
  id: string;
  /** Metres as given, and as the picture shows it at the solved scale. */
  given: number;
  read: number;
  /** Scale that this size alone asks for, over the one that the others agree on; 1 is agreement. */
  against: number;
  /** Standard deviation of `against`. */
  sigma: number;
  /** It and the others lie more than 2.8 standard deviations apart: one false alarm in two hundred. */
  odd: boolean;
}

/** The camera's height counts as a known size under this id. */
export const HEIGHT_ID = "height";

/** Ids of the reading of a camera against what was given for it, as natural logarithms of the scale. */
function logScales(request: SolveRequest, camera: Camera): Map<string, { given: number; read: number; log: number }> {
  const out = new Map<string, { given: number; read: number; log: number }>();
  for (const length of request.lengths ?? []) {
    const read = readLength(camera, length);
    if (read === null || Math.abs(read) < 1e-9) continue;
    out.set(length.id, { given: length.metres, read: Math.abs(read), log: Math.log(length.metres / Math.abs(read)) });
  }
  if (request.cameraHeight && camera.position[2] > 1e-9) {
    const given = request.cameraHeight.metres;
    out.set(HEIGHT_ID, { given, read: camera.position[2], log: Math.log(given / camera.position[2]) });
  }
  return out;
}

/** Relative standard deviation of a length from its own marks and tolerance, the camera taken as exact. */
function ownSigma(camera: Camera, length: RequestLength): number {
  const sigma = length.sigmaPx ?? 1;
  let sum = ((length.sigmaMetres ?? 0) / length.metres) ** 2;
  const base = readLength(camera, length);
  if (base === null) return Infinity;
  for (const end of ["from", "to"] as const) {
    if (end === "from" && length.fromWorld) continue;
    for (const k of [0, 1]) {
      const nudged = [0.5, -0.5].map((h) => {
        const pixel = [...length[end]] as Vec2;
        pixel[k] += h;
        return readLength(camera, { ...length, [end]: pixel });
      });
      if (nudged[0] === null || nudged[1] === null) return Infinity;
      sum += (((nudged[0] - nudged[1]) * sigma) / base) ** 2;
    }
  }
  return Math.sqrt(sum);
}

/**
 * Weighs the known sizes against each other: each one's scale over the weighted mean of all the others, with its
 * standard deviation from marks, tolerances and the camera's own uncertainty. A size alone is compared with nothing
 * and left out.
 */
export function weighScales(request: SolveRequest, solved: Camera, solvedSpread: Spread): ScaleReading[] {
  const known = (request.lengths?.length ?? 0) + (request.cameraHeight ? 1 : 0);
  if (known < 2) return [];
  // The sizes pull at the camera too, and a wrong one bends it: they are read at the camera that the other marks give.
  const height = { metres: solved.position[2], sigmaMetres: 0 };
  const { inside } = solveInside({ ...request, lengths: [], cameraHeight: height });
  const camera = inside?.state.camera ?? solved;
  const spread = inside ? spreadOf(inside) : solvedSpread;
  const at = logScales(request, camera);
  const ids = [...at.keys()];
  if (ids.length < 2) return [];
  const own = new Map<string, number>();
  for (const length of request.lengths ?? []) if (at.has(length.id)) own.set(length.id, ownSigma(camera, length));
  if (request.cameraHeight) {
    const { metres, sigmaMetres } = request.cameraHeight;
    own.set(HEIGHT_ID, Math.max(1e-6, (sigmaMetres ?? 0) / metres));
  }
  const weight = (id: string) => 1 / Math.max(1e-12, own.get(id)! ** 2);
  const contrast = (logs: Map<string, { log: number }>, id: string): number | null => {
    let [sum, weights] = [0, 0];
    for (const other of ids) {
      if (other === id) continue;
      const o = logs.get(other);
      if (!o) return null;
      sum += weight(other) * o.log;
      weights += weight(other);
    }
    const mine = logs.get(id);
    return mine ? mine.log - sum / weights : null;
  };
  const shown = logScales(request, solved);
  const sides = spread.map((pair) => pair.map((c) => logScales(request, c)));
  return ids.map((id) => {
    const c = contrast(at, id)!;
    let variance = own.get(id)! ** 2 + 1 / ids.filter((o) => o !== id).reduce((s, o) => s + weight(o), 0);
    for (const [a, b] of sides) {
      const [x, y] = [contrast(a, id), contrast(b, id)];
      if (x !== null && y !== null) variance += ((x - y) / 2) ** 2;
    }
    const sigma = Math.sqrt(variance);
    const { given, read } = shown.get(id) ?? at.get(id)!;
    return { id, given, read, against: Math.exp(c), sigma: Math.exp(c) * sigma, odd: Math.abs(c) > 2.8 * sigma };
  });
}

/** The size that disagrees most, or null: of two that disagree neither can be named alone. */
export function oddScale(readings: ScaleReading[]): ScaleReading | null {
  const odd = readings.filter((r) => r.odd);
  if (odd.length === 0) return null;
  return odd.reduce((a, b) =>
    Math.abs(Math.log(b.against)) / b.sigma > Math.abs(Math.log(a.against)) / a.sigma ? b : a,
  );
}
