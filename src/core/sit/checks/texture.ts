import { grainAt, grainVariance } from "../../comp/grain.ts";
import { measureGrain } from "../../comp/measureGrain.ts";
import { plateSharpness } from "../../comp/sharpness.ts";
import { missingBlur } from "../../comp/stages/sharpness.ts";
import type { Vec2 } from "../../math/vec3.ts";
import { boxOf, covered } from "../scene.ts";
import type { SitCheck } from "../scene.ts";

/** Factor by which grain may be weaker or stronger than the plate's. */
const GRAIN = 1.35;
/** Standard deviation of a plate's grain in mid grey below which nobody misses it, of white. */
const UNSEEN = 0.0012;

/** Grain on the props in the finished picture against what the plate has at that brightness. */
export const grain: SitCheck = {
  label: "Grain",
  look: (scene) => {
    const { plate, grained, merged, scale, width, height } = scene;
    const measured = measureGrain(plate);
    if (!measured) return null;
    const model = grainAt(measured.model, scale);
    let [laid, wanted, n] = [0, 0, 0];
    for (let i = 0; i < width * height; i++) {
      if (!covered(scene, i)) continue;
      for (let k = 0; k < 3; k++) {
        const light = merged[i * 3 + k];
        if (!(light > 0.01 && light < 0.9)) continue;
        laid += (grained[i * 3 + k] - light) ** 2;
        wanted += grainVariance(model, k, light);
        n++;
      }
    }
    if (n < 200) return null;
    const own = Math.sqrt(laid / n);
    const real = Math.sqrt(wanted / n);
    const factor = Math.max(own, UNSEEN / 4) / Math.max(real, UNSEEN / 4);
    const score = real < UNSEEN && own < UNSEEN ? 0 : Math.abs(Math.log(factor)) / Math.log(GRAIN);
    return {
      // No grain at all is not endlessly bad.
      score: Math.min(8, score),
      value: `${(100 * own).toFixed(2)} % of white, the plate's ${(100 * real).toFixed(2)} %`,
      tolerance: `a factor of ${GRAIN}`,
      words:
        score <= 1
          ? "The props have the plate's grain."
          : own < real
            ? "The props are cleaner than the plate: measure its grain and switch it on."
            : "The props are grainier than the plate: bring the strength of the grain to 1.",
      step: "comp",
      spot: boxOf(scene, (i) => covered(scene, i)),
    };
  },
};

/** Pixels of standard deviation that edges may be softer or sharper. */
const SOFTNESS = 0.2;

/** Sharpness of what is rendered against the plate's edges. */
export const sharpness: SitCheck = {
  label: "Sharpness",
  look: (scene) => {
    const { shot, plate, scale, renderedSigma } = scene;
    const lines = Object.values(shot.edges).map(({ points }) => points.map(([x, y]): Vec2 => [x, y]));
    const measured = plateSharpness(plate, lines);
    if (!measured) return null;
    const { sharpness: stage } = shot.comp;
    const missing = stage.on
      ? missingBlur(stage, { scale, renderedSigma, full: scene, setDepth: () => null, rays: () => null, focal: null })
      : 0;
    const own = Math.hypot(renderedSigma, missing) / scale;
    // What is rendered cannot be sharper than its pixels.
    const real = Math.max(measured.sigmaPx, renderedSigma > 0.42 ? 0 : 0.4155 / scale);
    const off = own - real;
    const score = Math.abs(off) / SOFTNESS;
    return {
      score,
      value: `${own.toFixed(2)} px, the plate's ${real.toFixed(2)}`,
      tolerance: `± ${SOFTNESS} px`,
      words:
        score <= 1
          ? "What is rendered is as sharp as the plate."
          : off < 0
            ? "What is rendered is sharper than the plate: measure its sharpness and switch it on."
            : "What is rendered is softer than the plate: measure its sharpness.",
      step: "comp",
      spot: boxOf(scene, (i) => covered(scene, i)),
    };
  },
};
