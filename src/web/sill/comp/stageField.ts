/** A number of a stage as its card shows it. */
export interface StageField {
  /** Its name among the stage's settings, and which one where there are several. */
  key: string;
  at?: number;
  label: string;
  min: number;
  max: number;
  step: number;
  digits?: number;
  unit?: string;
  /** Most that can be typed, where that is beyond the slider. */
  most?: number;
}

const field = (key: string, label: string, min: number, max: number, step: number, rest: Partial<StageField> = {}) => ({
  key,
  label,
  min,
  max,
  step,
  ...rest,
});

/** What grade and look have in common. */
export const GRADE_FIELDS: StageField[] = [
  field("exposure", "Exposure, stops", -3, 3, 0.01, { most: 10 }),
  field("warmth", "Warmth", -1, 1, 0.005, { digits: 3, most: 2 }),
  field("green", "Green", -1, 1, 0.005, { digits: 3, most: 2 }),
  field("contrast", "Contrast", 0.5, 2, 0.005, { digits: 3, most: 4 }),
  field("saturation", "Saturation", 0, 2, 0.005, { digits: 3, most: 4 }),
];

export const SHADOW_FIELDS: StageField[] = [
  field("density", "Density", 0, 2, 0.01, { most: 3 }),
  field("softness", "Softer by", 0, 0.3, 0.001, { unit: "m", digits: 3, most: 2 }),
  field("contact", "Contact", 0, 1, 0.01),
  field("colour", "Red in it", 0, 1, 0.01, { at: 0 }),
  field("colour", "Green in it", 0, 1, 0.01, { at: 1 }),
  field("colour", "Blue in it", 0, 1, 0.01, { at: 2 }),
];
export const REFLECTION_FIELDS: StageField[] = [
  field("level", "Level", 0, 2, 0.01, { most: 4 }),
  field("blurPx", "Blur", 0, 20, 0.1, { unit: "px", digits: 1, most: 40 }),
  field("fadePx", "Fades over", 0, 400, 1, { unit: "px", digits: 0, most: 4000 }),
  field("roughness", "Rough as", 0, 1, 0.01),
  field("fadeMetres", "Fades with height", 0, 3, 0.01, { unit: "m", most: 1000 }),
  field("fadeAngle", "Fades with angle", 0, 5, 0.05),
];
export const LENS_FIELDS: StageField[] = [
  field("redPx", "Red, corner", -4, 4, 0.01, { unit: "px", most: 20 }),
  field("bluePx", "Blue, corner", -4, 4, 0.01, { unit: "px", most: 20 }),
  field("vignette", "Vignette", -0.2, 0.8, 0.005, { digits: 3, most: 0.95 }),
];
export const GLOW_FIELDS: StageField[] = [
  field("from", "From light of", 0, 2, 0.01, { most: 100 }),
  field("size", "Size", 0, 20, 0.1, { unit: "‰", digits: 1, most: 30 }),
  field("amount", "Amount", 0, 1, 0.01),
];
