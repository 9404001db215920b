import { modelBounds } from "../../props/model.ts";
import { singleModelOf } from "../../props/placed.ts";
import type { Prop } from "../../props/schema.ts";
import { boxOf } from "../scene.ts";
import type { SitCheck } from "../scene.ts";

const shown = (props: Record<string, Prop>) => Object.values(props).filter((p) => !p.hidden && p.role === "cg");

/** Share by which a prop may be larger or smaller than its file says, or longer one way than another. */
const SIZE = 0.02;

/** Size of props against that of their files. */
export const size: SitCheck = {
  label: "Size",
  look: ({ shot }) => {
    const own = shown(shot.props).filter(({ source }) => source.kind === "model");
    if (own.length === 0) return null;
    const off = own.map((prop) => {
      const mean = Math.cbrt(prop.placement.scale.reduce((a, b) => a * Math.abs(b), 1));
      return { prop, mean, off: Math.abs(Math.log(mean)) };
    });
    const worst = off.reduce((a, b) => (b.off > a.off ? b : a));
    const score = worst.off / Math.log(1 + SIZE);
    return {
      score,
      value: `${(100 * worst.mean).toFixed(1)} % of its file's size`,
      tolerance: `± ${100 * SIZE} %`,
      words:
        score <= 1
          ? "Props have the size that their files say."
          : `“${worst.prop.name}” is ${worst.mean > 1 ? "larger" : "smaller"} than its file says: set its scale to 1, or type a side that is known.`,
      step: "props",
      spot: null,
    };
  },
};

/** Of a yardstick's name, what is no thing. */
const NO_THING = /\b(height|width|length|long|short|side|with|large|standing|interior|above|of)\b|[^\p{L}\d ]/giu;
/** Share by which any thing may differ from what such things measure, beside the spread of theirs. */
const ANY = 0.03;

/** The thing that a name is of: its last word ("oak table" is a table, "table lamp" a lamp). */
const thingOf = (name: string): string => /([\p{L}\d]+)[^\p{L}\d]*$/u.exec(name.toLowerCase())?.[1] ?? "";

/** Props that are called like something of known size. */
export const yardsticks: SitCheck = {
  label: "Size as such things have",
  look: ({ shot, models, known }) => {
    const found = shown(shot.props).flatMap((prop) => {
      const model = singleModelOf(prop, models);
      if (!model) return [];
      const thing = thingOf(prop.name.replace(/[\d\s]+$/, ""));
      const { low, high } = modelBounds(model);
      const sides = low.map((x, k) => (high[k] - x) * Math.abs(prop.placement.scale[k]));
      return known.yardsticks.flatMap(({ name, metres, spread, along }) => {
        const words = name.split(",")[0].toLowerCase().replace(NO_THING, " ").split(/\s+/);
        if (!words.includes(thing)) return [];
        const near = (side: number) => Math.abs(Math.log(side / metres));
        const side = along === null ? sides.reduce((a, b) => (near(b) < near(a) ? b : a)) : sides["xyz".indexOf(along)];
        return [{ prop, name, metres, side, score: Math.abs(side - metres) / (2 * spread + ANY * metres) }];
      });
    });
    if (found.length === 0) return null;
    const worst = found.reduce((a, b) => (b.score > a.score ? b : a));
    return {
      score: worst.score,
      value: `${worst.side.toFixed(3)} m`,
      tolerance: `${worst.name}: ${worst.metres} m`,
      words:
        worst.score <= 1
          ? "Props are as large as such things are."
          : `“${worst.prop.name}” measures ${worst.side.toFixed(2)} m where such things have ${worst.metres} m (${worst.name}): check its unit, or call it what it is.`,
      step: "props",
      spot: null,
    };
  },
};

/** Props that are longer one way than another. */
export const stretch: SitCheck = {
  label: "Props not stretched",
  look: ({ shot }) => {
    const own = shown(shot.props).filter(({ source }) => source.kind === "model");
    if (own.length === 0) return null;
    const worst = own
      .map((prop) => {
        const s = prop.placement.scale.map(Math.abs);
        return { prop, ratio: Math.max(...s) / Math.max(1e-9, Math.min(...s)) };
      })
      .reduce((a, b) => (b.ratio > a.ratio ? b : a));
    const score = (worst.ratio - 1) / SIZE;
    return {
      score,
      value: `${(100 * (worst.ratio - 1)).toFixed(1)} % longer one way`,
      tolerance: `${100 * SIZE} %`,
      words:
        score <= 1
          ? "No prop is stretched."
          : `“${worst.prop.name}” is stretched: give it one scale in all directions.`,
      step: "props",
      spot: null,
    };
  },
};

