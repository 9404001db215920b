import type { Passes } from "../trace/film.ts";
import type { PixelFilter } from "../trace/filter.ts";
import { SOFT, softness } from "../trace/filter.ts";
import { layGrain } from "./grain.ts";
import type { Comp, CompPart } from "./schema.ts";
import type { PlateEncoding } from "../image/profile.ts";
import { pixelEncoder } from "../image/profile.ts";

/** The plate as it was decoded: codes of the file and linear Rec. 709 light, both interleaved RGB. */
export interface DecodedPlate {
  width: number;
  height: number;
  encoding: PlateEncoding;
  codes: Uint8Array | Uint16Array;
  linear: Float32Array;
}

/** Throws when passes and plate differ in size: nothing is ever stretched to fit. */
function checkFrame(plate: { width: number; height: number }, passes: Passes): void {
  if (plate.width !== passes.width || plate.height !== passes.height) {
    throw new RangeError(
      `The passes are ${passes.width} × ${passes.height} and the plate ${plate.width} × ${plate.height}. Render at the plate's size.`,
    );
  }
}

/** What is laid on a composite: rows from `y0` of a picture that is `scale` times the plate's size. */
export interface Finish {
  grain: Comp["grain"];
  scale: number;
  y0: number;
}

export const finishOf = ({ comp }: CompPart, scale: number, y0: number): Finish => ({ grain: comp.grain, scale, y0 });

/** Pixel filter under which what is rendered is as soft as the plate, at a share of its size. */
export const filterOf = ({ comp: { sharpness } }: CompPart, scale: number): PixelFilter =>
  sharpness.on && sharpness.sigmaPx !== null ? softness(sharpness.sigmaPx * scale) : SOFT;

/**
 * Composite in linear light: `out = prop + (1 - a) (plate ratio + added)`, prop premultiplied (docs/design.md section 6).
 * Returns interleaved RGB, Rec. 709.
 */
export function compositeLinear(
  plate: { width: number; height: number; linear: Float32Array },
  passes: Passes,
  finish: Finish | null = null,
): Float32Array {
  checkFrame(plate, passes);
  const { prop, ratio, added } = passes;
  const out = new Float32Array(plate.linear.length);
  for (let i = 0, p = 0; i < out.length; i += 3, p += 4) {
    const through = 1 - prop[p + 3];
    for (let k = 0; k < 3; k++) {
      out[i + k] = prop[p + k] + through * (plate.linear[i + k] * ratio[i + k] + added[i + k]);
    }
  }
  if (finish)
    layGrain(out, plate, passes, finish.grain, finish.scale, finish.y0, (pixel) => !leavesPlate(passes, pixel));
  return out;
}

/** True where the passes leave the plate's pixel as it is. */
export const leavesPlate = (passes: Passes, pixel: number): boolean => {
  const { prop, ratio, added } = passes;
  const i = pixel * 3;
  const p = pixel * 4;
  return (
    prop[p + 3] === 0 &&
    ratio[i] === 1 &&
    ratio[i + 1] === 1 &&
    ratio[i + 2] === 1 &&
    added[i] === 0 &&
    added[i + 1] === 0 &&
    added[i + 2] === 0
  );
};

/** The finished picture in the plate's own codes. Pixels that nothing touches keep their codes to the last bit. */
export function compositeCodes(
  plate: DecodedPlate,
  passes: Passes,
  finish: Finish | null = null,
): Uint8Array | Uint16Array {
  const linear = compositeLinear(plate, passes, finish);
  const out = plate.codes.slice();
  const encode = pixelEncoder(plate.encoding);
  for (let pixel = 0; pixel < plate.width * plate.height; pixel++) {
    if (leavesPlate(passes, pixel)) continue;
    const i = pixel * 3;
    encode(linear[i], linear[i + 1], linear[i + 2], out, i);
  }
  return out;
}

/** The prop alone as straight-alpha codes of `bits` bits, RGBA, in the plate's encoding. */
export function propCodes(passes: Passes, encoding: PlateEncoding): Uint8Array | Uint16Array {
  const n = passes.width * passes.height;
  const out = encoding.bits === 8 ? new Uint8Array(n * 4) : new Uint16Array(n * 4);
  const top = encoding.bits === 8 ? 255 : 65535;
  const encode = pixelEncoder(encoding);
  for (let i = 0; i < n; i++) {
    const a = passes.prop[i * 4 + 3];
    if (a <= 0) continue;
    encode(passes.prop[i * 4] / a, passes.prop[i * 4 + 1] / a, passes.prop[i * 4 + 2] / a, out, i * 4);
    out[i * 4 + 3] = Math.round(Math.min(1, a) * top);
  }
  return out;
}
