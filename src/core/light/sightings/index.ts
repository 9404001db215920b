import * as v from "valibot";
import { EdgeSchema, edge } from "./edge.ts";
import { HighlightSchema, highlight } from "./highlight.ts";
import type { Pixels, SightingKind } from "./kind.ts";
import { PairSchema, pair } from "./pair.ts";
import { PostSchema, post } from "./post.ts";
import { UprightSchema, upright } from "./upright.ts";

/** Something on the plate that tells where the sun is. */
export const SightingSchema = v.variant("kind", [UprightSchema, PairSchema, HighlightSchema, PostSchema, EdgeSchema]);
export type Sighting = v.InferOutput<typeof SightingSchema>;
export type SightingName = Sighting["kind"];

type PixelOf<K extends SightingName> = Exclude<
  keyof Extract<Sighting, { kind: K }> & string,
  "kind" | "id" | "plate" | "muted" | "weight"
>;
const KINDS: { [K in SightingName]: SightingKind<PixelOf<K>> } = { upright, pair, highlight, post, edge };

/** What is known of a kind of sighting. */
export const sightingKind = (name: SightingName): SightingKind => KINDS[name] as unknown as SightingKind;
export const SIGHTING_NAMES = Object.keys(KINDS) as SightingName[];

/** Its pixels by what each of them is. */
export function sightingPixels(sighting: Sighting): Pixels {
  const all = sighting as unknown as Pixels;
  return Object.fromEntries(sightingKind(sighting.kind).pixels.map((name) => [name, all[name]]));
}

/** A sighting of pixels that were clicked in the order of its kind. */
export const newSighting = (kind: SightingName, id: string, clicked: readonly Pixels[string][]): Sighting =>
  ({
    kind,
    id,
    plate: "main",
    ...Object.fromEntries(sightingKind(kind).pixels.map((name, i) => [name, clicked[i]])),
    muted: false,
  }) as Sighting;
