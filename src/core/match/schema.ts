import * as v from "valibot";
import type { Vec2 } from "../math/vec3.ts";
import { noDistortion } from "../optics/distortion.ts";
import { LENS_FIGURES } from "../optics/lens.ts";
import type { PlatePart } from "../plate/schema.ts";
import { MAIN_PLATE } from "../plate/schema.ts";
import {
  Degrees,
  DistortionSchema,
  Finite,
  Id,
  MOST,
  NotNegative,
  PixelSchema,
  Positive,
  Text,
  Vec3Schema,
  byId,
  inPixels,
  pointsFrom,
  whole,
} from "../schema/fields.ts";
import { textUpTo } from "../text/storable.ts";
import { AxisSchema } from "./request.ts";
import { USUAL_TOLERANCE_DEG } from "./widen.ts";

/** Standard deviation of marks set by hand under the loupe, pixels (common practice, no published source). */
export const MARK_SIGMA = 0.7;

/** The camera step's part of the document: marks, lens, how they are solved, and the answer. */

/** x, y, z, level:NAME, free:NAME, or any: the direction is read from the picture. */
const EdgeAxisSchema = v.union([AxisSchema, v.literal("any")]);

const EdgeSchema = v.object({
  id: Id,
  plate: Id,
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
  plate: Id,
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

const TieSchema = v.object({ id: Id, plate: Id, pixel: PixelSchema, world: Vec3Schema, muted: v.boolean() });

/** A construction that is drawn on the plate to test the match, or to measure. */
const GaugeSchema = v.variant("kind", [
  v.object({ id: Id, plate: Id, kind: v.literal("tape"), points: v.tuple([PixelSchema, PixelSchema]) }),
  v.object({ id: Id, plate: Id, kind: v.literal("line"), points: v.tuple([PixelSchema, PixelSchema]) }),
  v.object({
    id: Id,
    plate: Id,
    kind: v.literal("division"),
    points: v.tuple([PixelSchema, PixelSchema, PixelSchema, PixelSchema]),
    across: whole(1, 40),
    down: whole(1, 40),
  }),
]);

export const CameraSchema = v.object({
  focalPx: inPixels(Positive),
  principal: PixelSchema,
  distortion: DistortionSchema,
  rotation: v.tuple([Vec3Schema, Vec3Schema, Vec3Schema]),
  position: Vec3Schema,
});

const LensSchema = v.object({
  /** Solved from the marks, solved with what is known of it as a tolerant value, or held. */
  focal: v.picklist(["solve", "tolerant", "hold"]),
  /** The held or known focal length; null until one is given. */
  focalPx: v.nullable(inPixels(Positive)),
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
  crop: v.nullable(
    v.object({
      width: inPixels(Positive, "across"),
      height: inPixels(Positive, "down"),
      left: inPixels(Finite, "across"),
      top: inPixels(Finite, "down"),
    }),
  ),
});

const SolvedSchema = v.object({
  camera: CameraSchema,
  evidence: textUpTo(4_000_000),
  rmsPx: v.nullable(inPixels(NotNegative)),
  /** Null for a camera that was matched by hand. */
  sigma: v.nullable(
    v.object({
      focalPx: inPixels(Finite),
      rotationDeg: Vec3Schema,
      positionM: v.nullable(Vec3Schema),
      cameraHeightM: v.nullable(Finite),
    }),
  ),
});

/** Where the camera comes from: the marks, or the hand. What is locked the hand does not move. */
const MatchSchema = v.object({
  by: v.picklist(["marks", "hand"]),
  robust: v.boolean(),
  /** Standard deviation of marks of weight 1, pixels: more than under the loupe where they were set on a smaller version of the plate. */
  markPx: v.optional(inPixels(Positive), MARK_SIGMA),
  /** How true the marked things are to their directions, degrees: all, and families by axis. */
  tolerance: v.object({
    deg: Degrees,
    families: v.pipe(v.record(AxisSchema, Degrees), v.maxEntries(MOST.things, "has too many entries")),
  }),
  locks: v.object({ rotation: v.boolean(), lens: v.boolean(), position: v.boolean() }),
  /** World point that hand moves keep on its pixel. */
  held: v.nullable(v.object({ world: Vec3Schema, pixel: PixelSchema })),
});

export const matchEntries = {
  lens: LensSchema,
  match: MatchSchema,
  edges: byId(EdgeSchema),
  lengths: byId(LengthSchema),
  ties: byId(TieSchema),
  horizon: byId(v.object({ id: Id, plate: Id, pixel: PixelSchema })),
  cameraHeight: v.nullable(v.object({ metres: Positive, sigmaMetres: NotNegative })),
  /** The camera was held level: standard deviation of its tilt, degrees. */
  level: v.nullable(v.object({ sigmaDeg: Positive })),
  origin: v.nullable(PixelSchema),
  gauges: byId(GaugeSchema),
  solved: v.nullable(SolvedSchema),
  /** The test box. */
  box: v.object({ position: Vec3Schema, size: v.tuple([Positive, Positive, Positive]) }),
};

export type MatchPart = v.InferOutput<v.ObjectSchema<typeof matchEntries, undefined>>;
/** What the solver is asked from. */
export type Evidence = MatchPart & PlatePart;
export type ShotEdge = v.InferOutput<typeof EdgeSchema>;
export type ShotLength = v.InferOutput<typeof LengthSchema>;
export type ShotTie = v.InferOutput<typeof TieSchema>;
export type Gauge = v.InferOutput<typeof GaugeSchema>;

/** A new edge. */
export const newEdge = (id: string, axis: string, points: Vec2[]): ShotEdge => ({
  id,
  plate: MAIN_PLATE,
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
  plate: MAIN_PLATE,
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

/** A shot's match before anything is marked. */
export const newMatch = (): MatchPart => ({
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
    markPx: MARK_SIGMA,
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
  solved: null,
  box: { position: [0, 0, 0], size: [1, 1, 1] },
});
