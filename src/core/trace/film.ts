import * as L from "../../kernel/layout.ts";
import type { Vec3 } from "../math/vec3.ts";
import type { Packing } from "./sparse.ts";

/** Which sums a film keeps besides those of the composite. */
export interface FilmChoice {
  /** Sums of the even samples, for the noise estimate. */
  half: boolean;
  /** Albedo and normal, which guide the denoiser. */
  features: boolean;
  /** Emission, world position and ambient occlusion. */
  extras: boolean;
  /** Coverage by prop and by material. */
  mattes: boolean;
  /** Light on the props by the light that it comes from. */
  propLights: boolean;
}

export const ALL_SUMS: FilmChoice = { half: true, features: true, extras: true, mattes: true, propLights: true };
export const PROOF_SUMS: FilmChoice = { half: true, features: true, extras: false, mattes: false, propLights: true };
export const BARE_SUMS: FilmChoice = { half: false, features: false, extras: false, mattes: false, propLights: false };

/** Where the sums of a pixel stand, as numbers of floats; 0 for what is not kept. */
export interface FilmLayout {
  stride: number;
  lights: number;
  half: number;
  features: number;
  extras: number;
  props: number;
  materials: number;
  propLights: number;
  /** Names of the light groups: sun, sky, bounce, and each lamp. */
  groups: string[];
  propNames: string[];
  materialNames: string[];
}

export function filmLayout(
  choice: FilmChoice,
  lamps: string[],
  propNames: string[],
  materialNames: string[],
): FilmLayout {
  let stride = L.FILM_BASE_FLOATS;
  const take = (wanted: boolean, floats: number) => {
    if (!wanted || floats === 0) return 0;
    const at = stride;
    stride += floats;
    return at;
  };
  const groups = ["sun", "sky", "bounce", ...lamps];
  const lights = take(true, groups.length * L.LIGHT_FLOATS);
  const half = take(choice.half, L.HALF_FLOATS);
  const features = take(choice.features, L.FEATURE_FLOATS);
  const extras = take(choice.extras, L.EXTRA_FLOATS);
  const props = take(choice.mattes, propNames.length);
  const materials = take(choice.mattes, materialNames.length);
  const propLights = take(choice.propLights, groups.length * 3);
  return { stride, lights, half, features, extras, props, materials, propLights, groups, propNames, materialNames };
}

/** How its films are packed: what props change nothing of has the same sums with and without them. */
export function packing({ stride, lights, half, groups }: FilmLayout): Packing {
  const withProps = groups.map((_, g) => lights + g * L.LIGHT_FLOATS);
  if (half > 0) withProps.push(half + L.HALF_W);
  return { stride, twins: withProps.flatMap((at) => [at, at + 1, at + 2]) };
}

/** Weights by which each light's share is taken again after the render. */
export interface GroupWeights {
  sun: Vec3;
  sky: Vec3;
  bounce: Vec3;
  /** One for each lamp; 1 for those that are missing. */
  lamps?: Vec3[];
}

/** Those of the catcher, and of the props where they differ from 1. */
export interface LightWeights extends GroupWeights {
  props?: GroupWeights;
}

export const unitWeights = (): LightWeights => ({ sun: [1, 1, 1], sky: [1, 1, 1], bounce: [1, 1, 1] });

const ONE: Vec3 = [1, 1, 1];

const weightOf = (weights: GroupWeights, group: number): Vec3 =>
  group === 0
    ? weights.sun
    : group === 1
      ? weights.sky
      : group === 2
        ? weights.bounce
        : (weights.lamps?.[group - L.GROUP_LAMPS] ?? ONE);

/** What the composite needs, one value set per pixel. `prop` is premultiplied RGBA; `ratio` and `added` are RGB. */
export interface Passes {
  width: number;
  height: number;
  prop: Float32Array;
  ratio: Float32Array;
  added: Float32Array;
  /** Distance along the view axis in metres; 0 where no prop is seen. */
  depth: Float32Array;
  /** Share of the hemisphere that is open, where the film holds it and it was asked for. */
  occlusion?: Float32Array | null;
}

export function emptyPasses(width: number, height: number): Passes {
  const n = width * height;
  return {
    width,
    height,
    prop: new Float32Array(n * 4),
    ratio: new Float32Array(n * 3).fill(1),
    added: new Float32Array(n * 3),
    depth: new Float32Array(n),
  };
}

/** The first rows of them, in the same memory. */
export function somePasses({ width, prop, ratio, added, depth, occlusion }: Passes, height: number): Passes {
  const n = width * height;
  return {
    width,
    height,
    prop: prop.subarray(0, n * 4),
    ratio: ratio.subarray(0, n * 3),
    added: added.subarray(0, n * 3),
    depth: depth.subarray(0, n),
    occlusion: occlusion?.subarray(0, n) ?? null,
  };
}

