import type { Passes } from "../trace/film.ts";
import type { Finished, FinishPart, FinishWhere } from "./finish.ts";
import { finishHalo, finishing, grainedPicture, looked, runLayerStage } from "./finish.ts";
import type { Layers, Rows } from "./layers.ts";
import { GrainMemory } from "./grain.ts";
import { layersOf, leavesPlate } from "./layers.ts";
import type { StageName } from "./stages/index.ts";
import { LAYER_NAMES } from "./stages/index.ts";

/** Where the stages that are done on layers end. */
const LAYERS_DONE = LAYER_NAMES.length;

interface Plate {
  width: number;
  height: number;
  linear: Float32Array;
}

interface Kept {
  /** Number of the stage before which it was kept, and all that it depends on. */
  stage: number;
  key: string;
  layers: Layers;
}

/** The whole picture before its look, and the coverage that a look goes by. */
interface Made {
  grained: Float32Array;
  touched: Uint8Array;
  prop: Float32Array;
}

/**
 * Finishes the same passes over and over while settings change, to the same bits as `finishRows`, but begins where the
 * settings begin to differ: what a slider of a late stage does not touch is kept from the time before. Rows that no stage
 * can reach from what the passes change are the plate's, and are left alone.
 */
export class FinishAgain {
  private kept: Kept | null = null;
  private picture: { key: string; made: Made } | null = null;
  private before: string[] = [];
  private readonly grain = new GrainMemory();
  private readonly spare = new Spare();
  /** Rows in which the passes change something; none where they do not. */
  private readonly changed: Rows;

  constructor(
    private readonly plate: Plate,
    private readonly passes: Passes,
    private readonly given: Omit<FinishWhere, "without">,
  ) {
    this.changed = changedRows(plate, passes);
  }

  /** The picture with these settings. Its arrays must not be changed, and are the next one's. */
  finish(shot: FinishPart, without: StageName | null = null): Pick<Finished, "linear" | "grained" | "touched"> {
    const given = { ...this.given, without };
    const rows = this.rowsFor(shot);
    const keys = keysOf(shot, without, rows);
    const upTo = (stage: number) => keys.slice(0, stage + 1).join("\n");
    // The stage whose settings are being changed: what comes before it is worth keeping.
    const changed = Math.max(0, keys.findIndex((key, i) => key !== this.before[i]) - 1);
    this.before = keys;
    const key = upTo(LAYERS_DONE + 1);
    if (this.picture?.key !== key) {
      const part = rowsOf(this.plate, rows);
      const own = finishing(shot, part, { ...given, y0: given.y0 + rows.from });
      const { layers, from } = this.start(upTo, part, rows);
      for (let stage = from; stage < LAYERS_DONE; stage++) {
        if (stage === changed && stage > from) this.kept = { stage, key: upTo(stage), layers: copied(layers) };
        if (LAYER_NAMES[stage] !== without) runLayerStage(LAYER_NAMES[stage], shot, layers, own);
      }
      if (changed === LAYERS_DONE && from < LAYERS_DONE)
        this.kept = { stage: LAYERS_DONE, key: upTo(LAYERS_DONE), layers: copied(layers) };
      const place = { ...given, y0: given.y0 + rows.from };
      const into = this.spare.floats("grained", part.linear.length);
      const made = grainedPicture(shot, part, layers, place, own, this.grain, into);
      this.picture = { key, made: this.whole(made, layers, rows) };
    }
    const { prop, ...made } = this.picture.made;
    const into = this.spare.floats("looked", made.grained.length);
    return looked(shot, made, { prop, ...sizeOf(this.plate) }, given, finishing(shot, this.plate, given), into);
  }

  /**
   * Rows that are finished. What the passes change reaches as far as the stages look, and what lies there looks as far
   * again.
   */
  private rowsFor(shot: FinishPart): Rows {
    const { from, to } = this.changed;
    if (from >= to) return { from: 0, to: Math.min(1, this.plate.height) };
    const { scale, full, renderedSigma } = this.given;
    const reach = 2 * finishHalo(shot, scale, full, renderedSigma);
    return { from: Math.max(0, from - reach), to: Math.min(this.plate.height, to + reach) };
  }

