import * as v from "valibot";
import type { Frame } from "../optics/camera.ts";
import { Finite, HashSchema, Positive, Side, Text, Vec3Schema, curveValues } from "../schema/fields.ts";

/** The plate's own part of the document. */

const CurveSchema = v.variant("kind", [
  v.object({ kind: v.literal("half") }),
  v.object({ kind: v.literal("srgb") }),
  v.object({ kind: v.literal("parametric"), type: v.picklist([0, 1, 2, 3, 4]), values: curveValues }),
  v.object({ kind: v.literal("table"), values: curveValues }),
]);

export const PlateSchema = v.object({
  /** The file as it was given. */
  asset: HashSchema,
  /** Its decoded codes: width x height x RGB, 8 or 16 bits little-endian; of floats their halves. */
  codes: HashSchema,
  fileName: Text,
  width: Side,
  height: Side,
  encoding: v.object({
    bits: v.picklist([8, 16]),
    curves: v.tuple([CurveSchema, CurveSchema, CurveSchema]),
    toRec709: v.tuple([Vec3Schema, Vec3Schema, Vec3Schema]),
    /** How the camera bent light, as fitted or typed; null for straight. */
    response: v.optional(
      v.nullable(
        v.object({
          shoulder: v.pipe(Finite, v.minValue(0.2, "must be 0.2 or more"), v.maxValue(1, "must be 1 or less")),
          contrast: v.pipe(Finite, v.minValue(0.5, "must be 0.5 or more"), v.maxValue(2, "must be 2 or less")),
        }),
      ),
    ),
  }),
  /** The file's own ICC profile, kept for the finished picture. */
  profile: v.nullable(HashSchema),
  exif: v.object({
    camera: v.nullable(Text),
    lens: v.nullable(Text),
    focalMm: v.nullable(Positive),
    equivalentMm: v.nullable(Positive),
    taken: v.nullable(Text),
    orientation: v.nullable(Finite),
    /** Seconds, f-number and speed. */
    exposure: v.optional(v.nullable(v.object({ seconds: Positive, aperture: Positive, iso: Positive })), null),
    /** Where it was taken, degrees north and east, and how far its clock is ahead of universal time. */
    place: v.optional(
      v.nullable(
        v.object({
          latitude: v.pipe(Finite, v.minValue(-90), v.maxValue(90)),
          longitude: v.pipe(Finite, v.minValue(-180), v.maxValue(180)),
        }),
      ),
      null,
    ),
    zoneMinutes: v.optional(v.nullable(Finite), null),
  }),
  owner: Text,
  licence: Text,
  /** A drawing or design: no lens truth, large noise of the marks. */
  drawing: v.boolean(),
});

/** The plate that the shot is worked on and delivered at. */
export const MAIN_PLATE = "main";

export const plateEntries = {
  /** Plates by id: the main one, and others of the same place. */
  plates: v.objectWithRest({ [MAIN_PLATE]: PlateSchema }, PlateSchema),
};
export type PlateInfo = v.InferOutput<typeof PlateSchema>;
export interface PlatePart {
  plates: { main: PlateInfo };
}

export const shotFrame = ({ plates }: PlatePart): Frame => ({ width: plates.main.width, height: plates.main.height });
