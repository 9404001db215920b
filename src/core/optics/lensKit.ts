import * as v from "valibot";
import { NameSchema } from "../text/storable.ts";
import { DistortionSchema } from "../schema/fields.ts";
import type { Camera, Frame } from "./camera.ts";
import type { Distortion } from "./distortion.ts";

/** A lens as it was solved once, kept by name for later plates: one entry for a prime, several for a zoom. */

const Finite = v.pipe(v.number(), v.finite());
const Positive = v.pipe(Finite, v.minValue(1e-9));

export const LensKitEntrySchema = v.object({
  /** What the lens said, as on the barrel or in EXIF; null where nothing did. */
  focalMm: v.nullable(Positive),
  /** Focal length over the longer side of the frame. */
  focal: Positive,
  /** Its standard deviation, relative. */
  sigma: v.pipe(Finite, v.minValue(0)),
  /** Principal point from the middle, over the longer side. */
  shift: v.tuple([Finite, Finite]),
  distortion: DistortionSchema,
});
export type LensKitEntry = v.InferOutput<typeof LensKitEntrySchema>;

export const LensKitSchema = v.object({
  name: NameSchema,
  /** Longer side of the sensor, millimetres. */
  sensorMm: v.nullable(Positive),
  entries: v.pipe(v.array(LensKitEntrySchema), v.minLength(1), v.maxLength(200)),
});
export type LensKit = v.InferOutput<typeof LensKitSchema>;

/** An entry from a solved camera. `sigma` is the relative standard deviation of its focal length. */
export function kitEntry(camera: Camera, frame: Frame, focalMm: number | null, sigma: number): LensKitEntry {
  const size = Math.max(frame.width, frame.height);
  return {
    focalMm,
    focal: camera.focalPx / size,
    sigma,
    shift: [(camera.principal[0] - frame.width / 2) / size, (camera.principal[1] - frame.height / 2) / size],
    distortion: { ...camera.distortion },
  };
}

/** The kit with an entry added; one of the same engraved focal length (to half a per cent) is replaced. */
export function withEntry(kit: LensKit, entry: LensKitEntry): LensKit {
  const same = (e: LensKitEntry) =>
    e.focalMm === entry.focalMm ||
    (e.focalMm !== null && entry.focalMm !== null && Math.abs(Math.log(e.focalMm / entry.focalMm)) < 0.005);
  const entries = [...kit.entries.filter((e) => !same(e)), entry];
  entries.sort((a, b) => (a.focalMm ?? 0) - (b.focalMm ?? 0));
  return { ...kit, entries };
}

export interface KitLens {
  focalPx: number;
  sigmaPx: number;
  principal: [number, number];
  distortion: Distortion;
}

/**
 * The kit's lens for a frame. A zoom is interpolated between the two entries around `focalMm`, linearly in the logarithm
 * of the focal length; outside of its entries the nearest one's ratio and bend are taken. Null where the kit is a zoom
 * and the plate does not say its focal length.
 */
export function kitLens(kit: LensKit, frame: Frame, focalMm: number | null): KitLens | null {
  const size = Math.max(frame.width, frame.height);
  const give = (e: Omit<LensKitEntry, "focalMm">): KitLens => ({
    focalPx: e.focal * size,
    sigmaPx: e.sigma * e.focal * size,
    principal: [frame.width / 2 + e.shift[0] * size, frame.height / 2 + e.shift[1] * size],
    distortion: { ...e.distortion },
  });
  if (kit.entries.length === 1) return give(kit.entries[0]);
  const known = kit.entries.filter((e) => e.focalMm !== null);
  if (focalMm === null || known.length === 0) return null;
  let i = known.findIndex((e) => e.focalMm! >= focalMm);
  if (i < 0) i = known.length - 1;
  const [a, b] = [known[Math.max(0, i - 1)], known[i]];
  const span = Math.log(b.focalMm! / a.focalMm!);
  const raw = span === 0 ? 0 : Math.log(focalMm / a.focalMm!) / span;
  const t = Math.min(1, Math.max(0, raw));
  const mix = (x: number, y: number) => x + (y - x) * t;
  // What is interpolated is how far the true focal length is from the engraved one.
  const ratio = Math.exp(mix(Math.log(a.focal / a.focalMm!), Math.log(b.focal / b.focalMm!)));
  const d = (key: keyof Distortion) => mix(a.distortion[key], b.distortion[key]);
  return give({
    focal: ratio * focalMm,
    sigma: mix(a.sigma, b.sigma),
    shift: [mix(a.shift[0], b.shift[0]), mix(a.shift[1], b.shift[1])],
    distortion: { k1: d("k1"), k2: d("k2"), k3: d("k3"), p1: d("p1"), p2: d("p2") },
  });
}
