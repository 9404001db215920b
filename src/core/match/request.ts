import * as v from "valibot";
import { DistortionSchema, Finite, PixelSchema } from "../schema/fields.ts";

/** The solver's request and answer, as docs/design.md section 5 shows them. */

const Positive = v.pipe(Finite, v.minValue(1e-9, "must be greater than 0"));
const NotNegative = v.pipe(Finite, v.minValue(0, "must not be negative"));
const WorldSchema = v.tuple([Finite, Finite, Finite], "must be a point [x, y, z]");
const optional = <T extends v.GenericSchema>(schema: T) => v.nullish(schema);

export const AxisSchema = v.pipe(
  v.string("must be x, y, z, level:NAME or free:NAME"),
  v.regex(/^(x|y|z|(level|free):[^\0\ud800-\udfff]{1,100})$/u, "must be x, y, z, level:NAME or free:NAME"),
);

const EdgeSchema = v.object({
  id: v.string("must be a text"),
  axis: AxisSchema,
  onAxis: optional(v.boolean("must be true or false")),
  points: v.pipe(v.array(PixelSchema, "must be a list of pixels"), v.minLength(2, "needs two points or more")),
  sigmaPx: optional(Positive),
  /** What it lies on, as floor or wall: edges of one axis on one thing are judged together. */
  group: optional(v.string("must be a text")),
});

const LengthSchema = v.object({
  id: v.string("must be a text"),
  from: PixelSchema,
  to: PixelSchema,
  fromWorld: optional(WorldSchema),
  along: optional(v.picklist(["x", "y", "z"], "must be x, y, z or null")),
  metres: Positive,
  sigmaMetres: optional(NotNegative),
  sigmaPx: optional(Positive),
  /** The surface that both ends lie on: level at a height, or upright over a line of two ground pixels. */
  on: optional(
    v.union(
      [
        v.object({ height: Finite }),
        v.object({ wall: v.tuple([PixelSchema, PixelSchema], "must be two pixels on the ground") }),
      ],
      "must be {height} or {wall}",
    ),
  ),
});

const TieSchema = v.object({
  id: v.string("must be a text"),
  pixel: PixelSchema,
  world: WorldSchema,
  sigmaPx: optional(Positive),
});

export const SolveRequestSchema = v.object({
  plate: v.object({ width: Positive, height: Positive }, "must be {width, height}"),
  lens: optional(
    v.object({
      focalPx: optional(Positive),
      focalTolerance: optional(Positive),
      principal: optional(PixelSchema),
      distortion: optional(DistortionSchema),
      /** What EXIF, kit or database say of the lens, whether it is counted or not: compared with what the marks say. */
      noted: optional(v.object({ focalPx: Positive, relative: Positive, source: v.string("must be a text") })),
      solve: optional(v.array(v.picklist(["focal", "principal", "k1", "k2"], "must be focal, principal, k1 or k2"))),
    }),
  ),
  edges: optional(v.array(EdgeSchema, "must be a list")),
  lengths: optional(v.array(LengthSchema, "must be a list")),
  tiePoints: optional(v.array(TieSchema, "must be a list")),
  horizon: optional(v.array(v.object({ pixel: PixelSchema, sigmaPx: optional(Positive) }), "must be a list")),
  origin: optional(PixelSchema),
  cameraHeight: optional(v.object({ metres: Positive, sigmaMetres: optional(NotNegative) })),
  /** The camera was held level: its tilt as a soft constraint, degrees. */
  level: optional(v.object({ tiltDeg: optional(Finite), sigmaDeg: Positive })),
  /** How true built things are to the directions of their families, degrees: of all, and of single axes. */
  tolerance: optional(
    v.object(
      { deg: optional(NotNegative), families: optional(v.record(v.string(), NotNegative)) },
      "must be {deg, families}",
    ),
  ),
  robust: optional(v.boolean("must be true or false")),
});

export type SolveRequest = v.InferInput<typeof SolveRequestSchema>;
export type RequestEdge = v.InferInput<typeof EdgeSchema>;
export type RequestLength = v.InferInput<typeof LengthSchema>;
export type RequestTie = v.InferInput<typeof TieSchema>;

export type Severity = "info" | "warning" | "error";
export interface Finding {
  code: string;
  severity: Severity;
  message: string;
  ids: string[];
  /** Figures that the sentence names, for what can be done about it. */
  numbers?: Record<string, number>;
}

export interface AnswerCamera {
  focalPx: number;
  principal: [number, number];
  distortion: { k1: number; k2: number; k3: number; p1: number; p2: number };
  rotation: [[number, number, number], [number, number, number], [number, number, number]];
  position: [number, number, number];
  fovDeg: { horizontal: number; vertical: number };
}

/** One standard deviation of every part of the answer. */
export interface AnswerSigma {
  focalPx: number;
  rotationDeg: [number, number, number];
  positionM: [number, number, number] | null;
  cameraHeightM: number | null;
}

export interface SolveAnswer {
  camera: AnswerCamera | null;
  rmsPx: number | null;
  residuals: { id: string; px: number; influence: number | null }[];
  /** A priori, from the marks' own noise. */
  sigma: AnswerSigma | null;
  /** Widened by how the marks scatter and by how true the marked things are. */
  sigmaWidened: AnswerSigma | null;
  alternatives: { camera: AnswerCamera; rmsPx: number }[];
  findings: Finding[];
}

/** Malformed input: `field` names the place, as in `[3].edges[0].axis`. */
export class RequestError extends Error {
  constructor(
    readonly field: string,
    reason: string,
  ) {
    super(`${field || "request"}: ${reason}`);
  }
}

/** Checks one request. `where` is put before the field's name. Throws RequestError. */
export function parseRequest(input: unknown, where = ""): SolveRequest {
  const result = v.safeParse(SolveRequestSchema, input);
  if (result.success) return input as SolveRequest;
  const issue = result.issues[0];
  let field = where;
  for (const item of issue.path ?? []) {
    field += typeof item.key === "number" ? `[${item.key}]` : `${field === "" ? "" : "."}${String(item.key)}`;
  }
  const missing = issue.input === undefined ? "is missing" : issue.message;
  throw new RequestError(field, missing);
}
