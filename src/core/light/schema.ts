import * as v from "valibot";
import {
  ColourSchema,
  Finite,
  Id,
  NotNegative,
  PixelSchema,
  Positive,
  Share,
  Text,
  Vec3Schema,
  byId,
  pointsFrom,
} from "../schema/fields.ts";

/** The light step's part of the document. */

export const LAMP_KINDS = ["rectangle", "disc", "sphere", "spot"] as const;

export const LampSchema = v.object({
  id: Id,
  name: Text,
  on: v.boolean(),
  kind: v.picklist(LAMP_KINDS),
  position: Vec3Schema,
  /** Where it shines, degrees: clockwise from +Y, and upwards. */
  azimuthDeg: Finite,
  tiltDeg: v.pipe(Finite, v.minValue(-90), v.maxValue(90)),
  /** Metres: width and height of a rectangle; the first is the diameter of the others. */
  size: v.tuple([Positive, Positive]),
  /** Radiance in plate units: colour times level. */
  colour: ColourSchema,
  level: NotNegative,
  /** Spot: degrees from the axis up to which it is full, and beyond which it is dark. */
  cone: v.object({ innerDeg: NotNegative, outerDeg: v.pipe(Finite, v.minValue(0.1), v.maxValue(89)) }),
});

const ProbeSchema = v.object({ pixel: PixelSchema, radius: v.pipe(Finite, v.minValue(1)), plate: Id });

const RegionSchema = v.object({
  id: Id,
  plate: Id,
  points: pointsFrom(PixelSchema, 3),
  /** Width of the soft border in plate pixels. */
  feather: NotNegative,
  /** Share of the sky behind it that what casts the shade hides. */
  hidesSky: v.optional(Share, 1),
});

const LightSchema = v.object({
  sighting: v.nullable(v.object({ foot: PixelSchema, top: PixelSchema, tip: PixelSchema, plate: Id })),
  /** Degrees; the azimuth is clockwise from +Y. */
  sun: v.object({
    on: v.boolean(),
    azimuthDeg: Finite,
    elevationDeg: Finite,
    radiusDeg: v.pipe(Finite, v.minValue(0.01), v.maxValue(20)),
  }),
  lit: v.nullable(ProbeSchema),
  shaded: v.nullable(ProbeSchema),
  /** Plate units; from the probes, or typed. */
  sunIrradiance: ColourSchema,
  skyRadiance: ColourSchema,
  /** Shadow density and tint: weights of the sun and of the sky's colours in the catcher's ratio. */
  density: v.pipe(Finite, v.minValue(0), v.maxValue(4)),
  tint: v.tuple([Positive, Positive, Positive]),
  /** Level of the props against the plate, for an albedo that was guessed wrong. */
  propLevel: Positive,
  shadows: byId(RegionSchema),
  lamps: byId(LampSchema),
});

export const lightEntries = { light: LightSchema };
export type Light = v.InferOutput<typeof LightSchema>;
export interface LightPart {
  light: Light;
}
export type ShotLamp = v.InferOutput<typeof LampSchema>;

/** A new lamp that shines straight down. */
export const newLamp = (id: string, kind: ShotLamp["kind"], position: ShotLamp["position"]): ShotLamp => ({
  id,
  name: `${kind[0].toUpperCase()}${kind.slice(1)} lamp`,
  on: true,
  kind,
  position,
  azimuthDeg: 0,
  tiltDeg: -90,
  size: kind === "rectangle" ? [1, 0.6] : [0.3, 0.3],
  colour: [1, 0.9, 0.75],
  level: 4,
  cone: { innerDeg: 20, outerDeg: 30 },
});

export const newLight = (): Light => ({
  sighting: null,
  sun: { on: true, azimuthDeg: 135, elevationDeg: 40, radiusDeg: 0.2665 },
  lit: null,
  shaded: null,
  sunIrradiance: [2, 2, 2],
  skyRadiance: [0.25, 0.25, 0.25],
  density: 1,
  tint: [1, 1, 1],
  propLevel: 1,
  shadows: {},
  lamps: {},
});
