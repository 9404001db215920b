import type { Vec2, Vec3 } from "#core/math/vec3";
import { add, multiply, rotationFromVector, scale } from "#core/math/vec3";
import type { Camera } from "#core/optics/camera";
import { projectPoint } from "#core/optics/camera";
import { backSolve, factor } from "#core/math/linear";

/**
 * Cramér-Rao bounds by the book (van Trees 1968): the Fisher information of marks with Gaussian noise, from the
 * projection of world points alone. Every edge has nuisances of its own: where its line lies, and where on it each
 * mark was set; they are eliminated by the Schur complement. Nothing here uses the solver's residuals.
 */

export type Unknown = "rotation" | "focal" | "principal" | "k1" | "position";

export interface WorldEdge {
  axis: Vec3;
  points: Vec3[];
  sigma: number;
}

export interface WorldTie {
  world: Vec3;
  sigma: number;
}

const SIZES: Record<Unknown, number> = { rotation: 3, focal: 1, principal: 2, k1: 1, position: 3 };
const STEPS: Record<Unknown, number> = { rotation: 1e-6, focal: 1e-3, principal: 1e-3, k1: 1e-6, position: 1e-5 };

/** The camera moved by one step of the unknown number `index`. */
function stepped(camera: Camera, unknowns: Unknown[], index: number, sign: number): { camera: Camera; size: number } {
  let at = 0;
  for (const u of unknowns) {
    if (index >= at + SIZES[u]) {
      at += SIZES[u];
      continue;
    }
    const size = STEPS[u];
    const d = sign * size;
    const axis: Vec3 = [0, 0, 0];
    axis[index - at] = d;
    const moved: Camera = { ...camera };
    if (u === "rotation") moved.rotation = multiply(rotationFromVector(axis), camera.rotation);
    if (u === "focal") moved.focalPx = camera.focalPx + d;
    if (u === "principal") moved.principal = [camera.principal[0] + axis[0], camera.principal[1] + axis[1]];
    if (u === "k1") moved.distortion = { ...camera.distortion, k1: camera.distortion.k1 + d };
    if (u === "position") moved.position = add(camera.position, axis);
    return { camera: moved, size };
  }
  throw new RangeError("There is no such unknown.");
}

const pixelOf = (camera: Camera, p: Vec3): Vec2 => projectPoint(camera, p)!;

/** Standard deviations of the unknowns, in their order (rotation 3, focal 1, principal 2, k1 1, position 3). */
export function bounds(
  camera: Camera,
  unknowns: Unknown[],
  edges: WorldEdge[],
  ties: WorldTie[] = [],
  /** Rows of further evidence: slopes by the unknowns over their standard deviation. */
  priors: number[][] = [],
): number[] {
  const n = unknowns.reduce((s, u) => s + SIZES[u], 0);
  const information = new Float64Array(n * n);
  const slope = (p: Vec3, sigma: number): number[][] =>
    Array.from({ length: n }, (_, i) => {
      const up = stepped(camera, unknowns, i, 1);
      const down = stepped(camera, unknowns, i, -1);
      const [a, b] = [pixelOf(up.camera, p), pixelOf(down.camera, p)];
      return [0, 1].map((k) => (a[k] - b[k]) / (2 * up.size * sigma));
    });
  const along = (p: Vec3, d: Vec3, sigma: number): number[] => {
    const h = 1e-5;
    const [a, b] = [pixelOf(camera, add(p, scale(d, h))), pixelOf(camera, add(p, scale(d, -h)))];
    return [0, 1].map((k) => (a[k] - b[k]) / (2 * h * sigma));
  };
  for (const row of priors)
    for (let a = 0; a < n; a++) for (let b = 0; b < n; b++) information[a * n + b] += row[a] * row[b];
  for (const { world, sigma } of ties) {
    const j = slope(world, sigma);
    for (let a = 0; a < n; a++)
      for (let b = 0; b < n; b++) information[a * n + b] += j[a][0] * j[b][0] + j[a][1] * j[b][1];
  }
  for (const { axis, points, sigma } of edges) {
    const m = points.length;
    const q = 2 + m;
    // Offsets of the line: the camera's own right and down, less what runs along the edge.
    const sides = [camera.rotation[0], camera.rotation[1]] as Vec3[];
    const rows = points.map((p, i) => {
      const theta = slope(p, sigma);
      const nuisance = Array.from({ length: q }, () => [0, 0]);
      sides.forEach((side, k) => (nuisance[k] = along(p, side, sigma)));
      nuisance[2 + i] = along(p, axis, sigma);
      return { theta, nuisance };
    });
    const inner = new Float64Array(q * q);
    const cross = new Float64Array(q * n);
    for (const { theta, nuisance } of rows) {
      for (const k of [0, 1]) {
        for (let a = 0; a < q; a++) {
          for (let b = 0; b < q; b++) inner[a * q + b] += nuisance[a][k] * nuisance[b][k];
          for (let b = 0; b < n; b++) cross[a * n + b] += nuisance[a][k] * theta[b][k];
        }
        for (let a = 0; a < n; a++) for (let b = 0; b < n; b++) information[a * n + b] += theta[a][k] * theta[b][k];
      }
    }
    // The line may slide along its own direction: a little stiffness holds what the marks cannot tell apart.
    const size = Math.max(...Array.from({ length: q }, (_, a) => inner[a * q + a]));
    for (let a = 0; a < q; a++) inner[a * q + a] += 1e-9 * size;
    if (!factor(inner, q)) throw new Error("The nuisances of an edge are singular.");
    const column = new Float64Array(q);
    for (let b = 0; b < n; b++) {
      for (let a = 0; a < q; a++) column[a] = cross[a * n + b];
      backSolve(inner, q, column);
      for (let a = 0; a < n; a++) for (let k = 0; k < q; k++) information[a * n + b] -= cross[k * n + a] * column[k];
    }
  }
  const scaleBy = Array.from({ length: n }, (_, i) => 1 / Math.sqrt(information[i * n + i]));
  const l = new Float64Array(n * n);
  for (let a = 0; a < n; a++)
    for (let b = 0; b < n; b++) l[a * n + b] = information[a * n + b] * scaleBy[a] * scaleBy[b];
  if (!factor(l, n)) return new Array<number>(n).fill(Infinity);
  return scaleBy.map((s, i) => {
    const e = new Float64Array(n);
    e[i] = 1;
    backSolve(l, n, e);
    return Math.sqrt(e[i]) * s;
  });
}
