import * as v from "valibot";
import { NotNegative, PixelSchema, inPixels, pointsFrom } from "../../schema/fields.ts";
import type { Vec2 } from "../../math/vec3.ts";
import type { MatteRows, ShapeKind } from "./shape.ts";
import { smoothstep } from "./shape.ts";

/** A closed curve on the plate, with a feather at every point. */
const schema = v.object({
  kind: v.literal("curve"),
  /** Pixels of the plate, and over how many of them the border softens there. */
  points: pointsFrom(v.object({ at: PixelSchema, feather: inPixels(v.pipe(NotNegative, v.maxValue(1000))) }), 3),
  /** Round through the points, or straight from one to the next. */
  round: v.boolean(),
});
export type CurveShape = v.InferOutput<typeof schema>;

interface Knot {
  at: Vec2;
  feather: number;
}
const PIECES = 8;

/** The border as a line of knots: straight, or through the points as a closed spline (Catmull and Rom 1974). */
export function knotsOf({ points, round }: Pick<CurveShape, "points" | "round">): Knot[] {
  const knots = points.map(({ at, feather }): Knot => ({ at: [at[0], at[1]], feather }));
  if (!round) return knots;
  const n = knots.length;
  return knots.flatMap((_, i) => {
    const [p, q, r, s] = [-1, 0, 1, 2].map((d) => knots[(i + d + n) % n]);
    return Array.from({ length: PIECES }, (__, j): Knot => {
      const t = j / PIECES;
      const mix = (a: number, b: number, c: number, d: number) =>
        b + 0.5 * t * (c - a + t * (2 * a - 5 * b + 4 * c - d + t * (3 * (b - c) + d - a)));
      return {
        at: [0, 1].map((k) => mix(p.at[k], q.at[k], r.at[k], s.at[k])) as Vec2,
        feather: Math.max(0, q.feather + t * (r.feather - q.feather)),
      };
    });
  });
}

/** Half the width of the border of a curve without a feather, pixels: it is antialiased. */
const HARD = 0.7;

export const curve: ShapeKind<CurveShape> = {
  schema,
  label: "Curve",
  fresh: () => ({ kind: "curve", points: [], round: true }),
  cover: (shape, rows: MatteRows) => {
    const { width, height, y0, scale } = rows;
    const out = new Float32Array(width * height);
    const knots = knotsOf(shape).map(({ at, feather }) => ({
      x: at[0] * scale,
      y: at[1] * scale,
      soft: Math.max(HARD, (feather * scale) / 2),
    }));
    const n = knots.length;
    if (n < 3) return out;
    const reach = Math.max(...knots.map(({ soft }) => soft)) + 1;
    const [left, right] = [Math.min(...knots.map((k) => k.x)) - reach, Math.max(...knots.map((k) => k.x)) + reach];
    const [top, foot] = [Math.min(...knots.map((k) => k.y)) - reach, Math.max(...knots.map((k) => k.y)) + reach];
    for (let y = Math.max(0, Math.floor(top - y0)); y < Math.min(height, foot - y0); y++) {
      const v = y + y0 + 0.5;
      const near = [];
      const crossings: number[] = [];
      for (let i = 0; i < n; i++) {
        const [a, b] = [knots[i], knots[(i + 1) % n]];
        if (Math.min(a.y, b.y) - reach <= v && Math.max(a.y, b.y) + reach >= v) near.push([a, b] as const);
        if (a.y > v !== b.y > v) crossings.push(a.x + ((v - a.y) / (b.y - a.y)) * (b.x - a.x));
      }
      crossings.sort((a, b) => a - b);
      let passed = 0;
      for (let x = Math.max(0, Math.floor(left)); x < Math.min(width, right); x++) {
        const u = x + 0.5;
        while (passed < crossings.length && crossings[passed] < u) passed++;
        const inside = passed % 2 === 1;
        let [nearest, soft] = [Infinity, HARD];
        for (const [a, b] of near) {
          const [dx, dy] = [b.x - a.x, b.y - a.y];
          const t = Math.min(1, Math.max(0, ((u - a.x) * dx + (v - a.y) * dy) / Math.max(1e-12, dx * dx + dy * dy)));
          const d = Math.hypot(u - a.x - t * dx, v - a.y - t * dy);
          if (d < nearest) {
            nearest = d;
            soft = a.soft + t * (b.soft - a.soft);
          }
        }
        out[y * width + x] = smoothstep(-soft, soft, inside ? nearest : -nearest);
      }
    }
    return out;
  },
};
