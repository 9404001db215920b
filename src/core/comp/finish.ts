import type { MatchPart } from "../match/schema.ts";
import type { SetPart } from "../set/schema.ts";
import type { Passes } from "../trace/film.ts";
import type { GrainMemory } from "./grain.ts";
import { layGrain } from "./grain.ts";
import type { Layers, Rows, Where } from "./layers.ts";
import { layerRows, layersOf, touchedBy } from "./layers.ts";
import type { Place } from "./mattes/shape.ts";
import { matteHalo, matteOver } from "./mattes/index.ts";
import { placeOf } from "./placeRaster.ts";
import type { CompPart } from "./schema.ts";
import type { Stage, StageBase } from "./stage.ts";
import { runStage } from "./stage.ts";
import type { StageName } from "./stages/index.ts";
import { LAYER_NAMES, LAYER_STAGES } from "./stages/index.ts";
import { changesNoLook, lookColour, lookOf } from "./stages/look.ts";

/** What finishing looks at of a shot: its comp, and for mattes and shadows the set as the camera sees it. */
export type FinishPart = CompPart & Pick<SetPart, "set"> & Pick<MatchPart, "solved">;

/** Where the rows to be finished lie. */
export interface FinishWhere {
  /** Size of the whole picture. */
  full: { width: number; height: number };
  /** Pixels of the picture over pixels of the plate. */
  scale: number;
  /** Number of the first row that is given. */
  y0: number;
  /** Standard deviation of the filter that the passes were rendered with, pixels of the picture. */
  renderedSigma: number;
  /** A stage that is left out, to see what it does. */
  without?: StageName | null;
}

export interface Finished {
  /** Linear Rec. 709, interleaved RGB. */
  linear: Float32Array;
  /** The same before the look; one array with it where that changes nothing. */
  grained: Float32Array;
  /** 1 for each pixel that is not the plate's own. */
  touched: Uint8Array;
  layers: Layers;
}

const stageOf = (name: (typeof LAYER_NAMES)[number]) => LAYER_STAGES[name] as unknown as { stage: Stage<StageBase> };

/** Rows above and below those wanted that finishing looks at. */
export function finishHalo(
  { comp }: CompPart,
  scale: number,
  full: { width: number; height: number },
  sigma: number,
): number {
  const where: Where = { full, scale, renderedSigma: sigma, setDepth: () => null, rays: () => null, focal: null };
  let rows = 0;
  let mattes = 0;
  const matteOf = (id: string | null) => (id !== null && comp.mattes[id] ? matteHalo(comp.mattes[id], scale) : 0);
  for (const name of LAYER_NAMES) {
    const settings: StageBase = comp[name];
    const { stage } = stageOf(name);
    if (!settings.on || stage.idle(settings, where)) continue;
    rows += stage.halo(settings, scale, full.width);
    mattes = Math.max(mattes, matteOf(settings.matte));
  }
  for (const settings of [comp.grain, comp.look]) if (settings.on) mattes = Math.max(mattes, matteOf(settings.matte));
  return rows + mattes;
}

/** What the stages of one picture's rows ask about, found when it is first asked. */
export interface Finishing {
  where: Where;
  matteOf: (id: string | null) => Float32Array | null;
}

export function finishing(
  shot: FinishPart,
  plate: { width: number; height: number; linear: Float32Array },
  { scale, full, y0, renderedSigma }: FinishWhere,
): Finishing {
  const { width, height } = plate;
  const camera = shot.solved?.camera ?? null;
  let place: Place | null = null;
  const placed = () => (camera ? (place ??= placeOf(shot, camera, { full, scale, y0, rows: height })) : null);
  const where: Where = {
    full,
    scale,
    renderedSigma,
    setDepth: () => placed()?.depth ?? null,
    rays: () => placed()?.rays ?? null,
    focal: camera ? camera.focalPx * scale : null,
  };
  const { mattes } = shot.comp;
  const known = new Map<string, Float32Array>();
  const matteOf = (id: string | null): Float32Array | null => {
    if (id === null || !mattes[id]) return null;
    let matte = known.get(id);
    if (!matte) {
      matte = matteOver(mattes[id], { width, height, y0, scale, plate: plate.linear, place: placed });
      known.set(id, matte);
    }
    return matte;
  };
  return { where, matteOf };
}

/** Runs one of the stages that change the layers, in place. */
export function runLayerStage(
  name: (typeof LAYER_NAMES)[number],
  { comp }: CompPart,
  layers: Layers,
  { where, matteOf }: Finishing,
): void {
  const settings: StageBase = comp[name];
  if (settings.on) runStage(stageOf(name).stage, layers, settings, where, matteOf(settings.matte));
}

/** The layers over the plate with their grain: what the look is then laid on. */
export function grainedPicture(
  { comp }: CompPart,
  plate: { width: number; height: number; linear: Float32Array },
  layers: Layers,
  { scale, y0, without }: FinishWhere,
  { matteOf }: Finishing,
  memory: GrainMemory | null = null,
  into?: Float32Array,
): Pick<Finished, "grained" | "touched"> {
  const touched = touchedBy(layers);
  const grained = mergeTouched(layers, touched, into);
  if (without !== "grain")
    layGrain(grained, plate, layers, comp.grain, scale, y0, touched, matteOf(comp.grain.matte), memory);
  return { grained, touched };
}

