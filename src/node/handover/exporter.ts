import type { Known } from "#core/sit/scene";
import type { DecodedPlate } from "#core/comp/composite";
import type { HandOverChoice } from "#core/handover/choice";
import type { Model } from "#core/props/model";
import type { Shot } from "#core/shot/schema";
import type { FinishedPicture } from "./finished.ts";

/** What exporters are given. */
export interface HandOver {
  /** The shot as it was rendered, with the comp of now: what picture, scene and reports are of. */
  shot: Shot;
  /** The shot as it is now, for the bundle. */
  document: Shot;
  plate: DecodedPlate;
  profile: Uint8Array | null;
  models: Map<string, Model>;
  choice: HandOverChoice;
  /** The finished picture with its layers; made when it is first asked for. */
  picture: () => Promise<FinishedPicture>;
  /** Paths of the render's files by what they are. */
  files: Record<string, string>;
  /** Files of the shot by hash, for the bundle. */
  assets: Record<string, string>;
  takes: { name: string; createdAt: string; thumbnail: string; document: unknown }[];
  /** What the sit report knows beside the shot; nothing where there is no library. */
  known?: Known;
  /** Day and time that files are dated with. */
  now: Date;
}

/** Takes files, and gives them their names once all are written. */
export interface Sink {
  /** A file by what it is, such as `picture`, and its ending. Its name, by which others can point to it. */
  put: (what: string, ending: string, bytes: Uint8Array) => Promise<string>;
}

export interface Exporter {
  /** Writes its files. */
  write: (over: HandOver, sink: Sink) => Promise<void>;
}
