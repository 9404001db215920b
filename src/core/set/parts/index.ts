import * as v from "valibot";
import { backdrop } from "./backdrop.ts";
import { block } from "./block.ts";
import type { PartKind } from "./kind.ts";
import { model } from "./model.ts";
import { opening } from "./opening.ts";
import { polygon } from "./polygon.ts";
import { post } from "./post.ts";
import { ramp } from "./ramp.ts";
import { room } from "./room.ts";
import { row } from "./row.ts";
import { shell } from "./shell.ts";
import { stairs } from "./stairs.ts";
import { wall } from "./wall.ts";

/** The one list of the kinds of set parts: a new kind is one line here, and one to import it. */
export const PARTS = { polygon, block, room, wall, opening, ramp, stairs, post, backdrop, row, shell, model };

type Kinds = typeof PARTS;
type PartOf<K> = K extends PartKind<infer P> ? P : never;
export type PartName = keyof Kinds;
export type Part = { [K in PartName]: PartOf<Kinds[K]> }[PartName];
export type SetRecord = Record<string, Part>;

/** Each kind stands under its own name: another one is a type error. */
const NAMED: { [K in PartName]: PartKind<Extract<Part, { kind: K }>> } = PARTS;

export const PART_NAMES = Object.keys(NAMED) as PartName[];

export const PartSchema = v.variant(
  "kind",
  PART_NAMES.map((name) => PARTS[name].schema) as never,
) as unknown as v.GenericSchema<unknown, Part>;

/** What a part's kind knows of it. */
export const kindOf = <P extends Part>(part: P): PartKind<P> => PARTS[part.kind] as unknown as PartKind<P>;
