import * as v from "valibot";
import type { Vec3 } from "../math/vec3.ts";
import { ColourSchema, Finite, Id, NotNegative, Positive, Share, Text } from "../schema/fields.ts";

/** What surfaces of the set are made of. */
export const SetMaterialSchema = v.object({
  id: Id,
  name: Text,
  /** Reflectance, linear Rec. 709, its standard deviation, and where it comes from. */
  albedo: v.object({ colour: v.tuple([Positive, Positive, Positive]), spread: NotNegative, source: Text }),
  /** Gloss: its reflectance at normal incidence against index 1.5 (water about 0.5), and its roughness. */
  gloss: Share,
  roughness: Share,
  /** Whether surfaces that the plate shows have its colour, or the albedo everywhere. */
  shows: v.picklist(["plate", "colour"]),
  /** Sends out light: so many times the brightness that the plate has there; 0 for what only reflects. */
  glow: v.pipe(Finite, v.minValue(0, "must be 0 or more"), v.maxValue(1000, "must be 1000 or less")),
  /** Colour of the glow where the plate does not show it, in plate units. */
  glowColour: ColourSchema,
});
export type SetMaterial = v.InferOutput<typeof SetMaterialSchema>;

export const newMaterial = (id: string, name: string, colour: Vec3, spread = 0.07, source = ""): SetMaterial => ({
  id,
  name,
  albedo: { colour, spread, source },
  gloss: 0,
  roughness: 0.5,
  shows: "plate",
  glow: 0,
  glowColour: [1, 1, 1],
});

/** A material that many places have, with its published albedo. */
export interface MaterialPreset {
  name: string;
  /** Broadband solar or visible reflectance with the range that is published; the hue is common practice. */
  albedo: number;
  spread: number;
  hue: Vec3;
  gloss?: number;
  roughness?: number;
  source: string;
}

const OKE = "Oke 1987, Boundary Layer Climates, tables 1.1 and 8.2 (from memory)";

/** Sheen of rough mineral surfaces, and of planed or painted ones (common practice, no published source). */
export const ROUGH = { gloss: 0.5, roughness: 0.9 };
export const PLANED = { gloss: 0.7, roughness: 0.7 };

/**
 * Albedos of the handbook's tables: middle of the range, and half of it as the spread, relative. Wood and plaster are
 * from ASHRAE Fundamentals' table of ground and wall reflectances. Hues: common practice, no published source.
 */
export const MATERIAL_PRESETS: MaterialPreset[] = [
  { ...ROUGH, name: "Asphalt", albedo: 0.125, spread: 0.6, hue: [1, 0.98, 0.95], source: OKE },
  { ...ROUGH, name: "Concrete", albedo: 0.225, spread: 0.55, hue: [1, 0.97, 0.9], source: OKE },
  { ...ROUGH, name: "Stone", albedo: 0.275, spread: 0.27, hue: [1, 0.94, 0.84], source: OKE },
  { name: "Grass", albedo: 0.21, spread: 0.24, hue: [0.8, 1.08, 0.42], source: OKE },
  { name: "Sand, dry", albedo: 0.325, spread: 0.38, hue: [1.12, 1, 0.76], source: OKE },
  { name: "Soil", albedo: 0.225, spread: 0.78, hue: [1.15, 1, 0.8], source: OKE },
  { ...ROUGH, name: "Brick, red", albedo: 0.3, spread: 0.33, hue: [1.5, 0.9, 0.7], source: OKE },
  { ...ROUGH, name: "Slate", albedo: 0.1, spread: 0.3, hue: [0.95, 1, 1.05], source: OKE },
  { ...PLANED, name: "White paint", albedo: 0.7, spread: 0.29, hue: [1.01, 1, 0.97], source: OKE },
  {
    ...ROUGH,
    name: "Plaster",
    albedo: 0.65,
    spread: 0.2,
    hue: [1.03, 1, 0.94],
    source: "ASHRAE Fundamentals, light building surfaces (from memory)",
  },
  {
    ...PLANED,
    name: "Wood",
    albedo: 0.3,
    spread: 0.35,
    hue: [1.25, 0.98, 0.66],
    source: "ASHRAE Fundamentals, wood (from memory)",
  },
  { name: "Snow, fresh", albedo: 0.85, spread: 0.12, hue: [0.99, 1, 1.01], source: OKE },
  { name: "Water", albedo: 0.065, spread: 0.54, hue: [0.85, 1, 1], gloss: 0.5, roughness: 0.1, source: OKE },
];

/** A preset as a material of the shot. */
export function fromPreset(preset: MaterialPreset, id: string): SetMaterial {
  const [r, g, b] = preset.hue;
  // The hue keeps the luminance (Rec. 709).
  const level = preset.albedo / (0.2126 * r + 0.7152 * g + 0.0722 * b);
  const colour = [r, g, b].map((x) => Number(Math.min(0.98, level * x).toFixed(4))) as Vec3;
  const made = newMaterial(id, preset.name, colour, Number((preset.spread * preset.albedo).toFixed(4)), preset.source);
  return { ...made, gloss: preset.gloss ?? 0, roughness: preset.roughness ?? 0.5 };
}
