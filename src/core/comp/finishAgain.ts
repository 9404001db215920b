import type { Passes } from "../trace/film.ts";
import type { Finished, FinishPart, FinishWhere } from "./finish.ts";
import { finishing, grainedPicture, looked, runLayerStage } from "./finish.ts";
import type { Layers } from "./layers.ts";
import { layersOf } from "./layers.ts";
import type { StageName } from "./stages/index.ts";
import { LAYER_NAMES } from "./stages/index.ts";

/** Where the stages that are done on layers end. */
const LAYERS_DONE = LAYER_NAMES.length;

interface Kept {
  /** Number of the stage before which it was kept, and all that it depends on. */
  stage: number;
  key: string;
  layers: Layers;
}

/**
 * Finishes the same passes over and over while settings change, to the same bits as `finishRows`, but begins where the
 * settings begin to differ: what a slider of a late stage does not touch is kept from the time before.
 */
export class FinishAgain {
  private kept: Kept | null = null;
  private picture: { key: string; layers: Layers; made: Pick<Finished, "grained" | "touched"> } | null = null;
  private before: string[] = [];

  constructor(
    private readonly plate: { width: number; height: number; linear: Float32Array },
    private readonly passes: Passes,
    private readonly given: Omit<FinishWhere, "without">,
  ) {}

  /** The picture with these settings. Its arrays must not be changed. */
  finish(shot: FinishPart, without: StageName | null = null): Finished {
    const given = { ...this.given, without };
    const own = finishing(shot, this.plate, given);
    const keys = keysOf(shot, without);
    const upTo = (stage: number) => keys.slice(0, stage + 1).join("\n");
    // The stage whose settings are being changed: what comes before it is worth keeping.
    const changed = Math.max(0, keys.findIndex((key, i) => key !== this.before[i]) - 1);
    this.before = keys;
    const key = upTo(LAYERS_DONE + 1);
    if (this.picture?.key !== key) {
      const { layers, from } = this.start(upTo);
      for (let stage = from; stage < LAYERS_DONE; stage++) {
        if (stage === changed && stage > from) this.kept = { stage, key: upTo(stage), layers: copied(layers) };
        if (LAYER_NAMES[stage] !== without) runLayerStage(LAYER_NAMES[stage], shot, layers, own);
      }
      if (changed === LAYERS_DONE && from < LAYERS_DONE)
        this.kept = { stage: LAYERS_DONE, key: upTo(LAYERS_DONE), layers: copied(layers) };
      this.picture = { key, layers, made: grainedPicture(shot, this.plate, layers, given, own) };
    }
    const { made, layers } = this.picture;
    return looked(shot, made, layers, given, own);
  }

  private start(upTo: (stage: number) => string): { layers: Layers; from: number } {
    const { kept } = this;
    if (kept && kept.key === upTo(kept.stage)) return { layers: copied(kept.layers), from: kept.stage };
    return { layers: copied(layersOf(this.plate.linear, this.passes, this.given.y0)), from: 0 };
  }
}

/** What the picture depends on: the place first, then every stage in order, grain and look last. */
function keysOf({ comp, set, solved }: FinishPart, without: StageName | null): string[] {
  const own = (name: StageName) => {
    const settings = comp[name];
    const matte = settings.matte === null ? null : (comp.mattes[settings.matte] ?? null);
    return JSON.stringify(name === without ? null : [settings, matte]);
  };
  return [JSON.stringify([set, solved?.camera ?? null]), ...LAYER_NAMES.map(own), own("grain"), own("look")];
}

/** Layers that stages may change in place. */
const copied = (layers: Layers): Layers => ({
  ...layers,
  prop: layers.prop.slice(),
  ratio: layers.ratio.slice(),
  added: layers.added.slice(),
  depth: layers.depth.slice(),
  cover: layers.cover?.slice() ?? null,
  glow: layers.glow?.slice() ?? null,
});
