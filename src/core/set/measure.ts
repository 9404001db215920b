import * as v from "valibot";
import type { Vec2, Vec3 } from "../math/vec3.ts";
import { distance, dot, length, sub } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { pixelOnPlane } from "../optics/camera.ts";
import { Id, PixelSchema, Text, Vec3Schema } from "../schema/fields.ts";
import { faceArea, volume } from "./face.ts";
import { facesOf } from "./faces.ts";
import { followCamera } from "./follow.ts";
import type { Part, SetRecord } from "./parts/index.ts";
import { kindOf } from "./parts/index.ts";
import type { SetVertex } from "./vertex.ts";

/** Lengths, areas and volumes of the set, and how they are read anew under another camera. */

/** A length between two points, kept in the list. */
export const MeasureSchema = v.object({
  id: Id,
  name: Text,
  points: v.pipe(
    v.array(
      v.object({
        world: Vec3Schema,
        pixel: v.nullable(PixelSchema),
        plate: Id,
        /** Normal of the plane that the point keeps when the camera changes. */
        normal: Vec3Schema,
      }),
    ),
    v.length(2, "must have two points"),
  ),
});
export type Measure = v.InferOutput<typeof MeasureSchema>;

/** A length with its parts along the level and upright. */
export interface Span {
  metres: number;
  level: number;
  rise: number;
}

export function spanOf(a: Vec3, b: Vec3): Span {
  return { metres: distance(a, b), level: Math.hypot(b[0] - a[0], b[1] - a[1]), rise: b[2] - a[2] };
}

/** Where a measure's ends are under a camera: those that were placed on the plate follow it. */
export function endsUnder(measure: Measure, camera: Camera | null): [Vec3, Vec3] {
  const [a, b] = measure.points.map(({ world, pixel, normal }): Vec3 => {
    const place = [...world] as Vec3;
    if (!camera || !pixel) return place;
    return pixelOnPlane(camera, pixel, { normal, offset: dot(normal, place) }) ?? place;
  });
  return [a, b];
}

/** What a part measures over all. */
export interface PartMeasures {
  /** Along X, Y and Z. */
  extent: Vec3;
  /** Of all its faces, and of those that lie level, square metres. */
  area: number;
  /** Cubic metres; null where its faces do not close. */
  volume: number | null;
  /** Sides of its base or border, metres. */
  sides: number[];
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

export function measurePart(set: SetRecord, part: Part): PartMeasures {
  const faces = facesOf(set, part.id);
  const points = faces.flatMap((face) => face.rings.flat());
  const extent = [0, 1, 2].map((k) =>
    points.length > 0 ? Math.max(...points.map((p) => p[k])) - Math.min(...points.map((p) => p[k])) : 0,
  ) as Vec3;
  const ring = faces[0]?.rings[0] ?? [];
  return {
    extent,
    area: faces.reduce((sum, face) => sum + faceArea(face), 0),
    volume: faces.length > 3 && closes(faces) ? Math.abs(volume(faces)) : null,
    sides: ring.map((a, i) => length(sub(ring[(i + 1) % ring.length], a))),
  };
}

/** The set as it would be under another camera: what was placed on the plate follows it. The given one is not changed. */
export function setUnder(set: SetRecord, camera: Camera): SetRecord {
  return withVertices(set, new Map(followCamera(set, camera).map((move) => [move.vertex, move.after])));
}

const withVertex = (set: SetRecord, vertex: SetVertex, to: Vec3): SetRecord =>
  withVertices(set, new Map([[vertex, to]]));

/** The set with some vertices elsewhere; what has none of them is the same object. */
function withVertices(set: SetRecord, moves: ReadonlyMap<SetVertex, Vec3>): SetRecord {
  const copy = (value: unknown): unknown => {
    if (Array.isArray(value)) return value.map(copy);
    if (typeof value !== "object" || value === null) return value;
    const to = moves.get(value as never);
    const made = Object.fromEntries(Object.entries(value).map(([key, own]) => [key, copy(own)]));
    return to ? { ...made, world: [...to] } : made;
  };
  return copy(set) as SetRecord;
}

/** Middles of a row's members or of several parts, their spacing and the nearest distance between two of them. */
export function spacingOf(places: readonly Vec3[]): { count: number; mean: number; least: number } | null {
  if (places.length < 2) return null;
  const steps = places.slice(1).map((p, i) => distance(p, places[i]));
  let least = Infinity;
  places.forEach((p, i) => {
    for (const q of places.slice(i + 1)) least = Math.min(least, distance(p, q));
  });
  return { count: places.length, mean: steps.reduce((a, b) => a + b, 0) / steps.length, least };
}

/** Standard deviation of a click on the plate, pixels (common practice, no published source). */
export const CLICK_SIGMA = 1;
/** A stated plus-minus holds nineteen times out of twenty: two standard deviations. */
export const STATED = 2;

/**
 * The plus-minus of something read from the set, two standard deviations: of the camera, to first order along the
 * independent directions of its spread, and of every click that placed a vertex. `own` is the standard deviation of
 * lengths of the part that were pulled and not placed, metres.
 */
export function plusMinus(
  set: SetRecord,
  camera: Camera,
  spread: readonly [Camera, Camera][],
  read: (set: SetRecord) => number,
  own = 0,
): number {
  let sum = own * own;
  for (const [a, b] of spread) sum += ((read(setUnder(set, a)) - read(setUnder(set, b))) / 2) ** 2;
  const now = read(set);
  for (const { vertex, normal } of Object.values(set).flatMap((part) => kindOf(part).vertices(part, set))) {
    if (!vertex.pixel) continue;
    for (const k of [0, 1]) {
      const pixel: Vec2 = [...vertex.pixel];
      pixel[k] += CLICK_SIGMA;
      const plane = { normal, offset: dot(normal, vertex.world as Vec3) };
      const to = pixelOnPlane(camera, pixel, plane);
      if (!to) continue;
      sum += (read(withVertex(set, vertex, to)) - now) ** 2;
    }
  }
  return STATED * Math.sqrt(sum);
}

/** A part with what it stands on, and nothing else. */
export function standsWith(set: SetRecord, id: string): SetRecord {
  const kept: SetRecord = {};
  const take = (at: string) => {
    const part = set[at];
    if (!part || kept[at]) return;
    kept[at] = part;
    for (const other of kindOf(part).on?.(part) ?? []) take(other);
  };
  take(id);
  return kept;
}

/** Standard deviation of a measure's length by the clicks of its two ends, metres. */
export function endsNoise(measure: Measure, camera: Camera): number {
  const ends = endsUnder(measure, null);
  const now = distance(...ends);
  let sum = 0;
  measure.points.forEach(({ pixel, normal }, i) => {
    if (!pixel) return;
    for (const k of [0, 1]) {
      const moved: Vec2 = [...pixel];
      moved[k] += CLICK_SIGMA;
      const to = pixelOnPlane(camera, moved, { normal, offset: dot(normal, ends[i]) });
      if (to) sum += (distance(to, ends[1 - i]) - now) ** 2;
    }
  });
  return Math.sqrt(sum);
}

/** Metres that a pixel is at a point's distance, across the sight. */
export const metresPerPixel = (camera: Camera, at: Vec3): number => distance(camera.position, at) / camera.focalPx;
