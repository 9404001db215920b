import * as v from "valibot";
import { Finite, NotNegative, Text, inPixels } from "../../schema/fields.ts";
import { blur, reachOf } from "../blur.ts";
import { brush } from "./brush.ts";
import { curve } from "./curve.ts";
import { grown } from "./grow.ts";
import { colour, luminance } from "./key.ts";
import { depth, parts } from "./place.ts";
import type { MatteRows, ShapeKind } from "./shape.ts";

/** Mattes: shapes that are put together one after the other, then grown, softened and turned round. */
export const SHAPES = { curve, brush, parts, depth, colour, luminance };
type Kinds = typeof SHAPES;
export type ShapeName = keyof Kinds;
export type Shape = { [K in ShapeName]: Kinds[K] extends ShapeKind<infer S> ? S : never }[ShapeName];
export const SHAPE_NAMES = Object.keys(SHAPES) as ShapeName[];

const ShapeSchema = v.variant(
  "kind",
  SHAPE_NAMES.map((name) => SHAPES[name].schema) as never,
) as unknown as v.GenericSchema<unknown, Shape>;

/** How a shape is put to those before it. */
export const WAYS = ["add", "subtract", "keep"] as const;
const MOST_GROWN = 100;

export const MatteSchema = v.object({
  name: Text,
  shapes: v.pipe(
    v.array(v.object({ shape: ShapeSchema, way: v.picklist(WAYS), inverted: v.boolean() })),
    v.maxLength(500),
  ),
  inverted: v.boolean(),
  /** Pixels of the plate by which it grows, or shrinks below 0. */
  grow: inPixels(
    v.pipe(Finite, v.minValue(-MOST_GROWN, "must be -100 or more"), v.maxValue(MOST_GROWN, "must be 100 or less")),
  ),
  /** Standard deviation of a blur, pixels of the plate. */
  blur: inPixels(v.pipe(NotNegative, v.maxValue(60, "must be 60 or less"))),
});
export type Matte = v.InferOutput<typeof MatteSchema>;

export const newMatte = (name: string): Matte => ({ name, shapes: [], inverted: false, grow: 0, blur: 0 });

/** Rows above and below that a matte looks at. */
export const matteHalo = ({ grow, blur: sigma, shapes }: Matte, scale: number): number =>
  Math.ceil(Math.abs(grow) * scale) +
  reachOf(sigma * scale) +
  Math.max(0, ...shapes.map(({ shape }) => (SHAPES[shape.kind] as ShapeKind<Shape>).halo?.(shape, scale) ?? 0));

/** A matte over rows, 0 to 1. The outermost `matteHalo` rows are not to be trusted, but at the picture's own border. */
export function matteOver(matte: Matte, rows: MatteRows): Float32Array {
  const { width, height, scale } = rows;
  const out = new Float32Array(width * height);
  for (const { shape, way, inverted } of matte.shapes) {
    const kind = SHAPES[shape.kind] as ShapeKind<Shape>;
    const own = kind.cover(shape, rows);
    for (let i = 0; i < out.length; i++) {
      const cover = inverted ? 1 - own[i] : own[i];
      if (way === "add") out[i] = Math.max(out[i], cover);
      else if (way === "subtract") out[i] = Math.min(out[i], 1 - cover);
      else out[i] = Math.min(out[i], cover);
    }
  }
  const wide = grown(out, width, height, matte.grow * scale);
  blur(wide, width, height, 1, matte.blur * scale, 0);
  if (matte.inverted) for (let i = 0; i < wide.length; i++) wide[i] = 1 - wide[i];
  return wide;
}
