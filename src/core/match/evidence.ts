import type { Vec2, Vec3 } from "../math/vec3.ts";
import { apply, cross, dot, normalize, scale, sub } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { groundPlane, pixelOnLine, pixelOnPlane, projectPoint, toCamera } from "../optics/camera.ts";
import type { Distortion } from "../optics/distortion.ts";
import { isDistorted, undistortWithSlope } from "../optics/distortion.ts";
import { eigenSymmetric3 } from "../math/linear.ts";
import type { RequestEdge, RequestLength } from "./request.ts";
import type { State } from "./unknowns.ts";

/**
 * One piece of evidence: residuals in standard deviations of its own noise, and nuisance unknowns of its own (an edge's
 * line, a length's true ends) that are eliminated when the camera's unknowns are solved.
 */
export interface Evidence {
  id: string | null;
  size: number;
  nuisances: number;
  /** Standard deviation that the residuals were divided by, pixels; missing where they are not of pixels alone. */
  readonly pixelSigma?: number;
  /** Puts the nuisances that have a closed form at their best for `state`. */
  settle(state: State): void;
  /** Writes `size` residuals for nuisances moved by `step` from where they are. */
  residuals(state: State, step: ArrayLike<number>, out: Float64Array): void;
  /** Moves the nuisances for good; `save` and `restore` undo a step that did not help. */
  move(step: ArrayLike<number>): void;
  save(): void;
  restore(): void;
}

const none = (): void => undefined;
const still = { settle: none, move: none, save: none, restore: none };

const AXES: Record<string, Vec3> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };

/** Ending of a level family's name that stands at right angles to its namesake. */
const SQUARE = "+90";

/** The family that an axis belongs to: a level one at right angles to another has no heading of its own. */
export const familyName = (axis: string): string =>
  axis.startsWith("level:") && axis.endsWith(SQUARE) ? axis.slice(0, -SQUARE.length) : axis;

/** World direction of an axis or family name. */
export function axisDirection(state: Pick<State, "families">, axis: string): Vec3 {
  const name = familyName(axis);
  const d = state.families.get(name) ?? AXES[name];
  return name === axis ? d : [-d[1], d[0], d[2]];
}

/** Ray (x, y, 1) through a pixel, and the derivative of (x, y) by the pixel: six numbers from `at` on. */
function rayAndSlope(camera: Camera, pixel: Vec2, out: Float64Array, at = 0): void {
  const s = 1 / camera.focalPx;
  const u = (pixel[0] - camera.principal[0]) * s;
  const v = (pixel[1] - camera.principal[1]) * s;
  if (isDistorted(camera.distortion)) {
    undistortWithSlope(camera.distortion, u, v, out, at);
    for (let i = 2; i < 6; i++) out[at + i] *= s;
    return;
  }
  out[at] = u;
  out[at + 1] = v;
  out[at + 2] = s;
  out[at + 3] = 0;
  out[at + 4] = 0;
  out[at + 5] = s;
}

/** Rays of an edge's marks, kept while the lens stays the same: turning and moving the camera leaves them alone. */
class RayCache {
  private lenses: Camera[] = [];
  private rays: Float64Array[] = [];
  private next = 0;

  constructor(private readonly points: Vec2[]) {}

  of(camera: Camera): Float64Array {
    for (let i = 0; i < this.lenses.length; i++) {
      const known = this.lenses[i];
      if (
        known.focalPx === camera.focalPx &&
        known.principal[0] === camera.principal[0] &&
        known.principal[1] === camera.principal[1] &&
        (known.distortion === camera.distortion || sameDistortion(known.distortion, camera.distortion))
      ) {
        return this.rays[i];
      }
    }
    const slot = this.next;
    this.next = (slot + 1) % CACHED_LENSES;
    const rays = this.rays[slot] ?? new Float64Array(this.points.length * 6);
    this.points.forEach((point, i) => rayAndSlope(camera, point, rays, i * 6));
    this.lenses[slot] = camera;
    this.rays[slot] = rays;
    return rays;
  }
}

const CACHED_LENSES = 4;
const sameDistortion = (a: Distortion, b: Distortion) =>
  a.k1 === b.k1 && a.k2 === b.k2 && a.k3 === b.k3 && a.p1 === b.p1 && a.p2 === b.p2;

