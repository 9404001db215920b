import * as v from "valibot";
import {
  ColourSchema,
  Finite,
  HashSchema,
  Id,
  NotNegative,
  PixelSchema,
  Positive,
  Share,
  Text,
  Vec3Schema,
  byId,
  pointsFrom,
  whole,
  inPixels,
} from "../schema/fields.ts";

import { WeightSchema } from "./evidence.ts";
import { LAMPS } from "./lamps.ts";
import { SlopeSchema, newSlope } from "./level.ts";
import { SightingSchema } from "./sightings/index.ts";

/** The light step's part of the document. */

const LAMP_KINDS = ["rectangle", "disc", "sphere", "spot", "line", "photometric"] as const;

/** Whom a source lights: everything, the props alone, or the set alone, on which it then only weighs in shadows. */
export const LIGHTS = ["all", "props", "set"] as const;

/** What every source has. Strength and tint weigh what was measured or typed, without a new ray. */
const sourceEntries = {
  on: v.boolean(),
  strength: v.pipe(Finite, v.minValue(0, "must be 0 or more"), v.maxValue(100, "must be 100 or less")),
  tint: ColourSchema,
  lights: v.picklist(LIGHTS),
  /** Props that it does not light; their shadows in its light stay. */
  except: v.optional(v.array(Id), []),
};

export const LampSchema = v.object({
  id: Id,
  name: Text,
  ...sourceEntries,
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
  /** The lamp whose colour and level it shares, as windows do that look at one sky; see `light/alike`. */
  like: v.optional(v.nullable(Id), null),
  /** Degrees that it is turned about its axis. */
  spinDeg: v.optional(Finite, 0),
  /** Its light by direction over the mean of all; see `light/ies`. */
  profile: v.optional(
    v.nullable(
      v.pipe(
        v.object({
          name: Text,
          columns: v.picklist([1, 24]),
          values: v.array(v.pipe(NotNegative, v.maxValue(1e6))),
          lumens: NotNegative,
        }),
        v.check(({ columns, values }) => values.length === columns * 181, "has another number of values than it says"),
      ),
    ),
    null,
  ),
  /** Spot: degrees from the axis up to which it is full, and beyond which it is dark. */
  cone: v.object({ innerDeg: NotNegative, outerDeg: v.pipe(Finite, v.minValue(0.1), v.maxValue(89)) }),
});

/** How much of the sun a probed patch gets: all of it, none, or what the set lets through. */
export const PROBE_SUNS = ["lit", "shaded", "as set"] as const;

const ProbeSchema = v.object({
  id: Id,
  plate: Id,
  pixel: PixelSchema,
  radius: inPixels(v.pipe(Finite, v.minValue(1))),
  sun: v.picklist(PROBE_SUNS),
  /** Reflectance of a card that lies there; null where the set's own material counts. */
  card: v.nullable(ColourSchema),
  muted: v.boolean(),
  weight: WeightSchema,
});

/** How the sky's brightness is spread; the mean of it on level ground is the sky's own radiance. */
export const SkySpreadSchema = v.variant("kind", [
  v.object({ kind: v.literal("even") }),
  /** Moon and Spencer's overcast sky: three times as bright overhead as at the horizon. */
  v.object({ kind: v.literal("overcast") }),
  /** One of the fifteen general skies of ISO 15469. */
  v.object({ kind: v.literal("general"), number: whole(1, 15) }),
  v.object({
    kind: v.literal("physical"),
    turbidity: v.pipe(Finite, v.minValue(1.7, "must be 1.7 or more"), v.maxValue(10, "must be 10 or less")),
  }),
  /** From one colour at the horizon to another overhead; by the power to which it falls off with height. */
  v.object({
    kind: v.literal("gradient"),
    horizon: ColourSchema,
    zenith: ColourSchema,
    steepness: v.pipe(Finite, v.minValue(0.2, "must be 0.2 or more"), v.maxValue(20, "must be 20 or less")),
  }),
  /** A picture of all around, latitude by longitude. */
  v.object({
    kind: v.literal("picture"),
    asset: HashSchema,
    name: Text,
    /** Degrees: where its middle points, clockwise from +Y, how far that is lifted, and a turn about it. */
    turnDeg: Finite,
    tiltDeg: v.pipe(Finite, v.minValue(-90, "must be -90 or more"), v.maxValue(90, "must be 90 or less")),
    rollDeg: Finite,
    flip: v.boolean(),
    contrast: v.pipe(Finite, v.minValue(0.1, "must be 0.1 or more"), v.maxValue(4, "must be 4 or less")),
    blurDeg: v.pipe(NotNegative, v.maxValue(60, "must be 60 or less")),
    /** Value at which its file clips, in its own values; null for a file with the whole range. */
    clippedAt: v.nullable(Positive),
    expandStops: v.pipe(NotNegative, v.maxValue(12, "must be 12 or less")),
    /** Its sun is taken out, so that the shot's own sun shines instead. */
    sunOut: v.boolean(),
    /** Where the place is near, metres: a sphere, a box in the world's axes, or a sphere with a level floor of its own. */
    extent: v.nullable(
      v.object({
        kind: v.picklist(["sphere", "box", "dome"]),
        centre: Vec3Schema,
        /** The sphere's radius three times, or half of the box's sides; of a dome its radius twice, and how high over its floor. */
        half: v.tuple([Positive, Positive, Positive]),
      }),
    ),
  }),
]);

