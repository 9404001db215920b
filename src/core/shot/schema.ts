import * as v from "valibot";
import { AxisSchema, DistortionSchema, PixelSchema } from "../match/request.ts";
import { USUAL_TOLERANCE_DEG } from "../match/widen.ts";
import { noDistortion } from "../optics/distortion.ts";
import { LENS_FIGURES } from "../optics/lens.ts";
import type { Vec2 } from "../math/vec3.ts";
import { textUpTo } from "../text/storable.ts";

/** The shot document: the one model that browser, server and command line share. */

export const SHOT_VERSION = 4;

/** Bounds of every document: far above what a shot needs, far below what could hold up a server. */
const MOST = { number: 1e9, things: 5000, points: 2000, curve: 65_536, pixels: 65_535 };

const Finite = v.pipe(
  v.number("must be a number"),
  v.finite("must be finite"),
  v.minValue(-MOST.number, "is too far below 0"),
  v.maxValue(MOST.number, "is too large"),
);
const Positive = v.pipe(Finite, v.minValue(1e-6, "must be greater than 0"));
const Share = v.pipe(Finite, v.minValue(0, "must be 0 or more"), v.maxValue(1, "must be 1 or less"));
const NotNegative = v.pipe(Finite, v.minValue(0, "must be 0 or more"));
const Vec3Schema = v.tuple([Finite, Finite, Finite]);
const ColourSchema = v.tuple([NotNegative, NotNegative, NotNegative]);
const Text = textUpTo(400);
const Id = v.pipe(v.string(), v.regex(/^[a-z0-9-]{1,40}$/, "is not an id"));
/** A record by id with as many things as a shot may have. */
const byId = <T extends v.GenericSchema>(schema: T) =>
  v.pipe(v.record(Id, schema), v.maxEntries(MOST.things, "has too many entries"));
const pointsFrom = <T extends v.GenericSchema>(schema: T, least: number) =>
  v.pipe(
    v.array(schema),
    v.minLength(least, `has fewer than ${least} points`),
    v.maxLength(MOST.points, "has too many points"),
  );
const curveValues = v.pipe(v.array(Finite), v.maxLength(MOST.curve, "is too long"));
const Side = v.pipe(
  v.number(),
  v.integer(),
  v.minValue(8, "must be 8 or more"),
  v.maxValue(MOST.pixels, "is larger than any plate"),
);
export const HashSchema = v.pipe(v.string(), v.regex(/^[0-9a-f]{64}$/, "is not a SHA-256"));

const CurveSchema = v.variant("kind", [
  v.object({ kind: v.literal("srgb") }),
  v.object({ kind: v.literal("parametric"), type: v.picklist([0, 1, 2, 3, 4]), values: curveValues }),
  v.object({ kind: v.literal("table"), values: curveValues }),
]);

const PlateSchema = v.object({
  /** The file as it was given. */
  asset: HashSchema,
  /** Its decoded codes: width x height x RGB, 8 or 16 bits little-endian. */
  codes: HashSchema,
  fileName: Text,
  width: Side,
  height: Side,
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
  /** A drawing or design: no lens truth, large noise of the marks. */
  drawing: v.boolean(),
});

/** x, y, z, level:NAME, free:NAME, or any: the direction is read from the picture. */
const EdgeAxisSchema = v.union([AxisSchema, v.literal("any")]);

const EdgeSchema = v.object({
  id: Id,
  axis: EdgeAxisSchema,
  /** Lies on its axis through the origin. */
  onAxis: v.boolean(),
  points: pointsFrom(PixelSchema, 2),
  /** How much the mark counts: its standard deviation is divided by the square root of it. */
  weight: v.pipe(Finite, v.minValue(0.01), v.maxValue(100)),
  muted: v.boolean(),
  /** Not moved or deleted by hand. */
  locked: v.boolean(),
  /** What it lies on, as floor or wall; edges of one axis on one thing are judged together. */
  group: Text,
});

const LengthSchema = v.object({
  id: Id,
  name: Text,
  from: PixelSchema,
  to: PixelSchema,
  along: v.nullable(v.picklist(["x", "y", "z"])),
  /** The set surface that both ends lie on; null is the ground (for `from`, where it runs along an axis). */
  on: v.nullable(Id),
  /** Known world point of the start, instead of a place on the ground. */
  fromWorld: v.nullable(Vec3Schema),
  metres: Positive,
  sigmaMetres: NotNegative,
  muted: v.boolean(),
});

const TieSchema = v.object({ id: Id, pixel: PixelSchema, world: Vec3Schema, muted: v.boolean() });

