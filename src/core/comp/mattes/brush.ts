import * as v from "valibot";
import { NotNegative, PixelSchema, Positive, Share, inPixels, pointsFrom } from "../../schema/fields.ts";
import { linearToSrgb } from "../../colour/srgb.ts";
import { crossed, steepness } from "./barrier.ts";
import type { MatteRows, ShapeKind } from "./shape.ts";
import { smoothstep } from "./shape.ts";

/** A stroke of a brush. It can keep to what looks like the plate under its own line, and stop at the plate's edges. */
const schema = v.object({
  kind: v.literal("brush"),
  points: pointsFrom(PixelSchema, 1),
  /** Pixels of the plate. */
  radius: inPixels(v.pipe(Positive, v.maxValue(2000))),
  /** Share of the radius that is whole. */
  hardness: Share,
  /** How far a colour may be from those under the line, in code values of 255; 0 paints over everything. */
  edge: v.pipe(NotNegative, v.maxValue(255)),
  /** Steepness of the plate that stops it, in code values over two pixels; 0 crosses every edge. */
  stop: v.optional(v.pipe(NotNegative, v.maxValue(255)), 0),
});
export type BrushShape = v.InferOutput<typeof schema>;

type Point = readonly [number, number];
type Piece = readonly [Point, Point];

/** Pixels on either side of the line that a stroke begins from. */
const UNDER = 0.75;

export const brush: ShapeKind<BrushShape> = {
  schema,
  label: "Brush",
  fresh: () => ({ kind: "brush", points: [], radius: 20, hardness: 0.7, edge: 0, stop: 0 }),
  // A way around within the brush goes no farther than the stretch of line that it belongs to.
  halo: ({ stop, radius }, scale) => (stop > 0 ? Math.ceil(3 * radius * scale) + 3 : 0),
  cover: (shape, rows: MatteRows) => {
    const { radius, hardness, edge, stop } = shape;
    const { width, height, y0, scale, plate } = rows;
    const out = new Float32Array(width * height);
    const r = radius * scale;
    const code = (x: number, y: number): [number, number, number] => {
      const i = (Math.min(height - 1, Math.max(0, y)) * width + Math.min(width - 1, Math.max(0, x))) * 3;
      return [linearToSrgb(plate[i]), linearToSrgb(plate[i + 1]), linearToSrgb(plate[i + 2])];
    };
    const line = shape.points.map(([x, y]): Point => [x * scale, y * scale]);
    /** Calls back for every pixel of the rows within the brush about a piece of the line. */
    const about = ([a, b]: Piece, visit: (x: number, y: number, d: number, on: Point) => void) => {
      const [x0, x1] = [Math.floor(Math.min(a[0], b[0]) - r), Math.ceil(Math.max(a[0], b[0]) + r)];
      const [v0, v1] = [Math.floor(Math.min(a[1], b[1]) - r), Math.ceil(Math.max(a[1], b[1]) + r)];
      const [dx, dy] = [b[0] - a[0], b[1] - a[1]];
      for (let y = Math.max(0, v0 - y0); y < Math.min(height, v1 - y0); y++)
        for (let x = Math.max(0, x0); x < Math.min(width, x1); x++) {
          const [u, w] = [x + 0.5, y + y0 + 0.5];
          const t = Math.min(1, Math.max(0, ((u - a[0]) * dx + (w - a[1]) * dy) / Math.max(1e-12, dx * dx + dy * dy)));
          const on: Point = [a[0] + t * dx, a[1] + t * dy];
          const d = Math.hypot(u - on[0], w - on[1]);
          if (d < r) visit(x, y, d, on);
        }
    };
    for (const stretch of stop > 0 ? stretchesOf(line, r) : [piecesOf(line)]) {
      const kept = stop > 0 ? within(stretch, about, code, { width, height, y0, r, stop }) : () => 1;
      for (const piece of stretch)
        about(piece, (x, y, d, on) => {
          let weight = 1 - smoothstep(hardness * r - 0.5, r, d);
          if (edge > 0 && weight > 0) {
            const under = code(Math.floor(on[0]), Math.floor(on[1] - y0));
            const here = code(x, y);
            const apart = 255 * Math.max(...here.map((c, k) => Math.abs(c - under[k])));
            weight *= 1 - smoothstep(edge * 0.7, edge * 1.3, apart);
          }
          weight *= kept(x, y);
          const i = y * width + x;
          if (weight > out[i]) out[i] = weight;
        });
    }
    return out;
  },
};

const piecesOf = (line: readonly Point[]): Piece[] =>
  line.length === 1 ? [[line[0], line[0]]] : line.slice(1).map((b, i): Piece => [line[i], b]);

/** The line in stretches that are no longer than the brush is wide. */
function stretchesOf(line: readonly Point[], r: number): Piece[][] {
  const out: Piece[][] = [[]];
  let length = 0;
  for (const [a, b] of piecesOf(line)) {
    const whole = Math.hypot(b[0] - a[0], b[1] - a[1]);
    const count = Math.max(1, Math.ceil(whole / r));
    const at = (s: number): Point => [a[0] + ((b[0] - a[0]) * s) / count, a[1] + ((b[1] - a[1]) * s) / count];
    for (let s = 0; s < count; s++) {
      if (length + whole / count > r) [length] = [0, out.push([])];
      length += whole / count;
      out[out.length - 1].push([at(s), at(s + 1)]);
    }
  }
  return out.filter((pieces) => pieces.length > 0);
}

/** How much of a pixel is on the line's side of every edge within the brush. */
function within(
  stretch: readonly Piece[],
  about: (piece: Piece, visit: (x: number, y: number, d: number) => void) => void,
  code: (x: number, y: number) => [number, number, number],
  { width, height, y0, r, stop }: { width: number; height: number; y0: number; r: number; stop: number },
): (x: number, y: number) => number {
  const ends = stretch.flat();
  const [xs, ys] = [ends.map(([x]) => x), ends.map(([, y]) => y - y0)];
  const left = Math.max(0, Math.floor(Math.min(...xs) - r));
  const top = Math.max(0, Math.floor(Math.min(...ys) - r));
  const window = {
    x0: left,
    y0: top,
    width: Math.min(width, Math.ceil(Math.max(...xs) + r) + 1) - left,
    height: Math.min(height, Math.ceil(Math.max(...ys) + r) + 1) - top,
  };
  if (window.width <= 0 || window.height <= 0) return () => 0;
  const open = new Uint8Array(window.width * window.height);
  const seeds: number[] = [];
  for (const piece of stretch)
    about(piece, (x, y, d) => {
      const i = (y - top) * window.width + x - left;
      open[i] = 1;
      if (d < UNDER) seeds.push(i);
    });
  const steep = crossed(steepness(window, code), window.width, (i) => open[i] === 1, seeds);
  return (x, y) => 1 - smoothstep(stop * 0.7, stop * 1.3, steep[(y - top) * window.width + x - left]);
}