/** The same with its look; pixels that it changes are touched. One array where it changes nothing. */
export function looked(
  { comp: { look } }: CompPart,
  { grained, touched }: Pick<Finished, "grained" | "touched">,
  layers: Pick<Layers, "prop" | "width" | "height">,
  { without }: FinishWhere,
  { matteOf }: Finishing,
  into: Float32Array = new Float32Array(grained.length),
): Pick<Finished, "linear" | "grained" | "touched"> {
  if (without === "look" || !look.on || look.strength === 0 || changesNoLook(look))
    return { linear: grained, grained, touched };
  const linear = into;
  linear.set(grained);
  const all = touched.slice();
  layLook(linear, layers, look, all, matteOf(look.matte));
  return { linear, grained, touched: all };
}

/**
 * The only place where a picture is put together: the passes are laid over the plate in linear light by the comp's stages,
 * `out = prop + (1 - cover) (plate ratio + added) + glow`, then grain and look (docs/design.md section 22). Rows by
 * themselves with `finishHalo` rows around are those of the whole to the bit; of those given, only the rows `wanted` come
 * back. The passes' arrays are changed. Throws when passes and plate differ in size: nothing is ever stretched to fit.
 */
export function finishRows(
  shot: FinishPart,
  plate: { width: number; height: number; linear: Float32Array },
  passes: Passes,
  given: FinishWhere,
  wanted: Rows = { from: 0, to: plate.height },
): Finished {
  checkFrame(plate, passes);
  const layers = layersOf(plate.linear, passes, given.y0);
  const own = finishing(shot, plate, given);
  for (const name of LAYER_NAMES) if (name !== given.without) runLayerStage(name, shot, layers, own);
  // Grain and look change every pixel by itself: rows that only the stages before them looked at are left out.
  const { width } = plate;
  const kept = layerRows(layers, wanted);
  const part = { width, height: kept.height, linear: kept.plate };
  const place = { ...given, y0: kept.y0 };
  const matteOf = (id: string | null) => own.matteOf(id)?.subarray(wanted.from * width, wanted.to * width) ?? null;
  const late = { ...own, matteOf };
  return { ...looked(shot, grainedPicture(shot, part, kept, place, late), kept, place, late), layers: kept };
}

/** Throws when the passes and plate differ in size. */
export function checkFrame(plate: { width: number; height: number }, passes: { width: number; height: number }): void {
  if (plate.width !== passes.width || plate.height !== passes.height) {
    throw new RangeError(
      `The passes are ${passes.width} × ${passes.height} and the plate ${plate.width} × ${plate.height}. Render at the plate's size.`,
    );
  }
}

/** The layers over the plate, in linear light. */
export const mergeLayers = (layers: Omit<Layers, "depth" | "occlusion">): Float32Array =>
  mergeTouched(layers, touchedBy(layers));

/** The same where it is known which pixels they touch: the others are the plate's. */
function mergeTouched(
  { plate, prop, cover, ratio, added, glow }: Omit<Layers, "depth" | "occlusion">,
  touched: Uint8Array,
  out: Float32Array = new Float32Array(plate.length),
): Float32Array {
  out.set(plate);
  for (let pixel = 0; pixel < touched.length; pixel++) {
    if (touched[pixel] === 0) continue;
    const [i, p] = [pixel * 3, pixel * 4];
    const through = 1 - prop[p + 3];
    for (let k = 0; k < 3; k++) {
      const behind = cover ? 1 - cover[i + k] : through;
      out[i + k] = prop[p + k] + behind * (plate[i + k] * ratio[i + k] + added[i + k]);
    }
    if (glow) for (let k = 0; k < 3; k++) out[i + k] += glow[i + k];
  }
  return out;
}

/** Lays the look on what it is for, in place; pixels that it changes are touched. */
function layLook(
  linear: Float32Array,
  { prop, width, height }: Pick<Layers, "prop" | "width" | "height">,
  look: CompPart["comp"]["look"],
  touched: Uint8Array,
  matte: Float32Array | null,
): void {
  const own = lookOf(look);
  const colour = new Float64Array(3);
  for (let pixel = 0, i = 0; pixel < width * height; pixel++, i += 3) {
    const alpha = Math.min(1, prop[pixel * 4 + 3]);
    const share = look.of === "both" ? 1 : look.of === "cg" ? alpha : 1 - alpha;
    const weight = share * look.strength * (matte ? matte[pixel] : 1);
    if (weight === 0) continue;
    for (let k = 0; k < 3; k++) colour[k] = linear[i + k];
    lookColour(own, colour);
    for (let k = 0; k < 3; k++) linear[i + k] += weight * (colour[k] - linear[i + k]);
    touched[pixel] = 1;
  }
}