/**
 * Passes of a film of sums (layout: src/kernel/layout.ts). The ratio is the quotient of the weighted sums with and
 * without props; exactly 1 where nothing differs, no catcher was met, or nothing arrives. Added light is the catcher's
 * reflection with the props, less what `plate * ratio` holds of the one without. Weights of the props need a film that
 * keeps their lights apart; throws without.
 */
export function developFilm(
  film: Float32Array,
  width: number,
  height: number,
  layout: FilmLayout,
  weights: LightWeights = unitWeights(),
  into: Passes = emptyPasses(width, height),
): Passes {
  const { prop, ratio, added, depth } = into;
  const groups = groupWeights(layout, weights);
  const changes = propChanges(layout, weights);
  const lights = groups.length * L.LIGHT_FLOATS;
  for (let i = 0, f = 0; i < width * height; i++, f += layout.stride) {
    if (isBare(film, f, f + layout.lights, lights)) {
      for (let k = 0; k < 4; k++) prop[i * 4 + k] = 0;
      for (let k = 0; k < 3; k++) ratio[i * 3 + k] = 1;
      for (let k = 0; k < 3; k++) added[i * 3 + k] = 0;
      depth[i] = 0;
      continue;
    }
    const samples = film[f + L.FILM_SAMPLES];
    const scale = samples > 0 ? 1 / samples : 0;
    for (let k = 0; k < 4; k++) prop[i * 4 + k] = film[f + L.FILM_PROP + k] * scale;
    if (changes && film[f + L.FILM_ALPHA] > 0)
      for (let k = 0; k < 3; k++) prop[i * 4 + k] += changeOf(film, f + layout.propLights + k, changes, k) * scale;
    const caught = film[f + L.FILM_CATCHER];
    const part = catcherShare(film, f);
    const catcherScale = caught > 0 ? part / caught : 0;
    for (let k = 0; k < 3; k++) {
      let w = 0;
      let w0 = 0;
      for (let g = 0, at = f + layout.lights + k; g < groups.length; g++, at += L.LIGHT_FLOATS) {
        w += groups[g][k] * film[at];
        w0 += groups[g][k] * film[at + 3];
      }
      const own = w0 > 0 && w !== w0 ? w / w0 : 1;
      ratio[i * 3 + k] = part < 1 ? 1 - part * (1 - own) : own;
      // The plate's own reflection is in the plate and would be scaled with it: the rest of it is given back.
      const gloss = (1 - own) * film[f + L.FILM_GLOSS + k];
      added[i * 3 + k] = (film[f + L.FILM_ADDED + k] + gloss) * catcherScale;
    }
    const a = film[f + L.FILM_ALPHA];
    depth[i] = a > 0 ? film[f + L.FILM_DEPTH] / a : 0;
  }
  return into;
}

/**
 * Share of a pixel beside the props that shows a catcher. Where one ends, the rest is what lies behind it in the plate, and
 * keeps its light.
 */
function catcherShare(film: Float32Array, f: number): number {
  const caught = film[f + L.FILM_CATCHER];
  const free = film[f + L.FILM_SAMPLES] - film[f + L.FILM_ALPHA];
  return caught < free ? caught / free : 1;
}

/** Share of the hemisphere that is open in every pixel; null where the film does not hold it. */
export function occlusionOf({ occlusion, open }: FilmCounts): Float32Array | null {
  if (!open) return null;
  const shares = new Float32Array(open.length);
  for (let i = 0; i < shares.length; i++) shares[i] = occlusion[i] > 0 ? open[i] / occlusion[i] : 1;
  return shares;
}

/** True of a pixel that no prop changed: nothing covers it, nothing is added, and every light is the one without props. */
function isBare(film: Float32Array, f: number, lights: number, count: number): boolean {
  if (film[f + L.FILM_ALPHA] !== 0 || film[f + L.FILM_PROP] !== 0) return false;
  if (film[f + L.FILM_PROP + 1] !== 0 || film[f + L.FILM_PROP + 2] !== 0) return false;
  for (let k = 0; k < 3; k++) if (film[f + L.FILM_ADDED + k] !== 0) return false;
  for (let at = lights; at < lights + count; at += L.LIGHT_FLOATS)
    for (let k = 0; k < 3; k++) if (film[at + k] !== film[at + 3 + k]) return false;
  return true;
}

/** Weights of every light group. */
export const groupWeights = (layout: FilmLayout, weights: GroupWeights): Vec3[] =>
  layout.groups.map((_, g) => weightOf(weights, g));