/** Distance in pixels of a ray from the picture of the plane through the camera with normal `n`, to first order. */
function planeDistance(nx: number, ny: number, nz: number, ray: Float64Array, at = 0): number {
  const gx = nx * ray[at + 2] + ny * ray[at + 4];
  const gy = nx * ray[at + 3] + ny * ray[at + 5];
  return (nx * ray[at] + ny * ray[at + 1] + nz) / Math.max(1e-30, Math.sqrt(gx * gx + gy * gy));
}

/** Unit normal across `d` that is nearest to `near`. */
function acrossNear(d: Vec3, near: Vec3): Vec3 {
  const n = sub(near, scale(d, dot(near, d)));
  const l = Math.sqrt(dot(n, n));
  if (l > 1e-9) return scale(n, 1 / l);
  return normalize(cross(d, Math.abs(d[0]) < 0.7 ? [1, 0, 0] : [0, 1, 0]));
}

/** An edge along an axis: its points lie on one line through the axis's vanishing point. */
export class EdgeEvidence implements Evidence {
  readonly id: string;
  readonly size: number;
  readonly nuisances: number;
  readonly points: Vec2[];
  readonly sigma: number;
  /** Camera-frame normal of the plane through the camera and the edge. */
  private normal: Vec3 = [1, 0, 0];
  private readonly rays: RayCache;

  constructor(
    readonly edge: RequestEdge,
    /** Runs through the world's origin: no line of its own. */
    readonly onAxis: boolean,
  ) {
    this.id = edge.id;
    this.points = edge.points as Vec2[];
    this.rays = new RayCache(this.points);
    this.size = this.points.length;
    this.nuisances = onAxis ? 0 : 1;
    this.sigma = edge.sigmaPx ?? 1;
  }

  private direction(state: State): Vec3 {
    return apply(state.camera.rotation, axisDirection(state, this.edge.axis));
  }

  private axisNormal(state: State, d: Vec3): Vec3 {
    const { camera } = state;
    const toOrigin = scale(apply(camera.rotation, camera.position), -1);
    return normalize(cross(d, toOrigin));
  }

  settle(state: State): void {
    const d = this.direction(state);
    if (this.onAxis) {
      this.normal = this.axisNormal(state, d);
      return;
    }
    let n0 = acrossNear(d, this.normal);
    const rays = this.rays.of(state.camera);
    for (let round = 0; round < 3; round++) {
      const n1 = cross(d, n0);
      let aa = 0;
      let ab = 0;
      let bb = 0;
      for (let i = 0; i < rays.length; i += 6) {
        const gx = n0[0] * rays[i + 2] + n0[1] * rays[i + 4];
        const gy = n0[0] * rays[i + 3] + n0[1] * rays[i + 5];
        const g = 1 / Math.max(1e-30, Math.sqrt(gx * gx + gy * gy));
        const a = (n0[0] * rays[i] + n0[1] * rays[i + 1] + n0[2]) * g;
        const b = (n1[0] * rays[i] + n1[1] * rays[i + 1] + n1[2]) * g;
        aa += a * a;
        ab += a * b;
        bb += b * b;
      }
      const q = 0.5 * Math.atan2(-ab, (bb - aa) / 2);
      const [c, s] = [Math.cos(q), Math.sin(q)];
      n0 = [n0[0] * c + n1[0] * s, n0[1] * c + n1[1] * s, n0[2] * c + n1[2] * s];
      if (Math.abs(q) < 1e-9) break;
    }
    this.normal = n0;
  }

  /** Feet of the points on the line as it was settled last, pixels. */
  feet(camera: Camera): Vec2[] {
    const rays = this.rays.of(camera);
    const [nx, ny, nz] = this.normal;
    return this.points.map(([u, v], i) => {
      const at = i * 6;
      const gx = nx * rays[at + 2] + ny * rays[at + 4];
      const gy = nx * rays[at + 3] + ny * rays[at + 5];
      const g = gx * gx + gy * gy || 1;
      const off = (nx * rays[at] + ny * rays[at + 1] + nz) / g;
      return [u - off * gx, v - off * gy];
    });
  }

  residuals(state: State, step: ArrayLike<number>, out: Float64Array): void {
    const d = this.direction(state);
    let n: Vec3;
    if (this.onAxis) n = this.axisNormal(state, d);
    else {
      const n0 = acrossNear(d, this.normal);
      const n1 = cross(d, n0);
      const [c, s] = [Math.cos(step[0]), Math.sin(step[0])];
      n = [n0[0] * c + n1[0] * s, n0[1] * c + n1[1] * s, n0[2] * c + n1[2] * s];
    }
    const rays = this.rays.of(state.camera);
    for (let i = 0; i < this.size; i++) out[i] = planeDistance(n[0], n[1], n[2], rays, i * 6) / this.sigma;
  }

