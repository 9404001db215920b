import type { DecodedPlate } from "#core/comp/composite";
import type { HandOverChoice } from "#core/handover/choice";
import { pixelEncoder } from "#core/image/profile";
import { nearestPixels, resampleRows } from "#core/image/resize";
import type { FinishedPicture } from "./finished.ts";

/** The part of a picture that is handed over, and the size that it gets. */
interface Cut {
  left: number;
  top: number;
  width: number;
  height: number;
  to: { width: number; height: number };
}
type Size = { width: number; height: number };

/** What of a picture of that size is handed over; parts beyond its border are left out. */
export function cutOf({ region, percent }: Pick<HandOverChoice, "region" | "percent">, { width, height }: Size): Cut {
  const [left, top] = region ? [Math.min(region.x, width - 1), Math.min(region.y, height - 1)] : [0, 0];
  const own = {
    width: Math.min(region?.width ?? width, width - left),
    height: Math.min(region?.height ?? height, height - top),
  };
  const scaled = (n: number) => Math.max(1, Math.round((n * percent) / 100));
  return { left, top, ...own, to: { width: scaled(own.width), height: scaled(own.height) } };
}

/** An interleaved layer cut and brought to size: averaged or interpolated, or the nearest value where a mean would be none. */
export function sizedValues(
  values: Float32Array,
  from: Size,
  cut: Cut,
  stride: number,
  way: "mean" | "nearest" = "mean",
): Float32Array {
  const { left, top, width, height, to } = cut;
  let pixels = values;
  if (width !== from.width || height !== from.height) {
    pixels = new Float32Array(width * height * stride);
    for (let y = 0; y < height; y++) {
      const at = ((top + y) * from.width + left) * stride;
      pixels.set(values.subarray(at, at + width * stride), y * width * stride);
    }
  }
  if (to.width === width && to.height === height) return pixels;
  const source = { width, height, pixels };
  return way === "nearest"
    ? nearestPixels(source, to.width, to.height, stride)
    : resampleRows(source, to.width, to.height, 0, to.height, stride);
}

/** A finished picture with its layers, cut and at the size that is asked for; itself where that is all of it. */
export function sizedPicture(
  picture: FinishedPicture,
  choice: Pick<HandOverChoice, "region" | "percent">,
): FinishedPicture {
  if (!choice.region && choice.percent === 100) return picture;
  const cut = cutOf(choice, picture);
  const of = (values: Float32Array, stride: number, way: "mean" | "nearest" = "mean") =>
    sizedValues(values, picture, cut, stride, way);
  const touched = of(Float32Array.from(picture.touched), 1);
  const { layers, rendered } = picture;
  const { occlusion } = rendered;
  const plate = plateOf(picture.plate, of(picture.plate.linear, 3), cut.to);
  const linear = of(picture.linear, 3);
  const own: FinishedPicture = {
    ...picture,
    ...cut.to,
    plate,
    linear,
    grained: picture.grained === picture.linear ? linear : of(picture.grained, 3),
    touched: Uint8Array.from(touched, (t) => (t !== 0 ? 1 : 0)),
    layers: {
      ...layers,
      ...cut.to,
      plate: plate.linear,
      prop: of(layers.prop, 4),
      ratio: of(layers.ratio, 3),
      added: of(layers.added, 3),
      depth: of(layers.depth, 1, "nearest"),
      cover: layers.cover && of(layers.cover, 3),
      glow: layers.glow && of(layers.glow, 3),
      occlusion: layers.occlusion && of(layers.occlusion, 1),
    },
    rendered: {
      ...rendered,
      ...cut.to,
      prop: of(rendered.prop, 4),
      ratio: of(rendered.ratio, 3),
      added: of(rendered.added, 3),
      depth: of(rendered.depth, 1, "nearest"),
      ...(occlusion ? { occlusion: of(occlusion, 1) } : {}),
    },
  };
  return { ...own, codes: encoded(plate, own.linear) };
}

const plateOf = ({ encoding, codes }: DecodedPlate, linear: Float32Array, to: Size): DecodedPlate => ({
  ...to,
  encoding,
  linear,
  codes: encoded({ encoding, codes }, linear),
});

function encoded({ encoding, codes }: Pick<DecodedPlate, "encoding" | "codes">, linear: Float32Array) {
  const out = codes instanceof Uint16Array ? new Uint16Array(linear.length) : new Uint8Array(linear.length);
  const encode = pixelEncoder(encoding);
  for (let i = 0; i < linear.length; i += 3) encode(linear[i], linear[i + 1], linear[i + 2], out, i);
  return out;
}
