import * as v from "valibot";
import type { Vec3 } from "../math/vec3.ts";
import { Finite, NotNegative, Positive, Vec3Schema, pointsFrom, whole } from "../schema/fields.ts";
import type { Model } from "./model.ts";
import { COPY_FLOATS, copyCount } from "./model.ts";

/** Most copies of one prop. */
export const MOST_COPIES = 10_000;

const Count = whole(1, MOST_COPIES);
const shared = {
  count: Count,
  /** Turn from each copy to the next, degrees. */
  turnDeg: Finite,
  /** How far each may stand and turn off its place, at most: metres and degrees; the same from render to render. */
  scatter: NotNegative,
  scatterDeg: NotNegative,
};

/** Copies of a prop as instances. Offsets are in the world's axes, from where the prop itself stands. */
export const ArraySchema = v.variant("kind", [
  v.object({ kind: v.literal("row"), ...shared, step: Vec3Schema, rows: Count, rowStep: Vec3Schema }),
  v.object({ kind: v.literal("ring"), ...shared, radius: Positive, faces: v.boolean() }),
  v.object({ kind: v.literal("line"), ...shared, points: pointsFrom(Vec3Schema, 2), faces: v.boolean() }),
]);
export type PropArray = v.InferOutput<typeof ArraySchema>;
export type ArrayKind = PropArray["kind"];

/** Turns the steps of copies with the world, in place. */
export function turnArray(array: PropArray, move: (p: Vec3) => Vec3): void {
  if (array.kind === "row") {
    array.step = move(array.step);
    array.rowStep = move(array.rowStep);
  } else if (array.kind === "line") array.points = array.points.map(move);
}

/** A copy's place: from the first one's, in the world's axes, and its turn in degrees. */
export interface CopyPlace {
  offset: Vec3;
  turnDeg: number;
}

/** A number from −1 to 1 that belongs to a copy: the same every time (Wang's hash, well known). */
function noiseOf(copy: number, channel: number): number {
  let h = Math.imul(copy * 4 + channel + 1, 0x9e3779b1) >>> 0;
  h = Math.imul(h ^ (h >>> 16), 0x85ebca6b) >>> 0;
  h = Math.imul(h ^ (h >>> 13), 0xc2b2ae35) >>> 0;
  return ((h ^ (h >>> 16)) >>> 0) / 2 ** 31 - 1;
}

/** Places along a line at even steps of its length, with the direction there in degrees. */
function alongLine(points: readonly Vec3[], count: number): { at: Vec3; headingDeg: number }[] {
  const lengths = points.slice(1).map((p, i) => Math.hypot(...p.map((x, k) => x - points[i][k])));
  const total = lengths.reduce((a, b) => a + b, 0);
  return Array.from({ length: count }, (_, n) => {
    let left = count > 1 ? (total * n) / (count - 1) : 0;
    let i = 0;
    while (i < lengths.length - 1 && left > lengths[i]) left -= lengths[i++];
    const share = lengths[i] > 0 ? Math.min(1, left / lengths[i]) : 0;
    const [a, b] = [points[i], points[i + 1]];
    const at = a.map((x, k) => x + share * (b[k] - x) - points[0][k]) as Vec3;
    return { at, headingDeg: (Math.atan2(b[1] - a[1], b[0] - a[0]) * 180) / Math.PI };
  });
}

function regularPlaces(array: PropArray): CopyPlace[] {
  const { count, turnDeg } = array;
  if (array.kind === "row")
    return Array.from({ length: count * array.rows }, (_, i) => {
      const [n, r] = [i % count, Math.floor(i / count)];
      return { offset: array.step.map((s, k) => s * n + array.rowStep[k] * r) as Vec3, turnDeg: turnDeg * i };
    });
  if (array.kind === "ring")
    return Array.from({ length: count }, (_, i) => {
      const angle = (i / count) * 2 * Math.PI;
      // The prop itself stands at the ring's side towards +X of its middle.
      const offset: Vec3 = [array.radius * (Math.cos(angle) - 1), array.radius * Math.sin(angle), 0];
      return { offset, turnDeg: turnDeg * i + (array.faces ? (angle * 180) / Math.PI : 0) };
    });
  return alongLine(array.points, count).map(({ at, headingDeg }, i) => ({
    offset: at,
    turnDeg: turnDeg * i + (array.faces ? headingDeg : 0),
  }));
}

/** Where the copies of a prop stand, the prop itself first and never scattered. At most `MOST_COPIES`. */
export function copyPlaces(array: PropArray): CopyPlace[] {
  return regularPlaces(array)
    .slice(0, MOST_COPIES)
    .map((place, i) => {
      if (i === 0 || (array.scatter === 0 && array.scatterDeg === 0)) return place;
      const [x, y, z] = place.offset;
      const [dx, dy, turn] = [0, 1, 2].map((channel) => noiseOf(i, channel));
      return {
        offset: [x + dx * array.scatter, y + dy * array.scatter, z],
        turnDeg: place.turnDeg + turn * array.scatterDeg,
      };
    });
}

type Rows = readonly number[];

/** Product of two 3 × 4 matrices by rows. */
export function joinedRows(a: Rows, b: Rows): number[] {
  return Array.from({ length: COPY_FLOATS }, (_, i) => {
    const [row, k] = [i - (i % 4), i % 4];
    const sum = a[row] * b[k] + a[row + 1] * b[4 + k] + a[row + 2] * b[8 + k];
    return k === 3 ? sum + a[row + 3] : sum;
  });
}

/**
 * A model that stands as often as an array says, as copies of its meshes: `forward` takes the model to the world and
 * `back` the world to it, so that the copies stand in the world's axes whatever the prop's own turn and size are.
 */
export function arrayedModel(model: Model, places: readonly CopyPlace[], forward: Rows, back: Rows): Model {
  const [fx, fy] = [forward[3], forward[7]];
  const moves = places.map(({ offset, turnDeg }) => {
    const angle = (turnDeg * Math.PI) / 180;
    const [c, s] = [Math.cos(angle), Math.sin(angle)];
    // Turned about the prop's own foot, then moved.
    const world = [
      ...[c, -s, 0, fx - c * fx + s * fy + offset[0]],
      ...[s, c, 0, fy - s * fx - c * fy + offset[1]],
      ...[0, 0, 1, offset[2]],
    ];
    return joinedRows(back, joinedRows(world, forward));
  });
  const meshes = model.meshes.map((mesh) => {
    const own = copyCount(mesh);
    const copies = new Float32Array(moves.length * own * COPY_FLOATS);
    let at = 0;
    for (const move of moves)
      for (let c = 0; c < own; c++) {
        const inner = mesh.copies ? [...mesh.copies.subarray(c * COPY_FLOATS, (c + 1) * COPY_FLOATS)] : null;
        copies.set(inner ? joinedRows(move, inner) : move, at);
        at += COPY_FLOATS;
      }
    return { ...mesh, copies };
  });
  return { ...model, meshes };
}
