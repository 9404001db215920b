import type { SourceFile } from "../files.ts";
import { linesOf } from "./text.ts";

/** A material of an MTL file; colours as they are written. */
export interface MtlMaterial {
  name: string;
  diffuse: [number, number, number];
  emission: [number, number, number];
  /** Exponent of the highlight; null where none is told. */
  shininess: number | null;
  opacity: number;
  index: number | null;
  /** Of the extension for physically based materials: null where not told. */
  roughness: number | null;
  metallic: number | null;
  coat: number;
  coatRoughness: number;
  maps: Partial<Record<MtlSlot, MtlMap>>;
  /** Maps that are not taken in, by their words. */
  unread: string[];
}

export type MtlSlot = "diffuse" | "emission" | "normal" | "opacity";

export interface MtlMap {
  file: string;
  scale: [number, number];
  offset: [number, number];
  clamp: boolean;
}

const SLOTS: Record<string, MtlSlot> = {
  map_kd: "diffuse",
  map_ke: "emission",
  norm: "normal",
  map_kn: "normal",
  map_d: "opacity",
};
const UNREAD = new Set(["map_ks", "map_ns", "map_ka", "map_bump", "bump", "disp", "refl", "map_pr", "map_pm", "decal"]);

/** How many numbers follow an option of a map, at most. */
const OPTIONS: Record<string, number> = {
  "-s": 3,
  "-o": 3,
  "-t": 3,
  "-mm": 2,
  "-bm": 1,
  "-blendu": 1,
  "-blendv": 1,
  "-boost": 1,
  "-clamp": 1,
  "-imfchan": 1,
  "-texres": 1,
  "-type": 1,
  "-cc": 1,
};

function mapOf(words: string[]): MtlMap {
  const map: MtlMap = { file: "", scale: [1, 1], offset: [0, 0], clamp: false };
  let i = 0;
  while (i < words.length && words[i] in OPTIONS) {
    const option = words[i++];
    const values: string[] = [];
    const numbers = ["-s", "-o", "-t", "-mm", "-bm", "-boost"].includes(option);
    while (values.length < OPTIONS[option] && i < words.length - 1 && (!numbers || Number.isFinite(Number(words[i]))))
      values.push(words[i++]);
    const pair = [Number(values[0]), Number(values[1] ?? values[0])] as [number, number];
    if (option === "-s") map.scale = pair;
    else if (option === "-o") map.offset = [pair[0], Number(values[1] ?? 0)];
    else if (option === "-clamp") map.clamp = values[0] === "on";
  }
  map.file = words.slice(i).join(" ");
  return map;
}

/**
 * Materials of an MTL file, by their names. The format is described in the appendix B1 of the Advanced Visualizer manual
 * (1995); roughness and metal by the extension that several programs write (Pr, Pm, Pc, Pcr).
 */
export function readMtl({ bytes }: Pick<SourceFile, "bytes">): Map<string, MtlMaterial> {
  const found = new Map<string, MtlMaterial>();
  let now: MtlMaterial | null = null;
  for (const line of linesOf(bytes)) {
    const words = line.trim().split(/\s+/);
    const key = words[0].toLowerCase();
    const rest = words.slice(1);
    if (key === "newmtl") {
      const name = line.trim().slice(6).trim();
      now = {
        name,
        diffuse: [0.8, 0.8, 0.8],
        emission: [0, 0, 0],
        shininess: null,
        opacity: 1,
        index: null,
        roughness: null,
        metallic: null,
        coat: 0,
        coatRoughness: 0,
        maps: {},
        unread: [],
      };
      found.set(name, now);
      continue;
    }
    if (!now || rest.length === 0) continue;
    const number = Number(rest[0]);
    const colour = [0, 1, 2].map((k) => Number(rest[k] ?? rest[0])) as [number, number, number];
    if (SLOTS[key]) now.maps[SLOTS[key]] = mapOf(rest);
    else if (UNREAD.has(key)) now.unread.push(words[0]);
    else if (!Number.isFinite(number)) continue;
    else if (key === "kd" && colour.every(Number.isFinite)) now.diffuse = colour;
    else if (key === "ke" && colour.every(Number.isFinite)) now.emission = colour;
    else if (key === "ns") now.shininess = Math.max(0, number);
    else if (key === "d") now.opacity = number;
    else if (key === "tr") now.opacity = 1 - number;
    else if (key === "ni") now.index = number;
    else if (key === "pr") now.roughness = number;
    else if (key === "pm") now.metallic = number;
    else if (key === "pc") now.coat = number;
    else if (key === "pcr") now.coatRoughness = number;
  }
  return found;
}

/**
 * Roughness as glTF has it from the exponent of a Blinn-Phong highlight: the GGX lobe of the same width has
 * α² = 2 / (n + 2) (Walter et al. 2007, Microfacet Models for Refraction, section 5.2), and roughness is √α.
 */
export const roughnessOfShininess = (n: number): number => (2 / (n + 2)) ** 0.25;
