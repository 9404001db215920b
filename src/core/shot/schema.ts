import * as v from "valibot";
import { DistortionSchema, PixelSchema } from "../match/request.ts";

/** The shot document: the one model that browser, server and command line share. */

export const SHOT_VERSION = 1;

const Finite = v.pipe(v.number("must be a number"), v.finite("must be finite"));
const Positive = v.pipe(Finite, v.minValue(1e-6, "must be greater than 0"));
const Share = v.pipe(Finite, v.minValue(0, "must be 0 or more"), v.maxValue(1, "must be 1 or less"));
const NotNegative = v.pipe(Finite, v.minValue(0, "must be 0 or more"));
const Vec3Schema = v.tuple([Finite, Finite, Finite]);
const ColourSchema = v.tuple([NotNegative, NotNegative, NotNegative]);
const Text = v.pipe(v.string(), v.maxLength(400, "is too long"));
const Id = v.pipe(v.string(), v.regex(/^[a-z0-9-]{1,40}$/, "is not an id"));
export const HashSchema = v.pipe(v.string(), v.regex(/^[0-9a-f]{64}$/, "is not a SHA-256"));

const CurveSchema = v.variant("kind", [
  v.object({ kind: v.literal("srgb") }),
  v.object({ kind: v.literal("parametric"), type: v.picklist([0, 1, 2, 3, 4]), values: v.array(Finite) }),
  v.object({ kind: v.literal("table"), values: v.array(Finite) }),
]);

const PlateSchema = v.object({
  /** The file as it was given. */
  asset: HashSchema,
  /** Its decoded codes: width x height x RGB, 8 or 16 bits little-endian. */
  codes: HashSchema,
  fileName: Text,
  width: v.pipe(v.number(), v.integer(), v.minValue(8)),
  height: v.pipe(v.number(), v.integer(), v.minValue(8)),
  encoding: v.object({
    bits: v.picklist([8, 16]),
    curves: v.tuple([CurveSchema, CurveSchema, CurveSchema]),
    toRec709: v.tuple([Vec3Schema, Vec3Schema, Vec3Schema]),
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
  }),
  owner: Text,
  licence: Text,
});

const EdgeSchema = v.object({
  id: Id,
  axis: v.picklist(["x", "y", "z"]),
  points: v.tuple([PixelSchema, PixelSchema]),
});

const LengthSchema = v.object({
  id: Id,
  from: PixelSchema,
  to: PixelSchema,
  along: v.nullable(v.picklist(["x", "y", "z"])),
  metres: Positive,
});

export const CameraSchema = v.object({
  focalPx: Positive,
  principal: PixelSchema,
  distortion: DistortionSchema,
  rotation: v.tuple([Vec3Schema, Vec3Schema, Vec3Schema]),
  position: Vec3Schema,
});

const SolvedSchema = v.object({
  camera: CameraSchema,
  evidence: v.string(),
  rmsPx: NotNegative,
  sigma: v.object({
    focalPx: Finite,
    rotationDeg: Vec3Schema,
    positionM: v.nullable(Vec3Schema),
    cameraHeightM: v.nullable(Finite),
  }),
});

const VertexSchema = v.object({
  world: Vec3Schema,
  /** Where it was placed; null once its metres were typed. */
  pixel: v.nullable(PixelSchema),
});

const SurfaceBase = {
  id: Id,
  name: Text,
  role: v.picklist(["catcher", "blocker"]),
};

export const SurfaceSchema = v.variant("kind", [
  /** A polygon on the ground; raised above 0 it is a block with sides and a lid. */
  v.object({
    ...SurfaceBase,
    kind: v.literal("ground"),
    vertices: v.pipe(v.array(VertexSchema), v.minLength(3)),
    height: NotNegative,
  }),
  /** A wall on edge number `edge` of a ground polygon. */
  v.object({
    ...SurfaceBase,
    kind: v.literal("wall"),
    on: Id,
    edge: v.pipe(v.number(), v.integer(), v.minValue(0)),
    height: Positive,
  }),
  /** A round post: a bollard, a tree trunk, a lamp. */
  v.object({ ...SurfaceBase, kind: v.literal("post"), foot: VertexSchema, radius: Positive, height: Positive }),
]);

const PlacementSchema = v.object({
  position: Vec3Schema,
  turnDeg: Finite,
  leanDeg: v.tuple([Finite, Finite]),
  scale: v.tuple([Positive, Positive, Positive]),
});

export const PropSchema = v.object({
  id: Id,
  name: Text,
  source: v.variant("kind", [
    v.object({ kind: v.literal("model"), asset: HashSchema, fileName: Text }),
    v.object({
      kind: v.picklist(["box", "sphere", "cylinder"]),
      colour: ColourSchema,
      roughness: Share,
      metallic: Share,
    }),
  ]),
  placement: PlacementSchema,
  /** What to keep when the camera is solved again. */
  keeps: v.picklist(["metres", "picture"]),
  hidden: v.boolean(),
});

const ProbeSchema = v.object({ pixel: PixelSchema, radius: v.pipe(Finite, v.minValue(1)) });

