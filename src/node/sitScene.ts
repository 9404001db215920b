import type { DecodedPlate } from "#core/comp/composite";
import { renderedSigma } from "#core/comp/composite";
import { finishRows, mergeLayers } from "#core/comp/finish";
import type { Model } from "#core/props/model";
import type { Shot } from "#core/shot/schema";
import type { SitScene } from "#core/sit/scene";
import type { Passes } from "#core/trace/film";
import { plateAt } from "./plateRows.ts";

/** What the sit report looks at, of passes of a shot at some size. The passes stay as they are. */
export function sitScene(
  shot: Shot,
  plate: DecodedPlate,
  models: Map<string, Model>,
  passes: Passes,
  sigma: number | null = null,
  notices: readonly string[] = [],
): SitScene {
  const { width, height } = passes;
  const scale = width / plate.width;
  const behind = plateAt(plate, Math.round(100 * scale)).linear;
  const own: Passes = {
    ...passes,
    prop: passes.prop.slice(),
    ratio: passes.ratio.slice(),
    added: passes.added.slice(),
    depth: passes.depth.slice(),
  };
  const softness = sigma ?? renderedSigma(shot, scale);
  const where = { full: { width, height }, scale, y0: 0, renderedSigma: softness };
  const { grained, layers } = finishRows(shot, { width, height, linear: behind }, own, where);
  return {
    shot,
    models,
    plate,
    width,
    height,
    scale,
    behind,
    rendered: passes,
    layers,
    grained,
    merged: mergeLayers(layers),
    renderedSigma: softness,
    notices,
  };
}
