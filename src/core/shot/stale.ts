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

/** What a change of a part makes stale, and what it is called beside a picture that hangs on it; null if none is named. */
interface Part<T> {
  stale: Exclude<Stale<T>, null>;
  called: string | null;
}

/** By each part of the document, null where no picture hangs on it. A forgotten part is a type error. */
const PARTS: { [K in keyof Shot]: Part<Shot[K]> | null } = {
  version: null,
  name: null,
  unit: null,
  plates: {
    called: "plate",
    stale: (plates) => ({ fill: [plates.main.codes, plates.main.encoding.response ?? null] }),
  },
  solved: { called: "camera", stale: (solved) => ({ fill: solved?.camera }) },
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
  set: { called: "set", stale: (set) => ({ fill: Object.values(set).map((part) => ({ ...part, name: "" })) }) },
  materials: {
    called: "surfaces",
    stale: (materials) => ({
      fill: Object.values(materials).map((m) => ({ ...m, name: "", albedo: m.albedo.colour })),
    }),
  },
  ground: { called: "ground", stale: "fill" },
  measures: null,
  props: {
    called: "props",
    // What a prop is called changes no picture, and neither do what moves with it and what the pointer may do.
    stale: (props) => {
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
  },
  light: {
    called: "light",
    stale: (light) => {
      const of: Partial<Record<Stage, unknown[]>> = {};
      for (const [name, stale] of Object.entries(LIGHT) as [keyof Light, Stale<unknown>][]) {
        const parts = typeof stale === "string" ? { [stale]: light[name] } : (stale?.(light[name]) ?? {});
        for (const [stage, part] of Object.entries(parts)) (of[stage as Stage] ??= []).push(part);
      }
      return of;
    },
  },
  focus: { called: "focus", stale: "film" },
  // How a picture was rendered stands beside it, and it is finished anew with the comp of now: neither is named.
  render: { called: null, stale: ({ seed, limit, denoise }) => ({ film: [seed, limit], develop: denoise }) },
  // Softness is the render's own pixel filter, and contact wants a sum more.
  comp: {
    called: null,
    stale: (comp) => ({
      film: [filterOf({ comp }, 1), wantsOcclusion({ comp }, [])],
      develop: comp,
    }),
  },
};

const NAMES = Object.keys(PARTS) as (keyof Shot)[];
const partOf = (name: keyof Shot) => PARTS[name] as Part<unknown> | null;

/** Text that changes whenever a stage of the picture must be done again. */
export function staleKey(shot: Shot, stage: Stage): string {
  const counts = STAGES.slice(0, STAGES.indexOf(stage) + 1);
  const parts: unknown[] = [];
  for (const name of NAMES) {
    const stale = partOf(name)?.stale;
    if (!stale) continue;
    if (typeof stale === "string") {
      if (counts.includes(stale)) parts.push(shot[name]);
      continue;
    }
    const of = stale(shot[name]);
    for (const s of counts) if (s in of) parts.push(of[s]);
  }
  return JSON.stringify(parts);
}

/** The same value with every object's keys in order: a database keeps them in one of its own. */
function sorted(value: unknown): unknown {
  if (Array.isArray(value)) return value.map(sorted);
  if (value === null || typeof value !== "object") return value;
  const entries = Object.entries(value).sort(([a], [b]) => (a < b ? -1 : 1));
  return Object.fromEntries(entries.map(([key, inner]) => [key, sorted(inner)]));
}

/** By its name, a fingerprint of each part of the document that a rendered picture hangs on. */
export type RenderedParts = Record<string, string>;

/** Fingerprints of a shot's parts. `kept` remembers them for parts that are never changed in place. */
export function renderedParts(shot: Shot, kept: WeakMap<object, string> = new WeakMap()): RenderedParts {
  const prints: RenderedParts = {};
  for (const name of NAMES) {
    const { called, stale } = partOf(name) ?? { called: null };
    if (called === null) continue;
    const part = shot[name];
    const known = part instanceof Object ? kept.get(part) : undefined;
    const own = known === undefined ? sorted(part) : null;
    const print = known ?? fingerprint(JSON.stringify(typeof stale === "string" ? own : stale!(own)) ?? "");
    if (part instanceof Object) kept.set(part, print);
    prints[called] = print;
  }
  return prints;
}

/** Names of the parts that are other than they were when a picture was rendered. */
export const changedSince = (rendered: RenderedParts, now: RenderedParts): string[] =>
  Object.keys(now).filter((name) => rendered[name] !== now[name]);