/** A construction that is drawn on the plate to test the match, or to measure. */
const GaugeSchema = v.variant("kind", [
  v.object({ id: Id, kind: v.literal("tape"), points: v.tuple([PixelSchema, PixelSchema]) }),
  v.object({ id: Id, kind: v.literal("line"), points: v.tuple([PixelSchema, PixelSchema]) }),
  v.object({
    id: Id,
    kind: v.literal("division"),
    points: v.tuple([PixelSchema, PixelSchema, PixelSchema, PixelSchema]),
    across: v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(40)),
    down: v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(40)),
  }),
]);

export const NOTE_KINDS = ["height", "lens", "width", "time", "white", "other"] as const;

const NotesSchema = v.object({
  text: textUpTo(20_000),
  pictures: byId(v.object({ id: Id, asset: HashSchema, name: Text })),
  /** Remembered values: metres for heights and widths, millimetres for lenses, kelvin for white balance. */
  values: byId(
    v.object({
      id: Id,
      kind: v.picklist(NOTE_KINDS),
      label: Text,
      value: v.nullable(Finite),
      sigma: v.nullable(NotNegative),
    }),
  ),
});

export const CameraSchema = v.object({
  focalPx: Positive,
  principal: PixelSchema,
  distortion: DistortionSchema,
  rotation: v.tuple([Vec3Schema, Vec3Schema, Vec3Schema]),
  position: Vec3Schema,
});

const LensSchema = v.object({
  /** Solved from the marks, solved with what is known of it as a tolerant value, or held. */
  focal: v.picklist(["solve", "tolerant", "hold"]),
  /** The held or known focal length; null until one is given. */
  focalPx: v.nullable(Positive),
  /** Its standard deviation, relative. */
  tolerance: v.pipe(Finite, v.minValue(1e-4, "must be greater than 0"), v.maxValue(1)),
  /** Where that value comes from, in words. */
  source: Text,
  /** The figure by which it was given; null where it was not typed. What is given in millimetres follows the sensor. */
  givenAs: v.nullable(v.picklist([...LENS_FIGURES, "px"])),
  /** The user has settled that the marks are right where they contradict what is noted of the lens. */
  marksSettled: v.boolean(),
  /** Longer side of the sensor, millimetres. */
  sensorMm: v.nullable(Positive),
  solveK1: v.boolean(),
  solveK2: v.boolean(),
  solvePrincipal: v.boolean(),
  /** Held distortion: coefficients that are not solved. */
  distortion: DistortionSchema,
  /** Where the distortion comes from, in words. */
  distortionSource: Text,
  /** Null is the middle of the frame. */
  principal: v.nullable(PixelSchema),
  /** The part of a larger picture that the plate is. */
  crop: v.nullable(v.object({ width: Positive, height: Positive, left: Finite, top: Finite })),
});

const SolvedSchema = v.object({
  camera: CameraSchema,
  evidence: textUpTo(4_000_000),
  rmsPx: v.nullable(NotNegative),
  /** Null for a camera that was matched by hand. */
  sigma: v.nullable(
    v.object({
      focalPx: Finite,
      rotationDeg: Vec3Schema,
      positionM: v.nullable(Vec3Schema),
      cameraHeightM: v.nullable(Finite),
    }),
  ),
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
    vertices: pointsFrom(VertexSchema, 3),
    height: NotNegative,
  }),
  /** A wall on edge number `edge` of a ground polygon. */
  v.object({
    ...SurfaceBase,
    kind: v.literal("wall"),
    on: Id,
    edge: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(MOST.points)),
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

/** Which rays meet a prop. */
const VisibilitySchema = v.object({
  camera: v.boolean(),
  shadow: v.boolean(),
  reflection: v.boolean(),
  bounce: v.boolean(),
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
  visibility: VisibilitySchema,
  /** How far it goes and turns while the shutter is open; null for one that stands still. */
  motion: v.nullable(v.object({ offset: Vec3Schema, turnDeg: Finite })),
});

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

const ProbeSchema = v.object({ pixel: PixelSchema, radius: v.pipe(Finite, v.minValue(1)) });

const RegionSchema = v.object({
  id: Id,
  points: pointsFrom(PixelSchema, 3),
  /** Width of the soft border in plate pixels. */
  feather: NotNegative,
  /** Share of the sky behind it that what casts the shade hides. */
  hidesSky: v.optional(Share, 1),
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
  /** Gloss of the ground: its reflectance at normal incidence against index 1.5 (water about 0.5), and its roughness. */
  gloss: Share,
  glossRoughness: Share,
  shadows: byId(RegionSchema),
  lamps: byId(LampSchema),
});

/** Thin-lens focus. The opening is the focal length divided by the f-number. */
const FocusSchema = v.object({
  on: v.boolean(),
  openingMm: Positive,
  /** Metres along the view axis. */
  distance: Positive,
  /** Blades of the iris; 0 for a round one. */
  blades: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(16)),
  turnDeg: Finite,
});