/** Where and when the plate was taken. */
const AlmanacSchema = v.object({
  /** Degrees, north and east. */
  latitude: v.pipe(Finite, v.minValue(-90, "must be -90 or more"), v.maxValue(90, "must be 90 or less")),
  longitude: v.pipe(Finite, v.minValue(-180, "must be -180 or more"), v.maxValue(180, "must be 180 or less")),
  /** Date and time of the clock, as YYYY-MM-DDTHH:MM, and its minutes ahead of universal time. */
  clock: v.pipe(Text, v.regex(/^\d{4}-\d\d-\d\dT\d\d:\d\d$/, "must be a date and a time")),
  zoneMinutes: whole(-840, 840),
  /** Degrees from north, clockwise, to the world's +Y; null while nobody knows. */
  northDeg: v.nullable(Finite),
});

const RegionSchema = v.object({
  id: Id,
  plate: Id,
  points: pointsFrom(PixelSchema, 3),
  /** Width of the soft border in plate pixels. */
  feather: inPixels(NotNegative),
  /** Share of the sky behind it that what casts the shade hides. */
  hidesSky: v.optional(Share, 1),
});

const LightSchema = v.object({
  /** Degrees; the azimuth is clockwise from +Y. */
  sun: v.object({
    ...sourceEntries,
    azimuthDeg: Finite,
    elevationDeg: Finite,
    radiusDeg: v.pipe(Finite, v.minValue(0.01), v.maxValue(20)),
    /** On a surface that faces it, in plate units; from the probes, or typed. */
    irradiance: ColourSchema,
  }),
  sky: v.object({
    ...sourceEntries,
    /** Of the even sky that gives level ground the same light, in plate units. */
    radiance: ColourSchema,
    spread: SkySpreadSchema,
  }),
  /** How the world's ground lies against what is level. */
  slope: v.optional(SlopeSchema, newSlope),
  sightings: byId(SightingSchema),
  probes: byId(ProbeSchema),
  almanac: v.nullable(AlmanacSchema),
  /** Luminance of the plate's white, cd/m², as typed; null for what its exposure says. */
  whiteCd: v.optional(v.nullable(Positive), null),
  /** Temperature of the light that the plate shows as neutral; null where that is the middle of its own encoding. */
  whiteKelvin: v.optional(
    v.nullable(
      v.pipe(Finite, v.minValue(1500, "must be 1500 K or more"), v.maxValue(15000, "must be 15000 K or less")),
    ),
    null,
  ),
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
export type Probe = v.InferOutput<typeof ProbeSchema>;
/** What a probe is called by on the plate, in lists and in sentences: its number. */
export const probeNumber = (id: string): string => id.replace(/^probe-/, "");
/** The same with what it is said to be in. */
export const probeLabel = ({ id, sun }: Pick<Probe, "id" | "sun">): string =>
  sun === "as set" ? probeNumber(id) : `${probeNumber(id)} ${sun}`;
export type SkySpread = v.InferOutput<typeof SkySpreadSchema>;
export type Almanac = v.InferOutput<typeof AlmanacSchema>;
/** What sun, sky and every lamp share. */
export type Source = Pick<ShotLamp, "on" | "strength" | "tint" | "lights" | "except">;

export const newSource = (): Source => ({ on: true, strength: 1, tint: [1, 1, 1], lights: "all", except: [] });

export const newProbe = (id: string, pixel: Probe["pixel"], radius: number, sun: Probe["sun"]): Probe => ({
  id,
  plate: "main",
  pixel,
  radius,
  sun,
  card: null,
  muted: false,
});

/** A new lamp that shines straight down, called by its kind and the number in its id. */
export const newLamp = (id: string, kind: ShotLamp["kind"], position: ShotLamp["position"]): ShotLamp => ({
  id,
  name: `${LAMPS[kind].label[0].toUpperCase()}${LAMPS[kind].label.slice(1)} lamp ${/\d*$/.exec(id)![0]}`.trim(),
  ...newSource(),
  kind,
  position,
  azimuthDeg: 0,
  tiltDeg: -90,
  size: LAMPS[kind].size,
  spinDeg: 0,
  profile: null,
  colour: [1, 0.9, 0.75],
  level: 4,
  like: null,
  cone: { innerDeg: 20, outerDeg: 30 },
});

export const newLight = (): Light => ({
  sun: { ...newSource(), azimuthDeg: 135, elevationDeg: 40, radiusDeg: 0.2665, irradiance: [2, 2, 2] },
  sky: { ...newSource(), radiance: [0.25, 0.25, 0.25], spread: { kind: "even" } },
  slope: newSlope(),
  sightings: {},
  probes: {},
  almanac: null,
  whiteCd: null,
  whiteKelvin: null,
  density: 1,
  tint: [1, 1, 1],
  propLevel: 1,
  shadows: {},
  lamps: {},
});
