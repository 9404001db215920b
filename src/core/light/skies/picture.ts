import { newSlope } from "../level.ts";
import type { PictureSpread } from "../surroundings/known.ts";
import { litPicture } from "../surroundings/known.ts";
import { lookUp } from "../surroundings/sphere.ts";
import { intoPicture, turnMatrix } from "../surroundings/turn.ts";
import type { SkyKind } from "./sky.ts";

/** A picture of the surroundings; even before it is loaded. */
export const picture: SkyKind<PictureSpread> = {
  label: "picture",
  shape: (spread) => {
    const around = litPicture(spread);
    if (!around) return null;
    // It is asked for directions against what is level.
    const turn = turnMatrix(spread, newSlope());
    return (_up, _toSun, direction) => lookUp(around, intoPicture(turn, direction));
  },
};
