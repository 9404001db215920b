import * as v from "valibot";
import type { Backdrop } from "./backdrop.ts";
import { BackdropSchema, backdrop } from "./backdrop.ts";
import type { Block } from "./block.ts";
import { BlockSchema, block } from "./block.ts";
import type { PartKind } from "./kind.ts";
import type { SetModelPart } from "./model.ts";
import { ModelSchema, model } from "./model.ts";
import type { Opening } from "./opening.ts";
import { OpeningSchema, opening } from "./opening.ts";
import type { Polygon } from "./polygon.ts";
import { PolygonSchema, polygon } from "./polygon.ts";
import type { Post } from "./post.ts";
import { PostSchema, post } from "./post.ts";
import type { Ramp } from "./ramp.ts";
import { RampSchema, ramp } from "./ramp.ts";
import type { Room } from "./room.ts";
import { RoomSchema, room } from "./room.ts";
import type { Row } from "./row.ts";
import { RowSchema, row } from "./row.ts";
import type { Shell } from "./shell.ts";
import { ShellSchema, shell } from "./shell.ts";
import type { Stairs } from "./stairs.ts";
import { StairsSchema, stairs } from "./stairs.ts";
import type { Wall } from "./wall.ts";
import { WallSchema, wall } from "./wall.ts";

/** The one list of the kinds of set parts. */

export type Part =
  Polygon | Block | Room | Wall | Opening | Ramp | Stairs | Post | Backdrop | Row | Shell | SetModelPart;
export type PartName = Part["kind"];
export type SetRecord = Record<string, Part>;

export const PARTS: { [K in PartName]: PartKind<Extract<Part, { kind: K }>> } = {
  polygon,
  block,
  room,
  wall,
  opening,
  ramp,
  stairs,
  post,
  backdrop,
  row,
  shell,
  model,
};

export const PART_NAMES = Object.keys(PARTS) as PartName[];

export const PartSchema = v.variant("kind", [
  PolygonSchema,
  BlockSchema,
  RoomSchema,
  WallSchema,
  OpeningSchema,
  RampSchema,
  StairsSchema,
  PostSchema,
  BackdropSchema,
  RowSchema,
  ShellSchema,
  ModelSchema,
]);

/** What a part's kind knows of it. */
export const kindOf = <P extends Part>(part: P): PartKind<P> => PARTS[part.kind] as unknown as PartKind<P>;