/** Layers besides picture, prop, ratio and added light that a final writes. */
export const PASS_GROUPS = ["lights", "surface", "occlusion", "emission", "mattes"] as const;

/** How finals are rendered. */
export const RenderSchema = v.object({
  /** Of the plate's side. */
  percent: v.pipe(
    v.number("must be a number"),
    v.integer("must be a whole number"),
    v.minValue(25, "must be 25 or more"),
    v.maxValue(200, "must be 200 or less"),
  ),
  /** Most samples of a pixel. */
  samples: v.pipe(v.number(), v.integer(), v.minValue(1), v.maxValue(65536)),
  seed: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(2 ** 32 - 1)),
  /** Noise at which a tile is done, in code values of 8 bits; 0 takes every sample. */
  noise: NotNegative,
  /** Most minutes; 0 for no end. */
  minutes: NotNegative,
  passes: v.pipe(v.array(v.picklist(PASS_GROUPS)), v.maxLength(PASS_GROUPS.length)),
  /** Metres that ambient occlusion looks. */
  occlusionMetres: Positive,
  denoise: v.boolean(),
  /** Most that light by way of a matt surface adds to a sample, in multiples of a white surface; 0 for no limit. */
  limit: NotNegative,
  /** Threads of the server that a final takes; 0 for all. */
  threads: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(64)),
});

export const ShotSchema = v.object({
  version: v.literal(SHOT_VERSION),
  name: Text,
  unit: v.picklist(["m", "cm", "mm", "ft"]),
  plate: PlateSchema,
  lens: LensSchema,
  /** Where the camera comes from: the marks, or the hand. What is locked the hand does not move. */
  match: v.object({
    by: v.picklist(["marks", "hand"]),
    robust: v.boolean(),
    /** How true the marked things are to their directions, degrees: all, and families by axis. */
    tolerance: v.object({
      deg: v.pipe(NotNegative, v.maxValue(20, "must be 20 or less")),
      families: v.pipe(
        v.record(AxisSchema, v.pipe(NotNegative, v.maxValue(20, "must be 20 or less"))),
        v.maxEntries(MOST.things, "has too many entries"),
      ),
    }),
    locks: v.object({ rotation: v.boolean(), lens: v.boolean(), position: v.boolean() }),
    /** World point that hand moves keep on its pixel. */
    held: v.nullable(v.object({ world: Vec3Schema, pixel: PixelSchema })),
  }),
  edges: byId(EdgeSchema),
  lengths: byId(LengthSchema),
  ties: byId(TieSchema),
  horizon: byId(v.object({ id: Id, pixel: PixelSchema })),
  cameraHeight: v.nullable(v.object({ metres: Positive, sigmaMetres: NotNegative })),
  /** The camera was held level: standard deviation of its tilt, degrees. */
  level: v.nullable(v.object({ sigmaDeg: Positive })),
  origin: v.nullable(PixelSchema),
  gauges: byId(GaugeSchema),
  notes: NotesSchema,
  solved: v.nullable(SolvedSchema),
  box: v.object({ position: Vec3Schema, size: v.tuple([Positive, Positive, Positive]) }),
  set: byId(SurfaceSchema),
  props: byId(PropSchema),
  light: LightSchema,
  focus: FocusSchema,
  render: RenderSchema,
});

export type Shot = v.InferOutput<typeof ShotSchema>;
export type ShotEdge = v.InferOutput<typeof EdgeSchema>;
export type ShotLength = v.InferOutput<typeof LengthSchema>;
export type ShotTie = v.InferOutput<typeof TieSchema>;
export type Gauge = v.InferOutput<typeof GaugeSchema>;
export type NoteKind = (typeof NOTE_KINDS)[number];
export type NoteValue = Shot["notes"]["values"][string];
export type Surface = v.InferOutput<typeof SurfaceSchema>;
export type GroundSurface = Extract<Surface, { kind: "ground" }>;
export type SetVertex = v.InferOutput<typeof VertexSchema>;
export type Prop = v.InferOutput<typeof PropSchema>;
export type ShotLamp = v.InferOutput<typeof LampSchema>;
export type PassGroup = (typeof PASS_GROUPS)[number];
export type RenderChoice = v.InferOutput<typeof RenderSchema>;
export type PlateInfo = v.InferOutput<typeof PlateSchema>;

/** What of a shot's camera evidence is not there yet. */
const noEvidence = (): Pick<
  Shot,
  "lens" | "match" | "edges" | "lengths" | "ties" | "horizon" | "cameraHeight" | "level" | "origin" | "gauges" | "notes"
