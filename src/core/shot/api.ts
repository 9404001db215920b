import type { PlateInfo } from "../plate/schema.ts";
import * as v from "valibot";
import { CompSchema } from "../comp/schema.ts";
import { HandOverSchema } from "../handover/choice.ts";
import type { ImporterName } from "../exchange/importers/index.ts";
import { Id } from "../schema/fields.ts";
import { YardstickSchema } from "../match/yardsticks.ts";
import type { LensKit } from "../optics/lensKit.ts";
import { NameSchema } from "../text/storable.ts";
import { StepSchema } from "./edits.ts";
import type { Edit } from "./edits.ts";
import type { RenderChoice } from "../render/schema.ts";
import type { RenderedParts } from "./stale.ts";
import type { Shot } from "./schema.ts";
import { RenderSchema } from "../render/schema.ts";
import { ShotSchema } from "./schema.ts";

/** Requests and answers between browser and server; both check against these. */

export const SaveSchema = v.object({
  revision: v.pipe(v.number(), v.integer(), v.minValue(0), v.maxValue(2 ** 31 - 1)),
  steps: v.pipe(v.array(StepSchema), v.minLength(1), v.maxLength(200)),
});
export type Save = v.InferOutput<typeof SaveSchema>;

export const TakeSchema = v.object({
  name: NameSchema,
  shot: ShotSchema,
  /** A small JPEG of the state as a data address. */
  thumbnail: v.optional(
    v.pipe(
      v.string(),
      v.regex(/^data:image\/jpeg;base64,[A-Za-z0-9+/=]+$/, "is not a small JPEG"),
      v.maxLength(200_000),
    ),
  ),
});

export const RenameSchema = v.object({ name: NameSchema });

export const YardsticksSchema = v.object({ list: v.pipe(v.array(YardstickSchema), v.maxLength(500)) });

export interface KeptLensKit {
  id: string;
  kit: LensKit;
}

export interface PictureAsset {
  hash: string;
  name: string;
  width: number;
  height: number;
}

/** A picture of the surroundings that was brought in; `hash` is that of the file as it is kept. */
export interface SurroundingsAsset {
  hash: string;
  name: string;
  /** Size of the file that came. */
  width: number;
  height: number;
  clippedAt: number | null;
  /** It was a photograph of a mirror ball: its middle is where the camera looked. */
  ball: boolean;
  notices: string[];
}

/** How a final is rendered: the shot's own settings, changed where something is given. */
export const FinalRequestSchema = v.partial(RenderSchema);
/** The comp that a final is finished again with. */
export const FinishRequestSchema = CompSchema;
export type FinalRequest = v.InferOutput<typeof FinalRequestSchema>;

export interface ShotListing {
  id: string;
  name: string;
  updatedAt: string;
  width: number;
  height: number;
  /** What has been done, for the list. */
  edges: number;
  props: number;
  solved: boolean;
  finals: number;
}

export interface OpenShot {
  id: string;
  revision: number;
  shot: Shot;
  undo: Edit[];
  redo: Edit[];
}

/** Answer to stale work: the current state, and what others changed since the revision that was sent. */
export interface StaleAnswer extends OpenShot {
  /** Ids of the sent steps that had arrived before, their answer lost on the way: they are in the current state. */
  taken: string[];
  code: "stale";
  message: string;
  hint: string;
  theirs: Edit["forward"];
}

export interface TakeListing {
  id: string;
  name: string;
  thumbnail: string | null;
  createdAt: string;
}

export interface ModelAsset {
  hash: string;
  /** Name of the file that the model was read from; the one that came, or one within it. */
  fileName: string;
  format: ImporterName;
  triangles: number;
  /** Extent along X, Y and Z (up), metres; of a file without units one unit is taken as a metre. */
  size: [number, number, number];
  /** Its box's lower corner, alike. */
  low: [number, number, number];
  /** False where the format has no units, or does not say which way is up. */
  unitIsSure: boolean;
  upIsSure: boolean;
  /** Points of its surface, three numbers each. */
  outline: number[];
  notices: string[];
  /** Files that it names and that did not come along. */
  missing: string[];
}

export type FinalStatus = "waiting" | "running" | "paused" | "done" | "cancelled" | "failed";

export interface FinalListing {
  id: string;
  shotId: string;
  status: FinalStatus;
  percent: number;
  samples: number;
  samplesDone: number;
  secondsLeft: number | null;
  /** True once all is rendered, while it is denoised and its files are written. */
  writing: boolean;
  seconds: number | null;
  message: string | null;
  createdAt: string;
  /** How it was rendered. */
  settings: RenderChoice;
  /** Noise that was reached, in 8-bit code values; null before the end. */
  noise: number | null;
  /** Names of the files that can be had. */
  files: string[];
  /** What the render noticed, as sentences. */
  notices: string[];
  width: number;
  height: number;
  /** Hash of the plate's codes: its comp and its pixels are of that version alone. */
  plate: string;
  /** What it was rendered of, so that the page can say what has changed since. */
  of: RenderedParts;
}

/** A final among all shots' finals, with what it is of. */
export interface QueuedFinal extends FinalListing {
  shotName: string;
}

/** What is handed over, of a finished render; without one only what needs no picture. */
export const HandOverRequestSchema = v.object({
  ...HandOverSchema.entries,
  final: v.nullable(v.pipe(v.string(), v.uuid())),
});

/** How far the reading of a file has come, 0 to 1. */
export interface ReadingState {
  share: number;
  secondsLeft: number | null;
}

/** How far something that is done with a finished render has come. */
export interface WorkState {
  id: string;
  state: "running" | "done" | "failed" | "cancelled";
  /** 0 to 1. */
  share: number;
  secondsLeft: number | null;
  what: string;
  /** Why it failed. */
  message: string | null;
  /** Files that can be had once it is done, with their bytes. */
  files: { name: string; bytes: number }[];
}

export const QUEUE_MOVES = ["cancel", "pause", "resume", "retry", "earlier", "later"] as const;
export type QueueMove = (typeof QUEUE_MOVES)[number];

/** A plate that was read and is kept, for a shot to take as another version of its own. */
export interface PlateAsset {
  info: PlateInfo;
  notices: string[];
}

export interface NewShot {
  id: string;
  notices: string[];
}

export const BAKE_FORMATS = ["png", "exr", "glb"] as const;
/** The plate baked into a texture of a part of the set, or of a prop. */
export const BakeSchema = v.object({
  of: Id,
  /** Side of the texture in texels. */
  size: v.picklist([512, 1024, 2048, 4096]),
  /** What the camera does not see of it. */
  fill: v.picklist(["stretch", "colour"]),
  format: v.picklist(BAKE_FORMATS),
});
export type BakeChoice = v.InferOutput<typeof BakeSchema>;
