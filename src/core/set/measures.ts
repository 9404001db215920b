import * as v from "valibot";
import type { Vec3 } from "../math/vec3.ts";
import { distance, dot, length, sub, toDegrees } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { pixelOnPlane } from "../optics/camera.ts";
import { Id, MOST, PixelSchema, Text, Vec3Schema } from "../schema/fields.ts";
import { ringArea } from "./face.ts";
import type { Drawn } from "./parts/kind.ts";
import { spacingOf } from "./sizes.ts";

/** What is measured between points that are clicked anywhere on ground and set. */

/** What a measure says. */
export interface Reading {
  value: number;
  unit: "length" | "degrees" | "area";
  /** What the value is, where the measure's own name does not tell. */
  label?: string;
  /** What else its points tell, in metres or square metres. */
  also: { label: string; value: number; unit: "length" | "area" | "count" }[];
}

export interface MeasureKindRow {
  title: string;
  icon: string;
  /** Key in the Set step; null for one that only its button takes up. */
  key: string | null;
  /** What each click does, by its number; the last one goes on. */
  hints: string[];
  least: number;
  /** Clicks after which it is complete; without one Enter ends it. */
  most?: number;
  /** Its last point is joined with its first. */
  closed: boolean;
  read: (points: readonly Vec3[]) => Reading;
}

export const MEASURE_NAMES = ["length", "angle", "area", "count"] as const;
export type MeasureName = (typeof MEASURE_NAMES)[number];

const around = (points: readonly Vec3[]): number =>
  points.reduce((sum, p, i) => sum + distance(p, points[(i + 1) % points.length]), 0);

/** Corners of the least convex outline around points as seen from above (Andrew's monotone chain). */
function hull(points: readonly Vec3[]): Vec3[] {
  const sorted = [...points].sort((a, b) => a[0] - b[0] || a[1] - b[1]);
  const half = (list: Vec3[]): Vec3[] => {
    const chain: Vec3[] = [];
    for (const p of list) {
      for (;;) {
        const [o, a] = chain.slice(-2);
        if (!a || (a[0] - o[0]) * (p[1] - o[1]) - (a[1] - o[1]) * (p[0] - o[0]) > 0) break;
        chain.pop();
      }
      chain.push(p);
    }
    return chain.slice(0, -1);
  };
  return [...half(sorted), ...half(sorted.reverse())];
}

export const MEASURES: Record<MeasureName, MeasureKindRow> = {
  length: {
    title: "Length",
    icon: "pi-arrows-h",
    key: "m",
    hints: ["Length: click one point of ground or set", "now the other; it stays in the list"],
    least: 2,
    most: 2,
    closed: false,
    read: ([a, b]) => ({
      value: distance(a, b),
      unit: "length",
      also: [
        { label: "level", value: Math.hypot(b[0] - a[0], b[1] - a[1]), unit: "length" },
        { label: "up", value: b[2] - a[2], unit: "length" },
      ],
    }),
  },
  angle: {
    title: "Angle",
    icon: "pi-angle-right",
    key: null,
    hints: ["Angle: click a point of its first leg", "now where the legs meet", "now a point of its second leg"],
    least: 3,
    most: 3,
    closed: false,
    read: ([a, b, c]) => {
      const [p, q] = [sub(a, b), sub(c, b)];
      const cosine = dot(p, q) / (length(p) * length(q) || 1);
      return { value: toDegrees(Math.acos(Math.min(1, Math.max(-1, cosine)))), unit: "degrees", also: [] };
    },
  },
  area: {
    title: "Area",
    icon: "pi-stop",
    key: null,
    hints: ["Area: click its corners going round; Enter or the first corner closes it"],
    least: 3,
    closed: true,
    read: (points) => ({
      value: length(ringArea(points)) / 2,
      unit: "area",
      also: [{ label: "around", value: around(points), unit: "length" }],
    }),
  },
  count: {
    title: "Count",
    icon: "pi-hashtag",
    key: null,
    hints: ["Count: click the foot of each thing in turn; Enter ends"],
    least: 2,
    closed: false,
    // Its figure with a plus-minus is the mean step: how many there are is certain.
    read: (points) => {
      const { count, mean, least } = spacingOf(points) ?? { count: points.length, mean: 0, least: 0 };
      return {
        value: mean,
        unit: "length",
        label: "apart",
        also: [
          { label: "of them", value: count, unit: "count" },
          { label: "nearest", value: least, unit: "length" },
          { label: "spread over", value: count > 2 ? length(ringArea(hull(points))) / 2 : 0, unit: "area" },
        ],
      };
    },
  },
};

export const readingOf = (kind: MeasureName, points: readonly Vec3[]): Reading => MEASURES[kind].read(points);

/** Something measured that is kept in the list. */
export const MeasureSchema = v.pipe(
  v.object({
    id: Id,
    name: Text,
    kind: v.picklist(MEASURE_NAMES),
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
      v.maxLength(MOST.points, "has too many points"),
    ),
  }),
  v.check(
    ({ kind, points }) => points.length >= MEASURES[kind].least && points.length <= (MEASURES[kind].most ?? Infinity),
    "has too few or too many points",
  ),
);
export type Measure = v.InferOutput<typeof MeasureSchema>;

/** Where a measure's points are under a camera: those that were placed on the plate follow it. */
export function endsUnder(measure: Measure, camera: Camera | null): Vec3[] {
  return measure.points.map(({ world, pixel, normal }): Vec3 => {
    const place = [...world] as Vec3;
    if (!camera || !pixel) return place;
    return pixelOnPlane(camera, pixel, { normal, offset: dot(normal, place) }) ?? place;
  });
}

/** A measure of clicked points. */
export const newMeasure = (id: string, kind: MeasureName, plate: string, points: readonly Drawn[]): Measure => ({
  id,
  name: `${MEASURES[kind].title} ${id.replace(/^\D+/, "")}`,
  kind,
  points: points.map(({ world, pixel, normal }) => ({ world, pixel, plate, normal })),
});