> => ({
  lens: {
    focal: "solve",
    focalPx: null,
    tolerance: 0.04,
    source: "",
    givenAs: null,
    marksSettled: false,
    sensorMm: null,
    solveK1: false,
    solveK2: false,
    solvePrincipal: false,
    distortion: noDistortion(),
    distortionSource: "",
    principal: null,
    crop: null,
  },
  match: {
    by: "marks",
    robust: false,
    tolerance: { deg: USUAL_TOLERANCE_DEG, families: {} },
    locks: { rotation: false, lens: false, position: false },
    held: null,
  },
  edges: {},
  lengths: {},
  ties: {},
  horizon: {},
  cameraHeight: null,
  level: null,
  origin: null,
  gauges: {},
  notes: { text: "", pictures: {}, values: {} },
});

/** Settings of the renderer that version 3 brought. */
const renderDefaults = (): Omit<RenderChoice, "percent" | "samples" | "seed"> => ({
  noise: 0,
  minutes: 0,
  passes: [],
  occlusionMetres: 1,
  denoise: false,
  limit: 20,
  threads: 0,
});

const newFocus = (): Shot["focus"] => ({ on: false, openingMm: 5, distance: 5, blades: 7, turnDeg: 0 });

/** What a new prop shows itself to: everything. It stands still. */
export const plainProp = (): Pick<Prop, "hidden" | "visibility" | "motion"> => ({
  hidden: false,
  visibility: { camera: true, shadow: true, reflection: true, bounce: true },
  motion: null,
});

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

/** A new edge. */
export const newEdge = (id: string, axis: string, points: Vec2[]): ShotEdge => ({
  id,
  axis,
  onAxis: false,
  points,
  weight: 1,
  muted: false,
  locked: false,
  group: "",
});

/** A new known length, upright from the ground. */
export const newLength = (id: string, from: Vec2, to: Vec2): ShotLength => ({
  id,
  name: "",
  from,
  to,
  along: "z",
  on: null,
  fromWorld: null,
  metres: 1,
  sigmaMetres: 0,
  muted: false,
});

/** A shot with nothing marked yet. */
export function newShot(name: string, plate: PlateInfo): Shot {
  return {
    version: SHOT_VERSION,
    name,
    unit: "m",
    plate,
    ...noEvidence(),
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
      lamps: {},
    },
    focus: newFocus(),
    render: { percent: 100, samples: 128, seed: 1, ...renderDefaults() },
  };
}

/** Migrations by the version that they start from. */
const MIGRATIONS: Record<number, (old: Record<string, unknown>) => Record<string, unknown>> = {
  // Version 2: every kind of evidence, lens, hand match, gauges and notes.
  1: (old) => {
    const blank = noEvidence();
    const lens = old.lens as { focalPx: number | null; solveK1: boolean };
    const edges = old.edges as Record<string, { id: string; axis: string; points: [Vec2, Vec2] }>;
    const lengths = old.lengths as Record<string, Partial<ShotLength> & { id: string; from: Vec2; to: Vec2 }>;
    const entries = <T, R>(record: Record<string, T>, make: (value: T) => R) =>
      Object.fromEntries(Object.entries(record).map(([id, value]) => [id, make(value)]));
    return {
      ...old,
      ...blank,
      version: 2,
      plate: { ...(old.plate as object), drawing: false },
      lens: {
        ...blank.lens,
        focal: lens.focalPx === null ? "solve" : "hold",
        focalPx: lens.focalPx,
        solveK1: lens.solveK1,
      },
      edges: entries(edges, (e) => newEdge(e.id, e.axis, e.points)),
      lengths: entries(lengths, (l) => ({ ...newLength(l.id, l.from, l.to), ...l })),
      origin: old.origin,
    };
  },
  // Version 3: lamps, focus, what meets a prop, its motion, and how finals are rendered.
  2: (old) => ({
    ...old,
    version: 3,
    props: Object.fromEntries(
      Object.entries(old.props as Record<string, Prop>).map(([id, p]) => [id, { ...plainProp(), ...p }]),
    ),
    light: { ...(old.light as object), lamps: {} },
    focus: newFocus(),
    render: { ...renderDefaults(), ...(old.render as object) },
  }),
  // Version 4: how true marked things are, how the focal length was given, and who is right about the lens.
  3: (old) => {
    const lens = old.lens as { source: string };
    const typed = lens.source.startsWith("typed: focal length");
    return {
      ...old,
      version: 4,
      lens: { ...lens, givenAs: typed ? "mm" : null, marksSettled: false },
      match: { ...(old.match as object), tolerance: noEvidence().match.tolerance },
    };
  },
};

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