const RegionSchema = v.object({
  id: Id,
  points: v.pipe(v.array(PixelSchema), v.minLength(3)),
  /** Width of the soft border in plate pixels. */
  feather: NotNegative,
});

const LightSchema = v.object({
  sighting: v.nullable(v.object({ foot: PixelSchema, top: PixelSchema, tip: PixelSchema })),
  /** Degrees; the azimuth is clockwise from +Y. */
  sun: v.object({
    on: v.boolean(),
    azimuthDeg: Finite,
    elevationDeg: Finite,
    radiusDeg: v.pipe(Finite, v.minValue(0.01), v.maxValue(20)),
  }),
  lit: v.nullable(ProbeSchema),
  shaded: v.nullable(ProbeSchema),
  albedo: v.object({ name: Text, colour: v.tuple([Positive, Positive, Positive]), spread: NotNegative }),
  /** Plate units; from the probes, or typed. */
  sunIrradiance: ColourSchema,
  skyRadiance: ColourSchema,
  /** Shadow density and tint: weights of the sun and of the sky's colours in the catcher's ratio. */
  density: v.pipe(Finite, v.minValue(0), v.maxValue(4)),
  tint: v.tuple([Positive, Positive, Positive]),
  /** Level of the props against the plate, for an albedo that was guessed wrong. */
  propLevel: Positive,
  /** Gloss of the ground: weight of its reflection and roughness. */
  gloss: Share,
  glossRoughness: Share,
  shadows: v.record(Id, RegionSchema),
});

export const ShotSchema = v.object({
  version: v.literal(SHOT_VERSION),
  name: Text,
  unit: v.picklist(["m", "cm", "mm", "ft"]),
  plate: PlateSchema,
  lens: v.object({ focalPx: v.nullable(Positive), solveK1: v.boolean() }),
  edges: v.record(Id, EdgeSchema),
  lengths: v.record(Id, LengthSchema),
  origin: v.nullable(PixelSchema),
  solved: v.nullable(SolvedSchema),
  box: v.object({ position: Vec3Schema, size: v.tuple([Positive, Positive, Positive]) }),
  set: v.record(Id, SurfaceSchema),
  props: v.record(Id, PropSchema),
  light: LightSchema,
  render: v.object({
    percent: v.picklist([25, 50, 100]),
    samples: v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(65536)),
    seed: v.pipe(v.number(), v.integer(), v.minValue(0)),
  }),
});

export type Shot = v.InferOutput<typeof ShotSchema>;
export type ShotEdge = v.InferOutput<typeof EdgeSchema>;
export type ShotLength = v.InferOutput<typeof LengthSchema>;
export type Surface = v.InferOutput<typeof SurfaceSchema>;
export type GroundSurface = Extract<Surface, { kind: "ground" }>;
export type SetVertex = v.InferOutput<typeof VertexSchema>;
export type Prop = v.InferOutput<typeof PropSchema>;
export type PlateInfo = v.InferOutput<typeof PlateSchema>;

/** A shot with nothing marked yet. */
export function newShot(name: string, plate: PlateInfo): Shot {
  return {
    version: SHOT_VERSION,
    name,
    unit: "m",
    plate,
    lens: { focalPx: null, solveK1: false },
    edges: {},
    lengths: {},
    origin: null,
    solved: null,
    box: { position: [0, 0, 0], size: [1, 1, 1] },
    set: {},
    props: {},
    light: {
      sighting: null,
      sun: { on: true, azimuthDeg: 135, elevationDeg: 40, radiusDeg: 0.2665 },
      lit: null,
      shaded: null,
      albedo: { name: "Stone paving", colour: [0.25, 0.25, 0.25], spread: 0.07 },
      sunIrradiance: [2, 2, 2],
      skyRadiance: [0.25, 0.25, 0.25],
      density: 1,
      tint: [1, 1, 1],
      propLevel: 1,
      gloss: 0,
      glossRoughness: 0.5,
      shadows: {},
    },
    render: { percent: 100, samples: 128, seed: 1 },
  };
}

/** Migrations by the version that they start from. */
const MIGRATIONS: Record<number, (old: Record<string, unknown>) => Record<string, unknown>> = {};

/** Checks a stored or received document, migrated to the current version. Throws with the name of the wrong field. */
export function parseShot(input: unknown): Shot {
  let document = input as Record<string, unknown>;
  if (typeof document !== "object" || document === null) throw new Error("The shot document is not an object.");
  while (typeof document.version === "number" && document.version < SHOT_VERSION) {
    const migrate = MIGRATIONS[document.version];
    if (!migrate) throw new Error(`No way leads from shot version ${document.version} to ${SHOT_VERSION}.`);
    document = migrate(document);
  }
  const result = v.safeParse(ShotSchema, document);
  if (result.success) return result.output;
  const issue = result.issues[0];
  const path = (issue.path ?? []).map((p) => String(p.key)).join(".");
  throw new Error(`The shot document is not valid: ${path} ${issue.message}.`);
}
