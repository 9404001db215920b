import type { Frame } from "./camera.ts";
import type { Distortion } from "./distortion.ts";
import { noDistortion } from "./distortion.ts";

/** The lens database as `scripts/convert-lens-data.mjs` writes it. */
export interface LensDatabase {
  source: string;
  licence: string;
  /** Maker, model, crop factor. */
  cameras: [string, string, number][];
  lenses: DatabaseLens[];
}

export interface DatabaseLens {
  maker: string;
  model: string;
  /** Crop factor and aspect of the camera that it was calibrated on. */
  crop: number;
  aspect: number;
  /** Focal length in millimetres, and a, b, c of r' = r (a r³ + b r² + c r + 1 − a − b − c). */
  distortion: [number, number, number, number][];
}

const words = (text: string): string[] =>
  text
    .toLowerCase()
    .replace(/f\/(\d)/g, "f$1")
    .split(/[^a-z0-9.]+/)
    .filter((w) => w.length > 0);

/** Share of the wanted words that a name has, less a little for words of its own. */
function likeness(wanted: string[], name: string): number {
  const own = new Set(words(name));
  let hits = 0;
  for (const w of wanted) if (own.has(w)) hits++;
  return wanted.length === 0 ? 0 : hits / wanted.length - 0.02 * Math.max(0, own.size - hits);
}

/** Cameras or lenses whose names hold the typed words, the likest first. */
export function search<T>(items: T[], nameOf: (item: T) => string, text: string, most = 12): T[] {
  const wanted = words(text);
  return items
    .map((item) => ({ item, score: likeness(wanted, nameOf(item)) }))
    .filter((s) => s.score > 0.55)
    .sort((a, b) => b.score - a.score)
    .slice(0, most)
    .map((s) => s.item);
}

export const cameraName = ([maker, model]: LensDatabase["cameras"][number]): string =>
  model.toLowerCase().startsWith(maker.toLowerCase()) ? model : `${maker} ${model}`;
export const lensName = (lens: DatabaseLens): string =>
  lens.model.toLowerCase().startsWith(lens.maker.toLowerCase()) ? lens.model : `${lens.maker} ${lens.model}`;

/** Crop factor of a camera by the name that EXIF gives it, or null. */
export function cropOf(database: LensDatabase, exifCamera: string): number | null {
  const name = exifCamera.toLowerCase().trim();
  const exact = database.cameras.find((c) => cameraName(c).toLowerCase() === name || c[1].toLowerCase() === name);
  if (exact) return exact[2];
  const near = database.cameras.find((c) => name.endsWith(` ${c[1].toLowerCase()}`));
  return near ? near[2] : null;
}

/** a, b, c at a focal length between the calibrated ones, linearly; null outside of them by more than a tenth. */
function coefficientsAt(lens: DatabaseLens, focalMm: number): [number, number, number] | null {
  const d = lens.distortion;
  const [first, last] = [d[0], d[d.length - 1]];
  if (focalMm < first[0] * 0.9 || focalMm > last[0] * 1.1) return null;
  if (focalMm <= first[0]) return [first[1], first[2], first[3]];
  if (focalMm >= last[0]) return [last[1], last[2], last[3]];
  const i = d.findIndex((e) => e[0] >= focalMm);
  const t = (focalMm - d[i - 1][0]) / (d[i][0] - d[i - 1][0] || 1);
  return [1, 2, 3].map((k) => d[i - 1][k] + (d[i][k] - d[i - 1][k]) * t) as [number, number, number];
}

export interface DatabaseDistortion {
  distortion: Distortion;
  /** Focal length of the undistorted lens over the one engraved: the calibration's own model scales the middle too. */
  focalScale: number;
  /** Largest departure of the fitted polynomial from the calibration within the frame, pixels. */
  misfitPx: number;
}

/**
 * The calibration of a lens at a focal length as Brown–Conrady k1 k2 k3: an even polynomial fitted by least squares to
 * the calibration's own polynomial out to the corner of a frame that shows a sensor `sensorMm` wide (its longer side).
 * In the calibration radii count over half the shorter side of the calibrated sensor (from memory of the database's
 * documentation). Null for a focal length that was not calibrated.
 */
export function databaseDistortion(
  lens: DatabaseLens,
  focalMm: number,
  sensorMm: number,
  frame: Frame,
): DatabaseDistortion | null {
  const abc = coefficientsAt(lens, focalMm);
  if (!abc) return null;
  const [a, b, c] = abc;
  const unit = Math.hypot(36, 24) / lens.crop / 2 / Math.hypot(1, lens.aspect);
  const q = focalMm / unit;
  const middle = 1 - a - b - c;
  const mmPerPx = sensorMm / Math.max(frame.width, frame.height);
  const corner = ((Math.hypot(frame.width, frame.height) / 2) * mmPerPx) / focalMm;
  // r' / (middle r) = 1 + k1 r² + k2 r⁴ + k3 r⁶, in tangents of the undistorted lens.
  const bend = (r: number) => {
    const s = r * q;
    return (s * (s * (a * s + b) + c) + middle) / middle - 1;
  };
  const m = [0, 0, 0, 0, 0, 0, 0, 0, 0];
  const v = [0, 0, 0];
  for (let i = 1; i <= 64; i++) {
    const r = (i / 64) * corner;
    const basis = [(r / corner) ** 2, (r / corner) ** 4, (r / corner) ** 6];
    for (let j = 0; j < 3; j++) {
      // Weighted by the radius: what counts is the displacement.
      v[j] += basis[j] * bend(r) * r * r;
      for (let k = 0; k < 3; k++) m[j * 3 + k] += basis[j] * basis[k] * r * r;
    }
  }
  const k = solve3(m, v);
  if (!k) return null;
  const distortion: Distortion = {
    ...noDistortion(),
    k1: k[0] / corner ** 2,
    k2: k[1] / corner ** 4,
    k3: k[2] / corner ** 6,
  };
  let misfit = 0;
  for (let i = 1; i <= 64; i++) {
    const r = (i / 64) * corner;
    const s = r * r;
    const fitted = s * (distortion.k1 + s * (distortion.k2 + s * distortion.k3));
    misfit = Math.max(misfit, Math.abs(fitted - bend(r)) * r);
  }
  return { distortion, focalScale: middle, misfitPx: (misfit * focalMm * middle) / mmPerPx };
}

/** Solves a 3 x 3 system by Cramer's rule. */
function solve3(m: number[], v: number[]): [number, number, number] | null {
  const det = (a: number[]) =>
    a[0] * (a[4] * a[8] - a[5] * a[7]) - a[1] * (a[3] * a[8] - a[5] * a[6]) + a[2] * (a[3] * a[7] - a[4] * a[6]);
  const d = det(m);
  if (!(Math.abs(d) > 1e-300)) return null;
  return [0, 1, 2].map((j) => det(m.map((value, i) => (i % 3 === j ? v[Math.floor(i / 3)] : value))) / d) as [
    number,
    number,
    number,
  ];
}