  move(): void {}
  save(): void {}
  restore(): void {}
}

/**
 * A mark that is only straight: its points lie on one line, which may run anywhere. Says nothing of directions, and of
 * the lens all that its bend tells. Nuisances: the line (2).
 */
export class LineEvidence implements Evidence {
  readonly id: string;
  readonly size: number;
  readonly nuisances = 2;
  readonly sigma: number;
  private normal: Vec3 | null = null;
  private saved: Vec3 | null = null;
  private readonly rays: RayCache;

  constructor(readonly edge: RequestEdge) {
    const points = edge.points as Vec2[];
    this.id = edge.id;
    this.size = points.length;
    this.sigma = edge.sigmaPx ?? 1;
    this.rays = new RayCache(points);
  }

  /** The best plane through the camera and the points: least eigenvector of their scatter, distances in pixels. */
  settle(state: State): void {
    const rays = this.rays.of(state.camera);
    const last = rays.length - 6;
    let n = normalize(cross([rays[0], rays[1], 1], [rays[last], rays[last + 1], 1]));
    for (let round = 0; round < 3; round++) {
      const m = [
        [0, 0, 0],
        [0, 0, 0],
        [0, 0, 0],
      ];
      for (let i = 0; i < rays.length; i += 6) {
        const gx = n[0] * rays[i + 2] + n[1] * rays[i + 4];
        const gy = n[0] * rays[i + 3] + n[1] * rays[i + 5];
        const w = 1 / Math.max(1e-30, gx * gx + gy * gy);
        const r = [rays[i], rays[i + 1], 1];
        for (let a = 0; a < 3; a++) for (let b = 0; b < 3; b++) m[a][b] += w * r[a] * r[b];
      }
      const best = eigenSymmetric3(m).vectors[0];
      n = dot(best, n) < 0 ? scale(best, -1) : best;
    }
    this.normal = n;
  }

  residuals(state: State, step: ArrayLike<number>, out: Float64Array): void {
    if (!this.normal) this.settle(state);
    const n0 = this.normal!;
    const e1 = normalize(cross(n0, Math.abs(n0[0]) < 0.7 ? [1, 0, 0] : [0, 1, 0]));
    const e2 = cross(n0, e1);
    const n = normalize([
      n0[0] + step[0] * e1[0] + step[1] * e2[0],
      n0[1] + step[0] * e1[1] + step[1] * e2[1],
      n0[2] + step[0] * e1[2] + step[1] * e2[2],
    ]);
    const rays = this.rays.of(state.camera);
    for (let i = 0; i < this.size; i++) out[i] = planeDistance(n[0], n[1], n[2], rays, i * 6) / this.sigma;
  }

  move(): void {}
  save(): void {
    this.saved = this.normal;
  }
  restore(): void {
    this.normal = this.saved;
  }
}

/** A pixel that shows a point on the horizon. */
export function horizonEvidence(pixel: Vec2, sigma: number): Evidence {
  const ray = new Float64Array(6);
  return {
    id: null,
    size: 1,
    nuisances: 0,
    ...still,
    residuals(state, _step, out) {
      rayAndSlope(state.camera, pixel, ray);
      const up = apply(state.camera.rotation, [0, 0, 1]);
      out[0] = planeDistance(up[0], up[1], up[2], ray) / sigma;
    },
  };
}

/** A pixel whose world point is known. */
export function tieEvidence(id: string, pixel: Vec2, world: Vec3, sigma: number): Evidence {
  return {
    id,
    size: 2,
    nuisances: 0,
    pixelSigma: sigma,
    ...still,
    residuals(state, _step, out) {
      writeOffset(state.camera, world, pixel, sigma, out, 0);
    },
  };
}

/** Residuals of a world point against a pixel; a point behind the camera counts as far off. */
function writeOffset(camera: Camera, world: Vec3, pixel: Vec2, sigma: number, out: Float64Array, at: number): void {
  const p = projectPoint(camera, world);
  if (p) {
    out[at] = (p[0] - pixel[0]) / sigma;
    out[at + 1] = (p[1] - pixel[1]) / sigma;
    return;
  }
  const z = toCamera(camera, world)[2];
  out[at] = out[at + 1] = (camera.focalPx * (10 - z)) / sigma;
}

