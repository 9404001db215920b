import * as v from "valibot";
import { Id, Share } from "../schema/fields.ts";
import type { Layers, Where } from "./layers.ts";

/** What every stage of the comp has: whether it is on, how much of it counts, and where. */
export const stageEntries = {
  on: v.boolean(),
  strength: Share,
  /** Id of the matte that it is held to; null for everywhere. */
  matte: v.nullable(Id),
};
export interface StageBase {
  on: boolean;
  strength: number;
  matte: string | null;
}
export const newStage = (on = false): StageBase => ({ on, strength: 1, matte: null });

/** Layers that a stage changes. */
export type Changes = "prop" | "cover" | "ratio" | "added" | "glow" | "depth";

/** One stage: what it changes, how far it looks, and what it does. */
export interface Stage<S extends StageBase> {
  label: string;
  changes: readonly Changes[];
  /** Rows above and below that it looks at, in a picture of that scale and width. */
  halo: (settings: S, scale: number, width: number) => number;
  /** True where its settings change nothing. */
  idle: (settings: S, where: Where) => boolean;
  /** Changes the layers in place, at full strength. `matte` is there for a stage that is nothing but its matte. */
  apply: (layers: Layers, settings: S, where: Where, matte: Float32Array | null) => void;
  /** True for a stage that takes care of strength and matte itself. */
  ownMatte?: boolean;
}

const STRIDES: Record<Changes, number> = { prop: 4, cover: 3, ratio: 3, added: 3, glow: 3, depth: 1 };

/** Runs a stage by its strength and matte: what it makes is mixed with what was there. */
export function runStage<S extends StageBase>(
  stage: Stage<S>,
  layers: Layers,
  settings: S,
  where: Where,
  matte: Float32Array | null,
): void {
  if (!settings.on || settings.strength === 0 || stage.idle(settings, where)) return;
  const { strength } = settings;
  if (stage.ownMatte || (strength === 1 && !matte)) {
    stage.apply(layers, settings, where, matte);
    return;
  }
  const before = stage.changes.map((name) => {
    const own = layers[name];
    return own ? own.slice() : null;
  });
  stage.apply(layers, settings, where, matte);
  stage.changes.forEach((name, c) => {
    const now = layers[name];
    if (!now) return;
    const was = before[c] ?? restOf(name, layers);
    const stride = STRIDES[name];
    for (let pixel = 0, i = 0; pixel < layers.width * layers.height; pixel++) {
      const weight = matte ? strength * matte[pixel] : strength;
      for (let k = 0; k < stride; k++, i++) now[i] = weight === 1 ? now[i] : was[i] + weight * (now[i] - was[i]);
    }
  });
}

/** What a layer was before a stage made it: no glow, the alpha in every channel. */
function restOf(name: Changes, { width, height, prop }: Layers): Float32Array {
  const out = new Float32Array(width * height * STRIDES[name]);
  if (name === "cover") for (let i = 0; i < out.length; i++) out[i] = prop[Math.floor(i / 3) * 4 + 3];
  return out;
}
