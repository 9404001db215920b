import { linearToLab } from "../../colour/difference.ts";
import { luminance } from "../../colour/srgb.ts";
import { boxOf, covered, quantile } from "../scene.ts";
import type { SitCheck, SitScene } from "../scene.ts";

/** Straight colour of what covers a pixel wholly. */
const own = (prop: Float32Array, pixel: number): [number, number, number] => [
  prop[pixel * 4] / prop[pixel * 4 + 3],
  prop[pixel * 4 + 1] / prop[pixel * 4 + 3],
  prop[pixel * 4 + 2] / prop[pixel * 4 + 3],
];

/** A figure of every pixel that a prop covers wholly, as rendered and as finished, and of the plate. */
function figures(scene: SitScene, of: (r: number, g: number, b: number) => number) {
  const { width, height, rendered, merged, behind } = scene;
  const [before, after, plate]: number[][] = [[], [], []];
  for (let i = 0; i < width * height; i++) {
    if (i % 7 === 0) plate.push(of(behind[i * 3], behind[i * 3 + 1], behind[i * 3 + 2]));
    if (!covered(scene, i)) continue;
    before.push(of(...own(rendered.prop, i)));
    after.push(of(merged[i * 3], merged[i * 3 + 1], merged[i * 3 + 2]));
  }
  return before.length >= 40 ? { before, after, plate } : null;
}

const spotOfProps = (scene: SitScene) => boxOf(scene, (i) => covered(scene, i));
const L = (r: number, g: number, b: number) => linearToLab(r, g, b)[0];
/** L* that the darkest and the brightest of a prop may be beyond both the plate's and its own. */
const LEVELS = 2.5;

/** Black of the props against the plate's. */
export const black: SitCheck = {
  label: "Black level",
  look: (scene) => {
    const found = figures(scene, L);
    if (!found) return null;
    const [was, now, plate] = [quantile(found.before, 0.01), quantile(found.after, 0.01), quantile(found.plate, 0.002)];
    const lifted = now - Math.max(was, plate);
    const crushed = Math.min(was, plate) - now;
    const off = Math.max(0, lifted, crushed);
    const score = off / LEVELS;
    return {
      score,
      value: `L* ${now.toFixed(1)}, the plate's ${plate.toFixed(1)}`,
      tolerance: `${LEVELS} L* beyond plate and render`,
      words:
        score <= 1
          ? "The props are no darker and no paler in their depths than plate and light make them."
          : lifted > 0
            ? "The props' blacks are lifted over the plate's: take the black of “Props” down, or pick a dark pair."
            : "The props' blacks are crushed below the plate's: raise the black of “Props”, or pick a dark pair.",
      step: "comp",
      spot: spotOfProps(scene),
    };
  },
};

/** White of the props against the plate's. */
export const white: SitCheck = {
  label: "White level",
  look: (scene) => {
    const found = figures(scene, L);
    if (!found) return null;
    const [was, now, plate] = [quantile(found.before, 0.98), quantile(found.after, 0.98), quantile(found.plate, 0.998)];
    const off = Math.max(0, now - Math.max(was, plate), was - now > 0 && now < plate ? was - now : 0);
    const score = off / (2 * LEVELS);
    return {
      score,
      value: `L* ${now > 100 ? "over 100" : now.toFixed(1)}, the plate's ${plate.toFixed(1)}`,
      tolerance: `${2 * LEVELS} L* beyond plate and render`,
      words:
        score <= 1
          ? "The props' brightest is as plate and light make it."
          : now > was
            ? "The props are brighter than anything on the plate: bring their white down, or pick a bright pair."
            : "The props are duller than light makes them: bring their white up, or pick a bright pair.",
      step: "comp",
      spot: spotOfProps(scene),
    };
  },
};

const chroma = (r: number, g: number, b: number) => {
  const [, x, y] = linearToLab(r, g, b);
  return Math.hypot(x, y);
};
/** Factor by which colourfulness may be changed. */
const COLOURFUL = 1.12;

/** Saturation of the props. */
export const saturation: SitCheck = {
  label: "Saturation",
  look: (scene) => {
    const found = figures(scene, chroma);
    if (!found) return null;
    const [was, now] = [quantile(found.before, 0.9), quantile(found.after, 0.9)];
    const factor = Math.max(1, now) / Math.max(1, was);
    const score = Math.abs(Math.log(factor)) / Math.log(COLOURFUL);
    return {
      score,
      value: `C* ${now.toFixed(1)}, rendered ${was.toFixed(1)}`,
      tolerance: `a factor of ${COLOURFUL}`,
      words:
        score <= 1
          ? "The props are as colourful as their light makes them."
          : `The props are ${factor > 1 ? "more" : "less"} colourful than their light makes them: set saturation nearer to 1.`,
      step: "comp",
      spot: spotOfProps(scene),
    };
  },
};

/** Distance in a*b* that the props' mean colour may be turned by. */
const CAST = 3;

/** Cast of the props beside that of their light. */
export const cast: SitCheck = {
  label: "Cast",
  look: (scene) => {
    const { width, height, rendered, merged } = scene;
    const sums = [0, 0, 0, 0, 0];
    for (let i = 0; i < width * height; i++) {
      if (!covered(scene, i)) continue;
      const [, a0, b0] = linearToLab(...own(rendered.prop, i));
      const [, a1, b1] = linearToLab(merged[i * 3], merged[i * 3 + 1], merged[i * 3 + 2]);
      // A change of saturation moves colours along their own hue: only what is across it is a cast.
      sums[0] += a0;
      sums[1] += b0;
      sums[2] += a1;
      sums[3] += b1;
      sums[4]++;
    }
    if (sums[4] < 40) return null;
    const [a0, b0, a1, b1] = sums.map((s) => s / sums[4]);
    const along = Math.hypot(a0, b0);
    const across = along > 1 ? Math.abs((a1 * b0 - b1 * a0) / along) : Math.hypot(a1 - a0, b1 - b0);
    const score = across / CAST;
    return {
      score,
      value: `${across.toFixed(1)} in a*b*`,
      tolerance: `${CAST}`,
      words:
        score <= 1
          ? "The props have the cast of their light."
          : "The props have another cast than their light: set warmth and green nearer to 0, or pick a pair.",
      step: "comp",
      spot: spotOfProps(scene),
    };
  },
};

/** Share of a prop that may clip beyond what the plate clips. */
const CLIPPED = 0.03;

/** Clipped light on the props. */
export const clipping: SitCheck = {
  label: "Clipping",
  look: (scene) => {
    const clips = (r: number, g: number, b: number) => (Math.max(r, g, b) >= 1 ? 1 : 0);
    const found = figures(scene, clips);
    if (!found) return null;
    const share = (list: number[]) => list.reduce((a, b) => a + b, 0) / list.length;
    const [now, plate] = [share(found.after), share(found.plate)];
    const score = Math.max(0, now - plate) / CLIPPED;
    return {
      score,
      value: `${(100 * now).toFixed(1)} % of the props, ${(100 * plate).toFixed(1)} % of the plate`,
      tolerance: `${100 * CLIPPED} % more`,
      words:
        score <= 1
          ? "The props clip no more than the plate."
          : "The props clip where the plate does not: bring their level down.",
      step: "comp",
      spot: boxOf(scene, (i) => covered(scene, i) && luminance(...own(scene.layers.prop, i)) >= 1),
    };
  },
};
