import * as v from "valibot";
import type { Vec2, Vec3 } from "../../math/vec3.ts";
import type { Camera, Plane } from "../../optics/camera.ts";
import { groundPlane } from "../../optics/camera.ts";
import { Id, PixelSchema } from "../../schema/fields.ts";
import { facePlane } from "../../set/face.ts";
import type { SetRecord } from "../../set/parts/index.ts";
import { pickFace } from "../../set/pick.ts";
import { WeightSchema } from "../evidence.ts";

/** What a sighting tells: the sun itself, or a plane in which it lies, by that plane's normal. */
export type Reading =
  /** The height is that of the sighted thing in metres, null for what has none. */
  { direction: Vec3; height: number | null } | { normal: Vec3 };

export type Pixels<P extends string = string> = Record<P, Vec2>;

/** How a line over the plate looks: the thing itself, its shadow, or a ray of light. */
export type SketchStyle = "thing" | "cast" | "ray";

/** One way to tell from the plate where the sun stands. */
export interface SightingKind<P extends string = string> {
  /** For lists of sightings. */
  label: string;
  /** What is clicked, in this order. */
  pixels: readonly P[];
  /** Lines from pixel to pixel, and a ring around one of them through another. */
  lines: readonly (readonly [from: P, to: P, style: SketchStyle])[];
  ring: readonly [centre: P, through: P] | null;
  /**
   * Readings of pixels moved a little from where they were clicked: on which faces they lie stays. A sentence where they
   * cannot be read.
   */
  reader: (pixels: Pixels<P>, camera: Camera, set: SetRecord) => (moved: Pixels<P>) => Reading | string;
  /**
   * What a sun makes of it that can be laid over the plate by hand: where it is held, and its pixels after it was drawn to
   * another one; null where it cannot go there. Left out by kinds that have nothing but their own marks.
   */
  laid?: (pixels: Pixels<P>, camera: Camera, set: SetRecord, sun: Vec3) => Laid<P> | null;
}

export interface Laid<P extends string = string> {
  at: Vec2;
  drawnTo: (pixel: Vec2) => Pixels<P> | null;
}

/** Schema of a kind's sightings. */
export const sightingSchema = <const K extends string, P extends string>(kind: K, pixels: readonly P[]) =>
  v.object({
    kind: v.literal(kind),
    id: Id,
    plate: Id,
    ...(Object.fromEntries(pixels.map((name) => [name, PixelSchema])) as Record<P, typeof PixelSchema>),
    muted: v.boolean(),
    weight: WeightSchema,
  });

/** Plane on which something lies that is seen at a pixel: the face there, or the ground. */
export function planeAt(set: SetRecord, camera: Camera, pixel: Vec2): Plane {
  const picked = pickFace(set, camera, pixel);
  return picked ? facePlane(picked.face) : groundPlane();
}
