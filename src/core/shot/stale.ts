import type { Light, Source } from "../light/schema.ts";
import { filterOf, wantsOcclusion } from "../comp/composite.ts";
import { fingerprint } from "../text/fingerprint.ts";
import type { Shot } from "./schema.ts";

/**
 * What a change of the document makes stale, from the deepest: the light on the bare set, the samples of the film, the
 * picture developed from them. What makes one stale makes all that come after it stale.
 */
export const STAGES = ["fill", "film", "develop"] as const;
export type Stage = (typeof STAGES)[number];

type Stale<T> = Stage | null | ((value: T) => Partial<Record<Stage, unknown>>);

/** What a source makes stale: what it shines with, and how that is weighed. */
function sourceStale({ strength, tint, lights, except, ...shines }: Source): Partial<Record<Stage, unknown>> {
  return { fill: shines, film: except, develop: [strength, tint, lights] };
}

/** Of the light, what is only looked at, what is measured, and what shines. A forgotten field is a type error. */
const LIGHT: { [K in keyof Light]: Stale<Light[K]> } = {
  sightings: null,
  probes: null,
  almanac: null,
  whiteCd: null,
  whiteKelvin: null,
  slope: "fill",
  sun: sourceStale,
  sky: sourceStale,
  shadows: "fill",
  lamps: (lamps) => {
    const each = Object.values(lamps).map((lamp) => sourceStale({ ...lamp, name: "", like: null } as Source));
    return {
      fill: each.map(({ fill }) => fill),
      film: each.map(({ film }) => film),
      develop: each.map(({ develop }) => develop),
    };
  },
  density: "develop",
  tint: "develop",
  propLevel: "develop",
};

/** By each part of the document. A forgotten part is a type error. */
const STALE: { [K in keyof Shot]: Stale<Shot[K]> } = {
  version: null,
  name: null,
  unit: null,
  plates: (plates) => ({ fill: [plates.main.codes, plates.main.encoding.response ?? null] }),
  solved: (solved) => ({ fill: solved?.camera }),
  lens: null,
  match: null,
  edges: null,
  lengths: null,
  ties: null,
  horizon: null,
  cameraHeight: null,
  level: null,
  origin: null,
  gauges: null,
  box: null,
  notes: null,
  set: (set) => ({ fill: Object.values(set).map((part) => ({ ...part, name: "" })) }),
  materials: (materials) => ({
    fill: Object.values(materials).map((m) => ({ ...m, name: "", albedo: m.albedo.colour })),
  }),
  ground: "fill",
  measures: null,
  // What a prop is called changes no picture, and neither do what moves with it and what the pointer may do.
  props: (props) => {
    const seen = Object.values(props).map((prop) => ({
      ...prop,
      name: "",
      keeps: "",
      stands: null,
      locked: false,
      group: null,
    }));
    return { fill: seen.filter(({ role }) => role !== "cg"), film: seen };
  },
  light: (light) => {
    const of: Partial<Record<Stage, unknown[]>> = {};
    for (const [name, stale] of Object.entries(LIGHT) as [keyof Light, Stale<unknown>][]) {
      const parts = typeof stale === "string" ? { [stale]: light[name] } : (stale?.(light[name]) ?? {});
      for (const [stage, part] of Object.entries(parts)) (of[stage as Stage] ??= []).push(part);
    }
    return of;
  },
  focus: "film",
  render: ({ seed, limit, denoise }) => ({ film: [seed, limit], develop: denoise }),
  // Softness is the render's own pixel filter, and contact wants a sum more.
  comp: (comp) => ({
    film: [filterOf({ comp }, 1), wantsOcclusion({ comp }, [])],
    develop: comp,
  }),
};

/** Text that changes whenever a stage of the picture must be done again. */
export function staleKey(shot: Shot, stage: Stage): string {
  const counts = STAGES.slice(0, STAGES.indexOf(stage) + 1);
  const parts: unknown[] = [];
  for (const [name, stale] of Object.entries(STALE) as [keyof Shot, Stale<unknown>][]) {
    if (stale === null) continue;
    if (typeof stale === "string") {
      if (counts.includes(stale)) parts.push(shot[name]);
      continue;
    }
    const of = stale(shot[name]);
    for (const s of counts) if (s in of) parts.push(of[s]);
  }
  return JSON.stringify(parts);
}

/** What each part of the document is called beside a picture that was rendered of it; null if none hangs on it. */
const RENDERED: { [K in keyof Shot]: string | null } = {
  version: null,
  name: null,
  unit: null,
  plates: "plate",
  solved: "camera",
  lens: null,
  match: null,
  edges: null,
  lengths: null,
  ties: null,
  horizon: null,
  cameraHeight: null,
  level: null,
  origin: null,
  gauges: null,
  box: null,
  notes: null,
  set: "set",
  materials: "surfaces",
  ground: "ground",
  measures: null,
  props: "props",
  light: "light",
  focus: "focus",
  // How it is rendered stands beside the picture, and a picture is finished anew with the comp of now.
  render: null,
  comp: null,
};

/** By its name, a fingerprint of each part of the document that a rendered picture hangs on. */
export type RenderedParts = Record<string, string>;

/** The same value with every object's keys in order: a database keeps them in one of its own. */
function sorted(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(sorted);
  if (value === null || typeof value !== "object") return value;
  const entries = Object.entries(value).sort(([a], [b]) => (a < b ? -1 : 1));
  return Object.fromEntries(entries.map(([key, inner]) => [key, sorted(inner)]));
}

export function renderedParts(shot: Shot): RenderedParts {
  const parts: RenderedParts = {};
  for (const [key, name] of Object.entries(RENDERED) as [keyof Shot, string | null][]) {
    const stale = STALE[key] as Stale<unknown>;
    if (name === null || stale === null) continue;
    const part = sorted(shot[key]);
    parts[name] = fingerprint(JSON.stringify(typeof stale === "string" ? part : stale(part)) ?? "");
  }
  return parts;
}

/** Names of the parts that are other than they were when a picture was rendered. */
export function changedSince(rendered: RenderedParts, shot: Shot): string[] {
  return Object.entries(renderedParts(shot))
    .filter(([name, print]) => rendered[name] !== print)
    .map(([name]) => name);
}
