import type { Look } from "./looks.ts";

/** Materials that props are often made of. */
export interface LookPreset {
  title: string;
  look: Omit<Look, "preset">;
  /** Where its values come from. */
  source: string;
}

const METALS =
  "reflectance of the metal in Rec. 709 from Akenine-Möller et al., Real-Time Rendering, 4th edition, table 9.2 (from memory)";
const PRACTICE = "common practice, no published source";
const none = {
  metallic: 0,
  transmission: 0,
  coat: 0,
  sheenColor: [0, 0, 0] as [number, number, number],
  anisotropy: 0,
  plain: true,
};

/** By their names. Roughness is `common practice, no published source` wherever no other source is named. */
export const LOOK_PRESETS = {
  "painted-steel": {
    title: "painted steel",
    look: { ...none, baseColor: [0.08, 0.16, 0.3], roughness: 0.35, index: 1.5 },
    source: `alkyd paint of index 1.5; ${PRACTICE}`,
  },
  "car-paint": {
    title: "car paint",
    look: {
      ...none,
      baseColor: [0.35, 0.02, 0.02],
      roughness: 0.45,
      metallic: 0.35,
      coat: 1,
      coatRoughness: 0.03,
      index: 1.5,
    },
    source: `flakes under a clear coat of index 1.5; ${PRACTICE}`,
  },
  brass: {
    title: "brass",
    look: { ...none, baseColor: [0.91, 0.778, 0.423], metallic: 1, roughness: 0.22 },
    source: METALS,
  },
  chrome: {
    title: "chrome",
    look: { ...none, baseColor: [0.549, 0.556, 0.554], metallic: 1, roughness: 0.03 },
    source: METALS,
  },
  "brushed-metal": {
    title: "brushed aluminium",
    look: { ...none, baseColor: [0.913, 0.922, 0.924], metallic: 1, roughness: 0.32, anisotropy: 0.7 },
    source: METALS,
  },
  copper: {
    title: "copper",
    look: { ...none, baseColor: [0.955, 0.638, 0.538], metallic: 1, roughness: 0.25 },
    source: METALS,
  },
  iron: {
    title: "bare iron",
    look: { ...none, baseColor: [0.562, 0.565, 0.578], metallic: 1, roughness: 0.5 },
    source: METALS,
  },
  glass: {
    title: "glass",
    look: {
      ...none,
      baseColor: [1, 1, 1],
      roughness: 0,
      transmission: 1,
      thin: false,
      absorption: [1.2, 0.4, 1],
      index: 1.52,
    },
    source:
      "crown glass, index 1.52 (SCHOTT N-BK7 has 1.517 at 588 nm); the green of thick panes is common practice, no published source",
  },
  plastic: {
    title: "plastic",
    look: { ...none, baseColor: [0.6, 0.55, 0.1], roughness: 0.3, index: 1.49 },
    source: `acrylic, index 1.49; ${PRACTICE}`,
  },
  rubber: {
    title: "rubber",
    look: { ...none, baseColor: [0.03, 0.03, 0.03], roughness: 0.75, index: 1.52 },
    source: PRACTICE,
  },
  "varnished-wood": {
    title: "varnished wood",
    look: {
      metallic: 0,
      transmission: 0,
      anisotropy: 0,
      baseColor: [0.24, 0.11, 0.05],
      roughness: 0.5,
      coat: 1,
      coatRoughness: 0.08,
      index: 1.5,
    },
    source: `varnish of index 1.5 over matt wood; ${PRACTICE}`,
  },
  plaster: { title: "plaster", look: { ...none, baseColor: [0.75, 0.73, 0.7], roughness: 0.95 }, source: PRACTICE },
  cloth: {
    title: "cloth",
    look: {
      ...none,
      baseColor: [0.2, 0.22, 0.28],
      roughness: 0.95,
      sheenColor: [0.25, 0.25, 0.28],
      sheenRoughness: 0.4,
    },
    source: PRACTICE,
  },
} satisfies Record<string, LookPreset>;
export type LookPresetName = keyof typeof LOOK_PRESETS;
export const LOOK_PRESET_NAMES = Object.keys(LOOK_PRESETS) as LookPresetName[];

export const lookOfPreset = (name: LookPresetName): Look => ({
  preset: LOOK_PRESETS[name].title,
  ...LOOK_PRESETS[name].look,
});