/** A known value of something computed from the state, with its own standard deviation. */
export function valueEvidence(read: (state: State) => number, value: number, sigma: number): Evidence {
  return {
    id: null,
    size: 1,
    nuisances: 0,
    ...still,
    residuals(state, _step, out) {
      out[0] = (read(state) - value) / sigma;
    },
  };
}

/**
 * A known length. Nuisances: the true start on the ground (2; none when its world point is given), the heading of a
 * length that runs along no axis (1; on the ground), and the true length when it has a tolerance (1).
 */
export class LengthEvidence implements Evidence {
  readonly id: string;
  readonly size: number;
  readonly nuisances: number;
  private start: Vec3 = [0, 0, 0];
  private heading = 0;
  private metres: number;
  private sign = 1;
  private ready = false;
  private saved: [Vec3, number, number, number] = [[0, 0, 0], 0, 0, 1];
  private readonly sigma: number;
  private readonly sigmaMetres: number;

  constructor(readonly length: RequestLength) {
    this.id = length.id;
    this.metres = length.metres;
    this.sigma = length.sigmaPx ?? 1;
    this.sigmaMetres = length.sigmaMetres ?? 0;
    const startFree = !length.fromWorld;
    this.size = 4 + (this.sigmaMetres > 0 ? 1 : 0);
    this.nuisances = (startFree ? 2 : 0) + (length.along ? 0 : 1) + (this.sigmaMetres > 0 ? 1 : 0);
  }

  /** What the marks say the length is at this camera, metres, signed along its axis; null where it cannot be read. */
  measure(camera: Camera): number | null {
    const from =
      (this.length.fromWorld as Vec3 | null) ?? pixelOnPlane(camera, this.length.from as Vec2, groundPlane());
    if (!from) return null;
    if (this.length.along) return pixelOnLine(camera, this.length.to as Vec2, from, AXES[this.length.along]);
    const to = pixelOnPlane(camera, this.length.to as Vec2, groundPlane(from[2]));
    return to ? Math.hypot(to[0] - from[0], to[1] - from[1], to[2] - from[2]) : null;
  }

  /** Starts the nuisances afresh at this camera. */
  restart(camera: Camera): void {
    const { from, to, fromWorld, along } = this.length;
    this.start = (fromWorld as Vec3 | null) ?? pixelOnPlane(camera, from as Vec2, groundPlane()) ?? [0, 0, 0];
    this.metres = this.length.metres;
    const m = this.measure(camera);
    this.sign = m !== null && m < 0 ? -1 : 1;
    if (!along) {
      const end = pixelOnPlane(camera, to as Vec2, groundPlane(this.start[2]));
      if (end) this.heading = Math.atan2(end[1] - this.start[1], end[0] - this.start[0]);
    }
    this.ready = true;
  }

  settle(state: State): void {
    if (!this.ready) this.restart(state.camera);
  }

  residuals(state: State, step: ArrayLike<number>, out: Float64Array): void {
    let i = 0;
    let start = this.start;
    if (!this.length.fromWorld) start = [start[0] + step[i++], start[1] + step[i++], start[2]];
    let direction: Vec3;
    if (this.length.along) direction = scale(AXES[this.length.along], this.sign);
    else {
      const heading = this.heading + step[i++];
      direction = [Math.cos(heading), Math.sin(heading), 0];
    }
    let metres = this.metres;
    if (this.sigmaMetres > 0) {
      metres += step[i];
      out[4] = (metres - this.length.metres) / this.sigmaMetres;
    }
    writeOffset(state.camera, start, this.length.from as Vec2, this.sigma, out, 0);
    const end: Vec3 = [
      start[0] + direction[0] * metres,
      start[1] + direction[1] * metres,
      start[2] + direction[2] * metres,
    ];
    writeOffset(state.camera, end, this.length.to as Vec2, this.sigma, out, 2);
  }

  move(step: ArrayLike<number>): void {
    let i = 0;
    if (!this.length.fromWorld) {
      this.start = [this.start[0] + step[i], this.start[1] + step[i + 1], this.start[2]];
      i += 2;
    }
    if (!this.length.along) this.heading += step[i++];
    if (this.sigmaMetres > 0) this.metres += step[i];
  }
  save(): void {
    this.saved = [this.start, this.heading, this.metres, this.sign];
  }
  restore(): void {
    [this.start, this.heading, this.metres, this.sign] = this.saved;
  }
}

