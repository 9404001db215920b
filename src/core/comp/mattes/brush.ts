import * as v from "valibot";
import { NotNegative, PixelSchema, Positive, Share, pointsFrom } from "../../schema/fields.ts";
import { linearToSrgb } from "../../colour/srgb.ts";
import type { MatteRows, ShapeKind } from "./shape.ts";
import { smoothstep } from "./shape.ts";

/** A stroke of a brush. With an edge it keeps to what looks like the plate under its own line. */
const schema = v.object({
  kind: v.literal("brush"),
  points: pointsFrom(PixelSchema, 1),
  /** Pixels of the plate. */
  radius: v.pipe(Positive, v.maxValue(2000)),
  /** Share of the radius that is whole. */
  hardness: Share,
  /** How far a colour may be from those under the line, in code values of 255; 0 paints over everything. */
  edge: v.pipe(NotNegative, v.maxValue(255)),
});
export type BrushShape = v.InferOutput<typeof schema>;

export const brush: ShapeKind<BrushShape> = {
  schema,
  label: "Brush",
  fresh: () => ({ kind: "brush", points: [], radius: 20, hardness: 0.7, edge: 0 }),
  cover: ({ points, radius, hardness, edge }, rows: MatteRows) => {
    const { width, height, y0, scale, plate } = rows;
    const out = new Float32Array(width * height);
    const r = radius * scale;
    const line = points.map(([x, y]) => [x * scale, y * scale] as const);
    const code = (x: number, y: number): [number, number, number] => {
      const i = (Math.min(height - 1, Math.max(0, y)) * width + Math.min(width - 1, Math.max(0, x))) * 3;
      return [linearToSrgb(plate[i]), linearToSrgb(plate[i + 1]), linearToSrgb(plate[i + 2])];
    };
    const pieces =
      line.length === 1 ? [[line[0], line[0]] as const] : line.slice(1).map((b, i) => [line[i], b] as const);
    for (const [a, b] of pieces) {
      const [x0, x1] = [Math.floor(Math.min(a[0], b[0]) - r), Math.ceil(Math.max(a[0], b[0]) + r)];
      const [v0, v1] = [Math.floor(Math.min(a[1], b[1]) - r), Math.ceil(Math.max(a[1], b[1]) + r)];
      const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
      for (let y = Math.max(0, v0 - y0); y < Math.min(height, v1 - y0); y++)
        for (let x = Math.max(0, x0); x < Math.min(width, x1); x++) {
          const [u, w] = [x + 0.5, y + y0 + 0.5];
          const t = Math.min(1, Math.max(0, ((u - a[0]) * dx + (w - a[1]) * dy) / Math.max(1e-12, dx * dx + dy * dy)));
          const [px, py] = [a[0] + t * dx, a[1] + t * dy];
          const d = Math.hypot(u - px, w - py);
          if (d >= r) continue;
          let weight = 1 - smoothstep(hardness * r - 0.5, r, d);
          if (edge > 0 && weight > 0) {
            const under = code(Math.floor(px), Math.floor(py - y0));
            const here = code(x, y);
            const apart = 255 * Math.max(...here.map((c, k) => Math.abs(c - under[k])));
            weight *= 1 - smoothstep(edge * 0.7, edge * 1.3, apart);
          }
          const i = y * width + x;
          if (weight > out[i]) out[i] = weight;
        }
    }
    return out;
  },
};
