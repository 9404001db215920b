import type { Vec2, Vec3 } from "../math/vec3.ts";
import { distance, dot } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { pixelOnPlane } from "../optics/camera.ts";
import { facesOf } from "./faces.ts";
import { followCamera } from "./follow.ts";
import type { Measure } from "./measures.ts";
import { endsUnder, readingOf } from "./measures.ts";
import type { Part, SetRecord } from "./parts/index.ts";
import { kindOf } from "./parts/index.ts";
import type { PartField } from "./parts/kind.ts";
import type { SetVertex } from "./vertex.ts";

/** How far what is read from the set may be off: by the camera's own spread, and by every click. */

/** Standard deviation of a click on the plate, pixels (common practice, no published source). */
export const CLICK_SIGMA = 1;
/** A stated plus-minus holds nineteen times out of twenty: two standard deviations. */
export const STATED = 2;

/** Cameras one standard deviation to either side, along independent directions. */
type Spread = readonly [Camera, Camera][];

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

/** Metres that a pixel is at a point's distance, across the sight. */
export const metresPerPixel = (camera: Camera, at: Vec3): number => distance(camera.position, at) / camera.focalPx;

/** Where a point of a plane goes when its pixel is a standard deviation off, along u and along v. */
function* clicked(camera: Camera, pixel: Vec2, normal: Vec3, at: Vec3): Generator<Vec3> {
  for (const k of [0, 1]) {
    const moved: Vec2 = [...pixel];
    moved[k] += CLICK_SIGMA;
    const to = pixelOnPlane(camera, moved, { normal, offset: dot(normal, at) });
    if (to) yield to;
  }
}

/** Lengths of a part that were pulled and not placed: typing one of them moves none of the clicked corners. */
export function pulledFields(set: SetRecord, part: Part): PartField<Part>[] {
  const kind = kindOf(part);
  const places = (of: Part) => kind.vertices(of, { ...set, [of.id]: of }).flatMap(({ vertex }) => vertex.world);
  const before = places(part).join();
  return kind.fields(part, set).filter(({ unit, value, put }) => {
    if (unit !== "length") return false;
    const longer = clonedPart(part);
    put(longer, value + LONGER);
    return places(longer).join() === before;
  });
}
/** Metres by which a length is made longer to see what it moves. */
const LONGER = 0.01;

export const clonedPart = (part: Part): Part => JSON.parse(JSON.stringify(part)) as Part;

/** The part with one of its own lengths longer by a standard deviation of a click, for each that was pulled. */
function* pulled(set: SetRecord, part: Part, camera: Camera): Generator<Part> {
  const foot = facesOf(set, part.id)[0]?.rings[0][0];
  if (!foot) return;
  const kind = kindOf(part);
  // Where nothing was clicked, lengths were typed.
  if (!kind.vertices(part, set).some(({ vertex }) => vertex.pixel)) return;
  // Both of its ends were clicked: the foot that it is pulled from as well.
  const sigma = Math.SQRT2 * CLICK_SIGMA * metresPerPixel(camera, foot);
  for (const { value, put } of pulledFields(set, part)) {
    const longer = clonedPart(part);
    put(longer, value + sigma);
    yield longer;
  }
}

/**
 * The plus-minus of figures read from the set, two standard deviations each: of the camera, to first order along the
 * independent directions of its spread, of every click that placed a vertex, and of lengths that were pulled.
 */
export function plusMinus(
  set: SetRecord,
  camera: Camera,
  spread: Spread,
  read: (set: SetRecord) => readonly number[],
): number[] {
  const now = read(set);
  const sums = now.map(() => 0);
  const count = (of: readonly number[], from: readonly number[], share: number) =>
    of.forEach((x, i) => (sums[i] += ((x - from[i]) * share) ** 2));
  for (const [a, b] of spread) count(read(setUnder(set, a)), read(setUnder(set, b)), 0.5);
  for (const part of Object.values(set)) {
    for (const { vertex, normal } of kindOf(part).vertices(part, set))
      if (vertex.pixel)
        for (const to of clicked(camera, vertex.pixel as Vec2, normal, vertex.world as Vec3))
          count(read(withVertex(set, vertex, to)), now, 1);
    for (const longer of pulled(set, part, camera)) count(read({ ...set, [part.id]: longer }), now, 1);
  }
  return sums.map((sum) => STATED * Math.sqrt(sum));
}

/** The plus-minus of a measure, two standard deviations of camera and clicks; null where the camera has no spread. */
export function measurePlusMinus(measure: Measure, camera: Camera, spread: Spread): number | null {
  if (spread.length === 0) return null;
  const read = (points: Vec3[]) => readingOf(measure.kind, points).value;
  let sum = 0;
  for (const [a, b] of spread) sum += ((read(endsUnder(measure, a)) - read(endsUnder(measure, b))) / 2) ** 2;
  const ends = endsUnder(measure, null);
  const now = read(ends);
  measure.points.forEach(({ pixel, normal }, i) => {
    if (pixel)
      for (const to of clicked(camera, pixel as Vec2, normal as Vec3, ends[i]))
        sum += (read(ends.with(i, to)) - now) ** 2;
  });
  return STATED * Math.sqrt(sum);
}

/** A part with what it stands on, and nothing else. */
export function standsWith(set: SetRecord, id: string): SetRecord {
  const kept: SetRecord = {};
  const take = (at: string) => {
    const part = set[at];
    if (!part || kept[at]) return;
    kept[at] = part;
    const { on, uses } = kindOf(part);
    for (const other of [...(on?.(part) ?? []), ...(uses?.(part) ?? [])]) take(other);
  };
  take(id);
  return kept;
}
