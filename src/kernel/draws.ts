// The rig's lights drawn for a surface point, one after another: sun, environment, lamps each for itself, one of the
// other lamps. What was drawn stands in `light`: `toX` to `toZ`, `reach`, `density` and `lightR` to `lightB`, over the
// density; the sun's without the plate's own shadows, for `light.scaleDrawn`. Drawing sets the frame of `frame`.
import * as light from "./light";
import { GROUP_LAMPS, GROUP_SKY, GROUP_SUN } from "./layout";
import { seekDimension } from "./sampler";

/** A dimension that says: leave this kind of light out. */
export const NOT_DRAWN: u32 = 0xffffffff;

/** Group of the light drawn last. */
export let drawnGroup: u32 = 0;
/** Probability by which that light was chosen among the lamps; 1 for sun and environment. */
export let drawnShare: f32 = 1;

let sunAt: u32 = 0,
  skyAt: u32 = 0,
  everyAt: u32 = 0,
  anyAt: u32 = 0;
/** Lamps drawn each for itself, and the next one of them. */
let every: u32 = 0,
  next: u32 = 0;
let stage: u32 = 0;

/**
 * Begins anew, with the dimensions of the random numbers for each kind. The first `lamps` lamps are each drawn from
 * dimensions of their own; of those after them one is drawn.
 */
export function beginDraws(sun: u32, sky: u32, lampsFrom: u32, lamps: u32, other: u32): void {
  sunAt = sun;
  skyAt = sky;
  everyAt = lampsFrom;
  every = lamps;
  anyAt = other;
  stage = 0;
  next = 0;
}

/** Draws the next light that sends something to (x, y, z); false after the last. */
export function nextDraw(x: f32, y: f32, z: f32): bool {
  if (stage == 0) {
    stage = 1;
    if (sunAt != NOT_DRAWN && light.hasSun()) {
      seekDimension(sunAt);
      light.takeSun();
      drawnGroup = GROUP_SUN;
      drawnShare = 1;
      return true;
    }
  }
  if (stage == 1) {
    stage = 2;
    if (skyAt != NOT_DRAWN && light.hasEnvironment()) {
      seekDimension(skyAt);
      if (light.drawEnvironment(x, y, z)) {
        drawnGroup = GROUP_SKY;
        drawnShare = 1;
        return true;
      }
    }
  }
  while (next < every) {
    const lamp = light.lampAt(next);
    seekDimension(everyAt + next);
    next++;
    if (!light.drawLamp(lamp, x, y, z)) continue;
    drawnGroup = GROUP_LAMPS + next - 1;
    drawnShare = light.shareOf(lamp);
    return true;
  }
  if (stage == 2) {
    stage = 3;
    if (anyAt != NOT_DRAWN && light.lampCount() > every) {
      seekDimension(anyAt);
      if (light.drawAnyLamp(x, y, z, every)) {
        drawnGroup = light.lampGroup();
        drawnShare = light.shareFrom(every);
        return true;
      }
    }
  }
  return false;
}
