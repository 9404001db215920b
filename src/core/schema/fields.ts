import * as v from "valibot";
import { textUpTo } from "../text/storable.ts";

/** Fields that every part of the shot document is made of, with their bounds. */

/** Far above what a shot needs, far below what could hold up a server. */
export const MOST = { number: 1e9, things: 5000, points: 2000, curve: 65_536, pixels: 65_535 };

export const Finite = v.pipe(
  v.number("must be a number"),
  v.finite("must be finite"),
  v.minValue(-MOST.number, "is too far below 0"),
  v.maxValue(MOST.number, "is too large"),
);
export const Positive = v.pipe(Finite, v.minValue(1e-6, "must be greater than 0"));
export const Share = v.pipe(Finite, v.minValue(0, "must be 0 or more"), v.maxValue(1, "must be 1 or less"));
export const NotNegative = v.pipe(Finite, v.minValue(0, "must be 0 or more"));
export const Degrees = v.pipe(NotNegative, v.maxValue(20, "must be 20 or less"));

/** What a number of plate pixels is counted along: the frame's width, its height, or any way. */
export type PixelWay = "across" | "down" | "any";
/** Marks a number that counts pixels of the plate: on another version of it there are more of them, or fewer. */
export const inPixels = <T extends v.GenericSchema<number>>(schema: T, way: PixelWay = "any") =>
  v.pipe(schema, v.metadata({ pixels: way }));
/** A place on the plate. */
export const PixelSchema = v.tuple([inPixels(Finite, "across"), inPixels(Finite, "down")], "must be a pixel [u, v]");
/** A place in a picture of its own, which stays as large as it is. */
export const PictureSpotSchema = v.tuple([Finite, Finite], "must be a pixel [u, v]");

export const Vec3Schema = v.tuple([Finite, Finite, Finite]);
export const ColourSchema = v.tuple([NotNegative, NotNegative, NotNegative]);
export const Text = textUpTo(400);
export const Id = v.pipe(v.string(), v.regex(/^[a-z0-9-]{1,40}$/, "is not an id"));
export const HashSchema = v.pipe(v.string(), v.regex(/^[0-9a-f]{64}$/, "is not a SHA-256"));
export const Side = v.pipe(
  v.number(),
  v.integer(),
  v.minValue(8, "must be 8 or more"),
  v.maxValue(MOST.pixels, "is larger than any plate"),
);
export const curveValues = v.pipe(v.array(Finite), v.maxLength(MOST.curve, "is too long"));

/** A whole number within bounds. */
export const whole = (least: number, most: number) =>
  v.pipe(
    v.number("must be a number"),
    v.integer("must be a whole number"),
    v.minValue(least, `must be ${least} or more`),
    v.maxValue(most, `must be ${most} or less`),
  );

/** A record by id with as many things as a shot may have. */
export const byId = <T extends v.GenericSchema>(schema: T) =>
  v.pipe(v.record(Id, schema), v.maxEntries(MOST.things, "has too many entries"));

export const pointsFrom = <T extends v.GenericSchema>(schema: T, least: number) =>
  v.pipe(
    v.array(schema),
    v.minLength(least, `has fewer than ${least} points`),
    v.maxLength(MOST.points, "has too many points"),
  );

export const DistortionSchema = v.object({
  k1: v.optional(Finite, 0),
  k2: v.optional(Finite, 0),
  k3: v.optional(Finite, 0),
  p1: v.optional(Finite, 0),
  p2: v.optional(Finite, 0),
});