/** By how much each light on the props is to change, as a share of it; null where nothing does. Throws where the film does not keep them apart. */
export function propChanges(layout: FilmLayout, { props }: LightWeights): Vec3[] | null {
  const changes = props && layout.groups.map((_, g) => weightOf(props, g).map((w) => w - 1) as Vec3);
  if (!changes?.some((c) => c.some((x) => x !== 0))) return null;
  if (layout.propLights === 0) throw new Error("The film does not keep the props' lights apart.");
  return changes;
}

function changeOf(film: Float32Array, at: number, changes: Vec3[], k: number): number {
  let sum = 0;
  for (let g = 0; g < changes.length; g++) sum += changes[g][k] * film[at + g * 3];
  return sum;
}

/** A picture from half of the samples. */
export type HalfPasses = Pick<Passes, "width" | "height" | "prop" | "ratio" | "added">;

/**
 * The same from the even samples and from the odd ones: two pictures whose difference is noise. The halves do not keep the
 * lights apart, so weights change both by what they change in the whole. Throws when the film keeps no halves.
 */
export function developHalves(
  film: Float32Array,
  width: number,
  height: number,
  layout: FilmLayout,
  weights: LightWeights = unitWeights(),
  into: { even: HalfPasses; odd: HalfPasses } = { even: emptyPasses(width, height), odd: emptyPasses(width, height) },
): { even: HalfPasses; odd: HalfPasses } {
  if (layout.half === 0) throw new Error("The film keeps no halves.");
  const groups = groupWeights(layout, weights);
  const lights = groups.length * L.LIGHT_FLOATS;
  const changes = propChanges(layout, weights);
  const sums = { w: [0, 0, 0], w0: [0, 0, 0], change: [0, 0, 0] };
  const { even, odd } = into;
  for (let i = 0, f = 0; i < width * height; i++, f += layout.stride) {
    if (isBare(film, f, f + layout.lights, lights)) {
      for (const half of [even, odd]) {
        for (let k = 0; k < 4; k++) half.prop[i * 4 + k] = 0;
        for (let k = 0; k < 3; k++) half.ratio[i * 3 + k] = 1;
        for (let k = 0; k < 3; k++) half.added[i * 3 + k] = 0;
      }
      continue;
    }
    for (let k = 0; k < 3; k++) {
      let w = 0;
      let w0 = 0;
      let weighted = 0;
      let weighted0 = 0;
      for (let g = 0, at = f + layout.lights + k; g < groups.length; g++, at += L.LIGHT_FLOATS) {
        w += film[at];
        w0 += film[at + 3];
        weighted += groups[g][k] * film[at];
        weighted0 += groups[g][k] * film[at + 3];
      }
      sums.w[k] = w;
      sums.w0[k] = w0;
      sums.change[k] = w > 1e-9 && weighted0 > 1e-9 ? (weighted / weighted0) * (w0 / w) : 1;
    }
    developHalf(film, f, layout, false, changes, sums, even, i);
    developHalf(film, f, layout, true, changes, sums, odd, i);
  }
  return into;
}

/** One pixel of a half. `sums` are the lights of the whole, and by what factor weights change their quotient. */
function developHalf(
  film: Float32Array,
  f: number,
  layout: FilmLayout,
  odd: boolean,
  changes: Vec3[] | null,
  { w, w0, change }: { w: number[]; w0: number[]; change: number[] },
  { prop, ratio, added }: HalfPasses,
  i: number,
): void {
  const h = f + layout.half;
  const take = (whole: number, part: number) => (odd ? film[whole] - film[part] : film[part]);
  const samples = film[f + L.FILM_SAMPLES];
  const even = Math.ceil(samples / 2);
  const count = odd ? samples - even : even;
  for (let k = 0; k < 4; k++) prop[i * 4 + k] = count > 0 ? take(f + L.FILM_PROP + k, h + L.HALF_PROP + k) / count : 0;
  if (changes)
    for (let k = 0; k < 3; k++) {
      const whole = film[f + L.FILM_PROP + k];
      if (whole > 1e-9) prop[i * 4 + k] *= 1 + changeOf(film, f + layout.propLights + k, changes, k) / whole;
    }
  const caught = take(f + L.FILM_CATCHER, h + L.HALF_CATCHER);
  const part = catcherShare(film, f);
  for (let k = 0; k < 3; k++) {
    const evenW = film[h + L.HALF_W + k];
    const evenW0 = film[h + L.HALF_W0 + k];
    const halfW = odd ? w[k] - evenW : evenW;
    const halfW0 = odd ? w0[k] - evenW0 : evenW0;
    // Of a half that met no catcher the whole knows more.
    const known = halfW0 > 1e-9 ? halfW / halfW0 : w0[k] > 1e-9 ? w[k] / w0[k] : 1;
    const quotient = known * change[k];
    ratio[i * 3 + k] = part < 1 ? 1 - part * (1 - quotient) : quotient;
    const gloss = (1 - quotient) * take(f + L.FILM_GLOSS + k, h + L.HALF_GLOSS + k);
    added[i * 3 + k] = caught > 0 ? (part * (take(f + L.FILM_ADDED + k, h + L.HALF_ADDED + k) + gloss)) / caught : 0;
  }
}

