import * as foreground from "./foreground.ts";
import * as glow from "./glow.ts";
import * as grain from "./grain.ts";
import * as lens from "./lens.ts";
import * as look from "./look.ts";
import * as props from "./props.ts";
import * as reflection from "./reflection.ts";
import * as shadow from "./shadow.ts";
import * as sharpness from "./sharpness.ts";

/** Stages that change the layers, in the order in which they are done. */
export const LAYER_STAGES = { shadow, reflection, props, foreground, sharpness, lens, glow };
/** Stages of the picture that the layers make. */
export const PICTURE_STAGES = { grain, look };

export type LayerStage = keyof typeof LAYER_STAGES;
export type StageName = LayerStage | keyof typeof PICTURE_STAGES;
export const LAYER_NAMES = Object.keys(LAYER_STAGES) as LayerStage[];
export const STAGE_NAMES: StageName[] = [...LAYER_NAMES, "grain", "look"];
export const STAGE_LABELS: Record<StageName, string> = {
  shadow: shadow.stage.label,
  reflection: reflection.stage.label,
  props: props.stage.label,
  foreground: foreground.stage.label,
  sharpness: sharpness.stage.label,
  lens: lens.stage.label,
  glow: glow.stage.label,
  grain: "Grain",
  look: "Look",
};
