import { toDegrees, toRadians } from "../math/vec3.ts";
import type { Frame } from "./camera.ts";
import { equivalents35mm, focalFromEquivalent } from "./camera.ts";

/** The ways in which people know a lens. Each can be had from the others, for a frame that shows the whole sensor. */
export const LENS_FIGURES = ["mm", "eqDiagonal", "eqWidth", "horizontal", "vertical", "diagonal"] as const;
export type LensFigure = (typeof LENS_FIGURES)[number];

const longSide = (frame: Frame) => Math.max(frame.width, frame.height);

/** The side or diagonal of the frame, pixels, that a field of view spans. */
const spanOf = (figure: "horizontal" | "vertical" | "diagonal", frame: Frame): number =>
  figure === "horizontal" ? frame.width : figure === "vertical" ? frame.height : Math.hypot(frame.width, frame.height);

/**
 * Focal length in pixels from one figure: millimetres on a sensor whose longer side is `sensorMm`, 35 mm equivalents by
 * diagonal or by width, or a full field of view in degrees. Null where it cannot be: no sensor size, or an angle that is
 * not between 0 and 180.
 */
export function focalFromFigure(
  figure: LensFigure,
  value: number,
  frame: Frame,
  sensorMm: number | null,
): number | null {
  if (!(value > 0)) return null;
  if (figure === "mm") return sensorMm ? (value / sensorMm) * longSide(frame) : null;
  if (figure === "eqDiagonal") return focalFromEquivalent(value, frame);
  if (figure === "eqWidth") return (value / 36) * longSide(frame);
  if (value >= 180) return null;
  return spanOf(figure, frame) / 2 / Math.tan(toRadians(value) / 2);
}

/** All figures of a focal length in pixels; `mm` is null where the sensor's size is not known. Angles in degrees. */
export function lensFigures(focalPx: number, frame: Frame, sensorMm: number | null): Record<LensFigure, number | null> {
  const eq = equivalents35mm(focalPx, frame);
  const angle = (span: number) => toDegrees(2 * Math.atan(span / 2 / focalPx));
  return {
    mm: sensorMm ? (focalPx / longSide(frame)) * sensorMm : null,
    eqDiagonal: eq.diagonal,
    eqWidth: eq.width,
    horizontal: angle(frame.width),
    vertical: angle(frame.height),
    diagonal: angle(Math.hypot(frame.width, frame.height)),
  };
}

/** Longer side in millimetres of a sensor with this crop factor (of diagonals, 43.27 mm being 1) and a frame's shape. */
export function sensorFromCrop(crop: number, frame: Frame): number {
  const diagonal = Math.hypot(36, 24) / crop;
  return (diagonal * longSide(frame)) / Math.hypot(frame.width, frame.height);
}

/** The part of a larger picture that a plate is, in that picture's pixels. */
export interface Crop {
  width: number;
  height: number;
  left: number;
  top: number;
}

/** Principal point in the plate's pixels of a crop whose whole picture had it in the middle. */
export const principalOfCrop = (crop: Crop): [number, number] => [
  crop.width / 2 - crop.left,
  crop.height / 2 - crop.top,
];
