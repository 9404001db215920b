import type { Mat3, Vec3 } from "../math/vec3.ts";
import { add, distance, dot, scale, sub } from "../math/vec3.ts";
import type { Face } from "./face.ts";
import { faceArea, faceNormal, planeAxes, volume } from "./face.ts";
import { facesOf } from "./faces.ts";
import type { Part, SetRecord } from "./parts/index.ts";
import { kindOf } from "./parts/index.ts";
import { LEVEL } from "./parts/kind.ts";
import type { Row } from "./parts/row.ts";
import { rowWays } from "./parts/row.ts";

/** What parts of the set measure, and how far apart things stand. */

/** What a part measures over all. */
export interface PartMeasures {
  /** Along the part's own sides: the one nearest to X, the one across it, and upwards. */
  extent: Vec3;
  /** Those three directions. */
  axes: Mat3;
  /** Of all its faces, and of those that lie level, square metres. */
  area: number;
  /** Cubic metres; null where its faces do not close. */
  volume: number | null;
}

/** True if every side of every face is a side of another one as well. */
function closes(faces: ReturnType<typeof facesOf>): boolean {
  const key = (p: Vec3) => p.map((x) => Math.round(x * 1e5)).join();
  const open = new Set<string>();
  for (const face of faces)
    for (const ring of face.rings)
      ring.forEach((a, i) => {
        const [p, q] = [key(a), key(ring[(i + 1) % ring.length])];
        const side = p < q ? `${p} ${q}` : `${q} ${p}`;
        if (open.has(side)) open.delete(side);
        else open.add(side);
      });
  return open.size === 0;
}

/** Below this share of the sides' squared lengths no direction stands out: a round post, a regular outline. */
const LEAST_SQUARE = 0.02;

/**
 * The directions in which a part is measured: up along `up`, the others along most of its sides that lie across it (mean
 * of four times their angle, weighed by squared length, so that a side and its neighbour at right angles agree).
 */
function sizeAxes(faces: readonly Face[], up: Vec3): Mat3 {
  const [u, w] = planeAxes(up);
  const sum = [0, 0, 0];
  for (const { rings } of faces)
    for (const ring of rings)
      ring.forEach((a, i) => {
        const side = sub(ring[(i + 1) % ring.length], a);
        const [x, y] = [dot(side, u), dot(side, w)];
        const square = x * x + y * y;
        // What climbs along `up` says nothing of the directions across it.
        if (square < 0.75 * dot(side, side)) return;
        const angle = 4 * Math.atan2(y, x);
        sum[0] += square * Math.cos(angle);
        sum[1] += square * Math.sin(angle);
        sum[2] += square;
      });
  const clear = Math.hypot(sum[0], sum[1]) > LEAST_SQUARE * sum[2];
  // Within 45° of the plane's own first axis.
  const angle = clear ? Math.atan2(sum[1], sum[0]) / 4 : 0;
  const [c, s] = Math.abs(angle) < 1e-9 ? [1, 0] : [Math.cos(angle), Math.sin(angle)];
  return [add(scale(u, c), scale(w, s)), add(scale(w, c), scale(u, -s)), up];
}

/** True if a part is measured along the axes of the world. */
export const alongWorld = ({ axes }: Pick<PartMeasures, "axes">): boolean =>
  axes[2][2] > 0.99999 && Math.abs(axes[0][0]) > 0.99999;

/** Sizes along a part's own sides, and those directions. */
export function extentOf(set: SetRecord, part: Part): Pick<PartMeasures, "extent" | "axes"> {
  const faces = facesOf(set, part.id);
  const axes = sizeAxes(faces, kindOf(part).up?.(part) ?? LEVEL);
  const low = [Infinity, Infinity, Infinity];
  const high = [-Infinity, -Infinity, -Infinity];
  for (const { rings } of faces)
    for (const ring of rings)
      for (const p of ring)
        for (let k = 0; k < 3; k++) {
          const at = dot(p, axes[k]);
          low[k] = Math.min(low[k], at);
          high[k] = Math.max(high[k], at);
        }
  return { extent: low.map((least, k) => (faces.length > 0 ? high[k] - least : 0)) as Vec3, axes };
}

export function measurePart(set: SetRecord, part: Part): PartMeasures {
  const faces = facesOf(set, part.id);
  return {
    ...extentOf(set, part),
    area: faces.reduce((sum, face) => sum + faceArea(face), 0),
    volume: faces.length > 3 && closes(faces) ? Math.abs(volume(faces)) : null,
  };
}

/** How many things there are, their mean step from one to the next, and the least distance between any two, metres. */
export interface Spacing {
  count: number;
  mean: number;
  least: number;
}

/** Spacing of things in the order in which they stand; null of fewer than two. */
export function spacingOf(places: readonly Vec3[]): Spacing | null {
  if (places.length < 2) return null;
  const steps = places.slice(1).map((p, i) => distance(p, places[i]));
  let least = Infinity;
  places.forEach((p, i) => {
    for (const q of places.slice(i + 1)) least = Math.min(least, distance(p, q));
  });
  return { count: places.length, mean: steps.reduce((a, b) => a + b, 0) / steps.length, least };
}

/** Middle of the box around a part's faces; null where it has none. */
export function middleOfPart(set: SetRecord, id: string): Vec3 | null {
  const points = facesOf(set, id).flatMap((face) => face.rings[0]);
  if (points.length === 0) return null;
  return [0, 1, 2].map(
    (k) => (Math.min(...points.map((p) => p[k])) + Math.max(...points.map((p) => p[k]))) / 2,
  ) as Vec3;
}

/** Several things of one sort, counted. */
export interface Tally extends Spacing {
  /** Area of ground that they cover, square metres. */
  area: number;
  /** Volume that they take, cubic metres; null where one does not close. */
  volume: number | null;
}

/** Area of a part's shadow straight down, from the faces that look up, square metres. */
function coveredArea(set: SetRecord, id: string): number {
  return facesOf(set, id).reduce((sum, face) => sum + Math.max(0, faceArea(face) * faceNormal(face)[2]), 0);
}

/** A row counted with its first member, or all parts of a kind that is counted together; null of fewer than two. */
export function tallyOf(set: SetRecord, part: Part): Tally | null {
  if (part.kind !== "row" && !kindOf(part).counted) return null;
  const members = part.kind === "row" ? [part.of] : alike(set, part);
  const places = part.kind === "row" ? rowPlaces(set, part) : members.flatMap((id) => listed(middleOfPart(set, id)));
  const spacing = spacingOf(places);
  if (!spacing) return null;
  const share = part.kind === "row" ? spacing.count : 1;
  const volumes = members.map((id) => measurePart(set, set[id]).volume);
  return {
    ...spacing,
    area: share * members.reduce((sum, id) => sum + coveredArea(set, id), 0),
    volume: volumes.every((x) => x !== null) ? share * volumes.reduce((a, b) => a + b, 0) : null,
  };
}

const listed = (place: Vec3 | null): Vec3[] => (place ? [place] : []);

/** Middles of a row's first member and its copies. */
function rowPlaces(set: SetRecord, part: Row): Vec3[] {
  const first = middleOfPart(set, part.of);
  return first ? [first, ...rowWays(part).map((way) => add(first, way))] : [];
}

/** Parts of the same kind that count and have faces. */
const alike = (set: SetRecord, { kind }: Part): string[] =>
  Object.values(set).flatMap((p) => (p.kind === kind && !p.muted && facesOf(set, p.id).length > 0 ? [p.id] : []));