/** Pixels of a prop that the frame may cut. */
const CUT = 4;

/** Props that the frame cuts. */
export const cut: SitCheck = {
  label: "Props within the frame",
  look: (scene) => {
    const { width, height, rendered } = scene;
    const edge = (pixel: number) => {
      const [x, y] = [pixel % width, Math.floor(pixel / width)];
      return x === 0 || y === 0 || x === width - 1 || y === height - 1;
    };
    let count = 0;
    for (let i = 0; i < width * height; i++) if (rendered.prop[i * 4 + 3] > 0.5 && edge(i)) count++;
    const score = count / CUT;
    return {
      score,
      value: `${count} pixels at the border`,
      tolerance: `${CUT} pixels`,
      words: score <= 1 ? "The frame cuts no prop." : "The frame cuts a prop: mean it so, or move it.",
      step: "props",
      spot: boxOf(scene, (i) => rendered.prop[i * 4 + 3] > 0.5 && edge(i)),
    };
  },
};

/** Roughness under which a surface mirrors what is around it. */
const MIRRORS = 0.35;

/** Glossy props in a place that is not built around them. */
export const mirrors: SitCheck = {
  label: "What glossy props mirror",
  look: ({ shot, models }) => {
    const glossy = shown(shot.props).filter(({ source, looks }) => {
      if (source.kind === "shape") return source.roughness < MIRRORS && source.metallic > 0.5;
      if (source.kind !== "model") return false;
      const model = models.get(source.asset);
      return model?.materials.some((m) => {
        const look = looks[m.name] as { roughness?: number; metallic?: number } | undefined;
        return (look?.roughness ?? m.roughness) < MIRRORS && (look?.metallic ?? m.metallic) > 0.5;
      });
    });
    if (glossy.length === 0) return null;
    const parts = Object.keys(shot.set).length;
    const around = shot.light.sky.on && shot.light.sky.spread.kind === "picture";
    const score = parts > 0 || around ? 0 : 1.5;
    return {
      score,
      value: `${parts} parts${around ? ", surroundings" : ""}`,
      tolerance: "a place around it",
      words:
        score <= 1
          ? "Glossy props mirror the place that was built, and its sky."
          : `“${glossy[0].name}” mirrors an empty ground and an even sky: build the walls around it, or bring in surroundings.`,
      step: "set",
      spot: null,
    };
  },
};

/** Whether it is known whose the plate is. */
export const licence: SitCheck = {
  label: "Licence of the plate",
  look: ({ shot }) => {
    const { owner, licence: own } = shot.plates.main;
    const known = owner !== "" || own !== "";
    return {
      score: known ? 0 : null,
      value: known ? [owner, own].filter(Boolean).join(", ") : "not said",
      tolerance: "said",
      words: known
        ? "Whose the plate is goes with every file."
        : "Say whose the plate is, so that it goes with every file.",
      step: "plate",
      spot: null,
    };
  },
};

/** Whether it is known on which terms the models may be used. */
export const modelLicences: SitCheck = {
  label: "Licences of the models",
  look: ({ shot, known: { licences } }) => {
    const own = shown(shot.props).flatMap(({ name, source }) =>
      source.kind === "model" && !source.skin ? [{ name, asset: source.asset }] : [],
    );
    if (own.length === 0 || !licences) return null;
    const unsaid = own.filter(({ asset }) => !licences[asset]);
    const said = own.length - unsaid.length;
    return {
      score: unsaid.length === 0 ? 0 : null,
      value: `${said} of ${own.length} said`,
      tolerance: "all said",
      words:
        unsaid.length === 0
          ? "It is known on which terms every model may be used."
          : `Say in the library on which terms “${unsaid[0].name}”${unsaid.length > 1 ? ` and ${unsaid.length - 1} more` : ""} may be used.`,
      step: "props",
      spot: null,
    };
  },
};
