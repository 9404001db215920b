import type { Passes } from "../trace/film.ts";
import type { PixelFilter } from "../trace/filter.ts";
import { SOFT, filterSigma, softness } from "../trace/filter.ts";
import type { PlateEncoding } from "../image/profile.ts";
import { pixelEncoder } from "../image/profile.ts";
import type { FinishPart } from "./finish.ts";
import { checkFrame, finishRows, mergeLayers } from "./finish.ts";
import { layersOf, touchedBy } from "./layers.ts";
import type { CompPart } from "./schema.ts";

/** The plate as it was decoded: codes of the file and linear Rec. 709 light, both interleaved RGB. */
export interface DecodedPlate {
  width: number;
  height: number;
  encoding: PlateEncoding;
  codes: Uint8Array | Uint16Array;
  linear: Float32Array;
}

/** Pixel filter under which what is rendered is as soft as the plate, at a share of its size. */
export const filterOf = ({ comp: { sharpness } }: CompPart, scale: number): PixelFilter =>
  sharpness.on && sharpness.strength === 1 && sharpness.matte === null && sharpness.sigmaPx !== null
    ? softness(sharpness.sigmaPx * scale)
    : SOFT;

/** Standard deviation of that filter, pixels of the picture. */
export const renderedSigma = (shot: CompPart, scale: number): number => filterSigma(filterOf(shot, scale));

/** True where a render keeps how open surfaces are: as a layer, or for the comp's contact. */
export const wantsOcclusion = ({ comp: { shadow } }: CompPart, passes: readonly string[]): boolean =>
  passes.includes("occlusion") || (shadow.on && shadow.contact > 0);

/**
 * The passes as they are over the plate, in linear light: `out = prop + (1 - a) (plate ratio + added)`, prop premultiplied
 * (docs/design.md section 6). Returns interleaved RGB, Rec. 709.
 */
export function compositeLinear(
  plate: { width: number; height: number; linear: Float32Array },
  passes: Passes,
): Float32Array {
  checkFrame(plate, passes);
  return mergeLayers({ ...passes, y0: 0, plate: plate.linear, cover: null, glow: null });
}

/** Where a whole picture of passes lies. */
export const wholePicture = (passes: { width: number; height: number }, scale: number, sigma: number) => ({
  full: { width: passes.width, height: passes.height },
  scale,
  y0: 0,
  renderedSigma: sigma,
});

/** The plate's codes with those pixels encoded anew that are touched: the others keep theirs to the last bit. */
export function codesOver(
  plate: Pick<DecodedPlate, "codes" | "encoding">,
  linear: Float32Array,
  touched: Uint8Array,
  encode = pixelEncoder(plate.encoding),
): Uint8Array | Uint16Array {
  const out = plate.codes.slice();
  for (let pixel = 0, i = 0; pixel < touched.length; pixel++, i += 3)
    if (touched[pixel]) encode(linear[i], linear[i + 1], linear[i + 2], out, i);
  return out;
}

/** The passes as they are over the plate, in its own codes. */
export function compositeCodes(plate: DecodedPlate, passes: Passes): Uint8Array | Uint16Array {
  const linear = compositeLinear(plate, passes);
  const layers = layersOf(plate.linear, passes, 0);
  const touched = touchedBy(layers);
  return codesOver(plate, linear, touched);
}

/** The finished picture in the plate's own codes, all of it at once. The passes' arrays are changed. */
export function finishedCodes(
  shot: FinishPart,
  plate: DecodedPlate,
  passes: Passes,
  scale: number,
  sigma = renderedSigma(shot, scale),
): Uint8Array | Uint16Array {
  const { linear, touched } = finishRows(shot, plate, passes, wholePicture(passes, scale, sigma));
  return codesOver(plate, linear, touched);
}

/** The prop alone as straight-alpha codes of `bits` bits, RGBA, in the plate's encoding. */
export function propCodes(
  { width, height, prop }: Pick<Passes, "width" | "height" | "prop">,
  encoding: PlateEncoding,
  encode = pixelEncoder(encoding),
): Uint8Array | Uint16Array {
  const n = width * height;
  const out = encoding.bits === 8 ? new Uint8Array(n * 4) : new Uint16Array(n * 4);
  const top = encoding.bits === 8 ? 255 : 65535;
  for (let i = 0; i < n; i++) {
    const a = prop[i * 4 + 3];
    if (a <= 0) continue;
    encode(prop[i * 4] / a, prop[i * 4 + 1] / a, prop[i * 4 + 2] / a, out, i * 4);
    out[i * 4 + 3] = Math.round(Math.min(1, a) * top);
  }
  return out;
}