  private start(upTo: (stage: number) => string, part: Plate, rows: Rows): { layers: Layers; from: number } {
    const { kept } = this;
    if (kept && kept.key === upTo(kept.stage)) return { layers: copied(kept.layers, this.spare), from: kept.stage };
    const layers = layersOf(part.linear, passesOf(this.passes, rows), this.given.y0 + rows.from);
    return { layers: copied(layers, this.spare), from: 0 };
  }

  /** The finished rows among those of the plate. */
  private whole({ grained, touched }: Pick<Finished, "grained" | "touched">, { prop }: Layers, rows: Rows): Made {
    const { width, height, linear } = this.plate;
    if (rows.to - rows.from === height) return { grained, touched, prop };
    const made: Made = {
      grained: linear.slice(),
      touched: new Uint8Array(width * height),
      prop: new Float32Array(width * height * 4),
    };
    made.grained.set(grained, rows.from * width * 3);
    made.touched.set(touched, rows.from * width);
    made.prop.set(prop, rows.from * width * 4);
    return made;
  }
}

const sizeOf = ({ width, height }: Plate) => ({ width, height });

function changedRows({ width, height, linear }: Plate, passes: Passes): Rows {
  const layers = layersOf(linear, passes, 0);
  const changes = (y: number) => {
    for (let pixel = y * width; pixel < (y + 1) * width; pixel++) if (!leavesPlate(layers, pixel)) return true;
    return false;
  };
  let [from, to] = [0, height];
  while (from < to && !changes(from)) from++;
  while (to > from && !changes(to - 1)) to--;
  return { from, to };
}

const rowsOf = ({ width, linear }: Plate, { from, to }: Rows): Plate => ({
  width,
  height: to - from,
  linear: linear.subarray(from * width * 3, to * width * 3),
});

const passesOf = (passes: Passes, { from, to }: Rows): Passes => {
  const { width, occlusion } = passes;
  const cut = (of: Float32Array, stride: number) => of.subarray(from * width * stride, to * width * stride);
  return {
    width,
    height: to - from,
    prop: cut(passes.prop, 4),
    ratio: cut(passes.ratio, 3),
    added: cut(passes.added, 3),
    depth: cut(passes.depth, 1),
    ...(occlusion ? { occlusion: cut(occlusion, 1) } : {}),
  };
};

/** What the picture depends on: the place and the rows first, then every stage in order, grain and look last. */
function keysOf({ comp, set, solved }: FinishPart, without: StageName | null, rows: Rows): string[] {
  const own = (name: StageName) => {
    const settings = comp[name];
    const matte = settings.matte === null ? null : (comp.mattes[settings.matte] ?? null);
    return JSON.stringify(name === without ? null : [settings, matte]);
  };
  const place = JSON.stringify([set, solved?.camera ?? null, rows]);
  return [place, ...LAYER_NAMES.map(own), own("grain"), own("look")];
}

/** Memory that is used again for every picture: a page that makes new megabytes at each move waits for their clearing. */
class Spare {
  private readonly kept = new Map<string, Float32Array>();

  floats(name: string, length: number): Float32Array {
    let own = this.kept.get(name);
    if (own?.length !== length) this.kept.set(name, (own = new Float32Array(length)));
    return own;
  }
}

/** Layers that stages may change in place, in memory of their own or in spare memory. */
function copied(layers: Layers, spare: Spare | null = null): Layers {
  const copy = (name: "prop" | "ratio" | "added" | "depth" | "cover" | "glow") => {
    const own = layers[name]!;
    if (!spare) return own.slice();
    const to = spare.floats(name, own.length);
    to.set(own);
    return to;
  };
  return {
    ...layers,
    prop: copy("prop"),
    ratio: copy("ratio"),
    added: copy("added"),
    depth: copy("depth"),
    cover: layers.cover && copy("cover"),
    glow: layers.glow && copy("glow"),
  };
}