/**
 * A known length between two points of a surface other than the ground: a level one at a height, or a wall that stands
 * on a line of two ground pixels. Nuisances: the true pixels of both ends (4).
 */
export class SurfaceLengthEvidence implements Evidence {
  readonly id: string;
  readonly size = 5;
  readonly nuisances = 4;
  private ends: [number, number, number, number];
  private saved: [number, number, number, number];
  private readonly sigma: number;
  private readonly sigmaMetres: number;

  constructor(readonly length: RequestLength) {
    this.id = length.id;
    this.ends = [...(length.from as Vec2), ...(length.to as Vec2)];
    this.saved = this.ends;
    this.sigma = length.sigmaPx ?? 1;
    // A length without a tolerance is exact; the floor only keeps the sums finite.
    this.sigmaMetres = Math.max(length.sigmaMetres ?? 0, length.metres * 1e-5);
  }

  /** What the marks say the length is at this camera, metres; null where an end does not meet the surface. */
  measure(camera: Camera): number | null {
    return surfaceDistance(camera, this.length, this.length.from as Vec2, this.length.to as Vec2);
  }

  settle(): void {}

  residuals(state: State, step: ArrayLike<number>, out: Float64Array): void {
    const [a, b, c, d] = this.ends;
    const from: Vec2 = [a + step[0], b + step[1]];
    const to: Vec2 = [c + step[2], d + step[3]];
    const { from: f, to: t, metres } = this.length;
    out[0] = (from[0] - f[0]) / this.sigma;
    out[1] = (from[1] - f[1]) / this.sigma;
    out[2] = (to[0] - t[0]) / this.sigma;
    out[3] = (to[1] - t[1]) / this.sigma;
    const read = surfaceDistance(state.camera, this.length, from, to);
    out[4] = ((read ?? 10 * metres) - metres) / this.sigmaMetres;
  }

  move(step: ArrayLike<number>): void {
    const [a, b, c, d] = this.ends;
    this.ends = [a + step[0], b + step[1], c + step[2], d + step[3]];
  }
  save(): void {
    this.saved = this.ends;
  }
  restore(): void {
    this.ends = this.saved;
  }
}

/** Distance of two pixels on the surface that a length names, metres; null where one of them does not meet it. */
function surfaceDistance(camera: Camera, length: RequestLength, from: Vec2, to: Vec2): number | null {
  const { on } = length;
  let plane = groundPlane();
  if (on && "height" in on) plane = groundPlane(on.height);
  else if (on) {
    const feet = on.wall.map((p) => pixelOnPlane(camera, p as Vec2, groundPlane()));
    if (!feet[0] || !feet[1]) return null;
    const along = sub(feet[1], feet[0]);
    const normal = normalize([along[1], -along[0], 0]);
    plane = { normal, offset: dot(normal, feet[0]) };
  }
  const a = pixelOnPlane(camera, from, plane);
  const b = pixelOnPlane(camera, to, plane);
  return a && b ? Math.hypot(a[0] - b[0], a[1] - b[1], a[2] - b[2]) : null;
}

/** What a known length's marks say it is at a camera, metres, signed along its axis; null where it cannot be read. */
export const readLength = (camera: Camera, length: RequestLength): number | null =>
  length.on ? new SurfaceLengthEvidence(length).measure(camera) : new LengthEvidence(length).measure(camera);

/** Where an edge's points would lie if it ran exactly along a world direction: their feet on the best such line. */
export function edgeFeet(camera: Camera, direction: Vec3, points: Vec2[]): Vec2[] {
  const state: State = { camera, families: new Map([["free:tried", direction]]) };
  const e = new EdgeEvidence({ id: "", axis: "free:tried", points, sigmaPx: 1 }, false);
  e.settle(state);
  return e.feet(camera);
}

/**
 * Root mean square distance, in pixels, of an edge's points from the best line through the vanishing point of a world
 * direction: what an edge would miss by if it ran along it.
 */
export function edgeMisfit(camera: Camera, direction: Vec3, points: Vec2[]): number {
  const state: State = { camera, families: new Map([["free:tried", direction]]) };
  const e = new EdgeEvidence({ id: "", axis: "free:tried", points, sigmaPx: 1 }, false);
  const out = new Float64Array(points.length);
  e.settle(state);
  e.residuals(state, [0], out);
  return Math.sqrt(out.reduce((s, r) => s + r * r, 0) / points.length);
}
