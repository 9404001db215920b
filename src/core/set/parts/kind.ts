import * as v from "valibot";
import type { Vec2, Vec3 } from "../../math/vec3.ts";
import type { Plane } from "../../optics/camera.ts";
import { Id, MOST, Text } from "../../schema/fields.ts";
import type { Face } from "../face.ts";
import { FlagsSchema } from "../roles.ts";
import type { SetVertex } from "../vertex.ts";
import type { SetRecord } from "./index.ts";

/** What every part of the set has, whatever its kind. */
export const partBase = {
  id: Id,
  name: Text,
  flags: FlagsSchema,
  /** What it is made of, and faces of it that are made of something else, by their ids. */
  material: Id,
  faceMaterials: v.pipe(v.record(Text, Id), v.maxEntries(MOST.things, "has too many entries")),
  /** Faces that have a role of their own, by their ids. */
  faceFlags: v.pipe(v.record(Text, FlagsSchema), v.maxEntries(MOST.things, "has too many entries")),
  /** Neither seen nor counted, without being deleted. */
  muted: v.boolean(),
};

/** What of a part comes from its kind and not from everything that parts have. */
export type Shape<P> = Omit<P, keyof typeof partBase>;

/** A vertex that was placed on the plate, with the normal of the plane that it keeps when the camera changes. */
export interface Placed {
  vertex: SetVertex;
  normal: Vec3;
}

/** Something of a part that can be grabbed, on the plate as well as from outside. */
export interface PartHandle<P> {
  /** Unique within the part. */
  key: string;
  at: Vec3;
  /** Name of the edit that a drag makes. */
  edit: string;
  /** Where it may go: over a plane, or along a line through it. */
  along: { plane: Plane } | { direction: Vec3 };
  /** Changes a draft of the part; the pixel is where it was put on the plate, null elsewhere. */
  put: (part: P, to: Vec3, pixel: Vec2 | null) => void;
}

/** A number of a part that can be typed. */
export interface PartField<P> {
  key: string;
  label: string;
  unit: "length" | "count" | "degrees" | "factor";
  value: number;
  least: number;
  put: (part: P, value: number) => void;
}

/** Something of a part that is on or off. */
export interface PartSwitch<P> {
  key: string;
  label: string;
  on: boolean;
  put: (part: P, on: boolean) => void;
}

/** One of several things that a part has, or none. */
export interface PartChoice<P> {
  key: string;
  label: string;
  value: string | null;
  options: { label: string; value: string }[];
  put: (part: P, value: string | null) => void;
}

/** Something that is done to a part by a button. */
export interface PartAct<P> {
  key: string;
  label: string;
  put: (part: P) => void;
}

/** A figure that a kind can say of its parts beside sizes, area and volume. */
export interface PartFigure {
  label: string;
  unit: "length" | "degrees";
  value: number;
}

/** A point that was clicked for a new part. */
export interface Drawn {
  pixel: Vec2 | null;
  world: Vec3;
  /** Normal of the surface under it. */
  normal: Vec3;
  /** Face that it lies on; null for the bare ground. */
  on: { part: string; face: string } | null;
  /** The side of a face that was clicked, where the tool asks for one. */
  side?: { part: string; face: string; number: number; ends: [Vec3, Vec3] };
}

/**
 * What a click of a drawing tool takes: a point of any face or the ground, which sets the plane; a point of that plane; a
 * point above the last one along the plane's normal; a point upright above the first one; a side of a face; or a point
 * as high as the foot of what is selected.
 */
export type Take = "surface" | "plane" | "rise" | "upright" | "side" | "foot";

/** How a part is drawn on the plate. */
export interface DrawTool<P> {
  /** What its button says. */
  label: string;
  icon: string;
  /** Keyboard shortcut in the Set step. */
  key: string;
  /** What the next click does, by its number; the last one goes on. */
  hints: string[];
  takes: Take[];
  /** For outlines of any number of points: the least; Enter or the first point closes them. The clicks in `takes` after `outline` follow. */
  outline?: number;
  /** The new part's own figures, or a sentence that says why there is none. */
  build: (points: Drawn[], context: DrawContext) => Shape<P> | string;
}

export interface DrawContext {
  /** The working plane, facing the camera. */
  plane: Plane;
  eye: Vec3;
  /** Where the plate shows a point; null when it is not drawn on the plate. */
  pixelOf: (world: Vec3) => Vec2 | null;
  set: SetRecord;
  selected: string | null;
}

/** A face of another part, whose surface another one takes on. */
export interface FaceOf {
  part: string;
  face: string;
}

/** Everything that a kind of part is. A part's own file has all of it. */
export interface PartKind<P> {
  title: string;
  schema: v.GenericSchema<unknown, P>;
  /** Its faces in the world, outwards; empty where what it stands on is gone. */
  faces: (part: P, set: SetRecord) => Face[];
  vertices: (part: P, set: SetRecord) => Placed[];
  /** Directions and angles that turn with the world, besides the vertices. */
  turn?: (part: P, move: (direction: Vec3) => Vec3) => void;
  /** Multiplies its lengths, besides the vertices. */
  stretch?: (part: P, share: number) => void;
  /** The direction in which its height is measured; upright without one. */
  up?: (part: P) => Vec3;
  /** Ids of the parts that it stands on. */
  on?: (part: P) => string[];
  /** Ids of other parts that it has something from, without which it still stands, and forgetting one that goes. */
  uses?: (part: P) => string[];
  forget?: (part: P, id: string) => void;
  handles: (part: P, set: SetRecord) => PartHandle<P>[];
  fields: (part: P, set: SetRecord) => PartField<P>[];
  switches?: (part: P) => PartSwitch<P>[];
  choices?: (part: P, set: SetRecord) => PartChoice<P>[];
  acts?: (part: P) => PartAct<P>[];
  figures?: (part: P) => PartFigure[];
  /** Key under which a face has material and role, where several go together; its own id without. */
  groupOf?: (face: string) => string;
  /** Those keys, with what they are called. */
  groups?: (part: P) => { label: string; value: string }[];
  /** The part that a new one is made of and has the role of. */
  likeOf?: (part: Shape<P>) => string;
  /** The face whose material a face has that has none of its own. */
  faceLike?: (part: P, face: string) => FaceOf | null;
  /** Is one of several alike, which are counted together: posts, windows, crates. */
  counted?: boolean;
  /** Stands on what is below it, and can float or sink. */
  stands?: (part: P) => boolean;
  /** Where the camera has to be. */
  camera?: "inside" | "outside";
  /** Its faces are seen from their front only, as one looks into a room from behind its walls. */
  frontOnly?: boolean;
  /** Faces that one can stand on, by which the height of the ground is told. */
  floors?: (face: string) => boolean;
  /** False while what its faces are made from is not loaded; they are asked for again then. */
  ready?: (part: P) => boolean;
  /** Role of a new one. */
  role?: "catcher" | "blocker" | "solid" | "bounce";
  draw: DrawTool<P> | null;
}

export const LEVEL: Vec3 = [0, 0, 1];
