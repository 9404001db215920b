import { noDistortion } from "../optics/distortion.ts";
import type { LensFigure } from "../optics/lens.ts";
import type { KitLens, LensKit } from "../optics/lensKit.ts";
import type { Frame } from "../optics/camera.ts";
import type { PlumbLine } from "./plumbLine.ts";
import type { MatchPart } from "./schema.ts";

/** Changes of what is said of the lens, each in place on a draft. */

type LensPart = MatchPart["lens"];

/** A focal length from anywhere but the marks. It counts within a tolerance if so far it was solved freely. */
export function putFocal(
  lens: LensPart,
  given: { focalPx: number; source: string; as: LensFigure | "px" | null; tolerance?: number },
): void {
  lens.focalPx = given.focalPx;
  lens.source = given.source;
  lens.givenAs = given.as;
  lens.marksSettled = false;
  if (given.tolerance !== undefined) lens.tolerance = Math.min(1, Math.max(1e-4, given.tolerance));
  if (lens.focal === "solve") lens.focal = "tolerant";
}

/** How the focal length is had; where it is not solved and none was given, `first` is taken. */
export function chooseFocal(
  lens: LensPart,
  focal: LensPart["focal"],
  first: { focalPx: number; source: string },
): void {
  lens.focal = focal;
  if (focal === "solve" || lens.focalPx !== null) return;
  lens.focalPx = first.focalPx;
  lens.source = first.source;
}

/** The sensor's longer side. What was given in millimetres stays so: the sensor drives the focal length in pixels. */
export function putSensor(lens: LensPart, mm: number | null, keepMillimetres: boolean): void {
  const { sensorMm, focalPx, givenAs } = lens;
  if (keepMillimetres && sensorMm && mm && focalPx && givenAs === "mm") lens.focalPx = (focalPx * sensorMm) / mm;
  lens.sensorMm = mm;
}

export const COEFFICIENTS = ["k1", "k2", "k3", "p1", "p2"] as const;
export type Coefficient = (typeof COEFFICIENTS)[number];

/** A whole distortion from somewhere else than the marks; it is no longer solved. */
export function putDistortion(lens: LensPart, distortion: LensPart["distortion"], source: string): void {
  lens.distortion = distortion;
  lens.distortionSource = source;
  lens.solveK1 = lens.solveK2 = false;
}

/** No distortion at all. */
export const clearDistortion = (lens: LensPart): void => putDistortion(lens, noDistortion(), "");

/** The distortion that straightens curved edges. */
export const putStraightened = (lens: LensPart, found: PlumbLine): void =>
  putDistortion(
    lens,
    found.distortion,
    `curved edges: ${found.rmsBefore.toFixed(2)} px bent, ${found.rmsPx.toFixed(2)} px now; k1 ± ${found.sigma[0].toFixed(4)}`,
  );

/** One typed coefficient; it is no longer solved. */
export function putCoefficient(lens: LensPart, key: Coefficient, value: number): void {
  lens.distortion[key] = value;
  lens.distortionSource = "typed";
  if (key === "k1") lens.solveK1 = false;
  if (key === "k2") lens.solveK2 = false;
}

/** A typed principal point: all of it, though one coordinate was typed. */
export function putPrincipal(lens: LensPart, now: readonly number[], k: number, value: number): void {
  lens.principal = k === 0 ? [value, now[1]] : [now[0], value];
  lens.solvePrincipal = false;
}

/** Says that the plate is a crop of a larger picture, or the whole. */
export function putCrop(lens: LensPart, frame: Frame | null): void {
  lens.crop = frame && { width: frame.width, height: frame.height, left: 0, top: 0 };
  lens.principal = null;
}

/** All that a lens kit says at this focal length. */
export function putKit(lens: LensPart, kit: LensKit, found: KitLens): void {
  const source = `lens kit “${kit.name}”`;
  lens.focal = "tolerant";
  putFocal(lens, {
    focalPx: found.focalPx,
    source,
    as: null,
    tolerance: Math.max(0.002, found.sigmaPx / found.focalPx),
  });
  lens.sensorMm = kit.sensorMm ?? lens.sensorMm;
  putDistortion(lens, found.distortion, source);
  lens.solvePrincipal = false;
  lens.principal = found.principal;
}