/** What a layer's sums are divided by: how many samples met a catcher, a prop, either, the occlusion's rays, or all of them. */
export type Count = "catcher" | "samples" | "alpha" | "seen" | "occlusion";

/** Where a layer stands in a film of sums. */
export interface FilmLayer {
  name: string;
  channels: string[];
  /** Its first channel's place among a pixel's floats; the others follow. */
  offset: number;
  count: Count;
  /** Its value where nothing was counted. */
  empty: number;
}

const RGB = ["R", "G", "B"];
const XYZ = ["X", "Y", "Z"];

/**
 * Every layer that a film holds besides the composite's own: features, extras, the lights one by one (irradiance on the
 * catcher with the props and without; what each gives the props, which add up to their colour) and mattes.
 */
export function filmLayers(layout: FilmLayout): FilmLayer[] {
  const layers: FilmLayer[] = [];
  const add = (name: string, channels: string[], offset: number, count: Count, empty = 0) =>
    layers.push({ name, channels, offset, count, empty });
  layout.groups.forEach((group, g) => {
    const at = layout.lights + g * L.LIGHT_FLOATS;
    add(`light ${group} with props`, RGB, at, "catcher");
    add(`light ${group} without props`, RGB, at + 3, "catcher");
  });
  if (layout.propLights > 0)
    layout.groups.forEach((group, g) => add(`light ${group} on props`, RGB, layout.propLights + g * 3, "samples"));
  add("catcher", ["A"], L.FILM_CATCHER, "samples");
  if (layout.features > 0) {
    add("albedo", RGB, layout.features + L.FEATURE_ALBEDO, "seen");
    add("normal", XYZ, layout.features + L.FEATURE_NORMAL, "seen");
  }
  if (layout.extras > 0) {
    add("emission", RGB, layout.extras + L.EXTRA_EMISSION, "samples");
    add("position", XYZ, layout.extras + L.EXTRA_POSITION, "alpha");
    add("occlusion", ["Y"], layout.extras + L.EXTRA_OCCLUSION, "occlusion", 1);
  }
  if (layout.props > 0)
    layout.propNames.forEach((name, p) => add(`matte prop ${name}`, ["A"], layout.props + p, "samples"));
  if (layout.materials > 0)
    layout.materialNames.forEach((name, m) => add(`matte material ${name}`, ["A"], layout.materials + m, "samples"));
  return layers;
}

/** What the samples of every pixel met, as sums. */
export interface FilmCounts extends Record<Count, Float32Array> {
  /** Samples that met the set, whether it catches or blocks. */
  set: Float32Array;
  /** Samples whose light was limited. */
  limited: Float32Array;
  /** Open directions among the occlusion's rays; null where the film does not hold them. */
  open: Float32Array | null;
}

/** Chosen floats of every pixel as planes. */
export type FilmPlanes = (film: Float32Array, pixels: number, stride: number, floats: number[]) => Float32Array[];

const planesOf: FilmPlanes = (film, pixels, stride, floats) =>
  floats.map((float) => Float32Array.from({ length: pixels }, (_, i) => film[i * stride + float]));

/** Counts of every pixel of a film. */
export function filmCounts(
  film: Float32Array,
  pixels: number,
  { stride, extras }: FilmLayout,
  planes: FilmPlanes = planesOf,
): FilmCounts {
  const base = [L.FILM_CATCHER, L.FILM_SAMPLES, L.FILM_ALPHA, L.FILM_SET, L.FILM_LIMITED];
  const rays = extras > 0 ? [extras + L.EXTRA_OCCLUSION_SAMPLES, extras + L.EXTRA_OCCLUSION] : [];
  const [catcher, samples, alpha, set, limited, ...found] = planes(film, pixels, stride, [...base, ...rays]);
  const [occlusion = new Float32Array(0), open = null] = found;
  const seen = new Float32Array(pixels);
  for (let i = 0; i < pixels; i++) seen[i] = alpha[i] + catcher[i];
  return { catcher, samples, alpha, seen, occlusion, set, limited, open };
}
