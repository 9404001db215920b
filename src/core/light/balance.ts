import type { Vec3 } from "../math/vec3.ts";

/** A patch of the plate, and the light that the set lets reach it. */
export interface ProbedPatch {
  /** Mean linear colour of the patch. */
  colour: Vec3;
  /** Share of the cosine-weighted hemisphere that is open sky. */
  openSky: number;
  /** Irradiance that comes from the set and the floor, plate units. */
  bounce: Vec3;
  /** Share of the sun's disc in view times the cosine to the sun. */
  sunCosine: number;
}

export interface Balance {
  /** Of the sun on a surface facing it, plate units. */
  sunIrradiance: Vec3;
  skyRadiance: Vec3;
  /** Irradiance of the sunlit patch over that of the shaded one, luminance. */
  ratio: number;
  /** Relative standard deviation that the albedo's own spread gives the level of everything. */
  levelSigma: number;
}

const PI = Math.PI;
const lum = (c: Vec3) => 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];

/**
 * Sun and sky from a lit and a shaded patch of one diffuse surface: radiance = albedo / pi times irradiance, solved for
 * the sky in the shade and for the sun in the light, per channel. A sentence where the patches contradict that.
 */
export function balanceLight(
  lit: ProbedPatch,
  shaded: ProbedPatch,
  albedo: Vec3,
  albedoSpread: number,
): Balance | string {
  if (lit.sunCosine < 0.02) {
    return "The sun does not reach the lit patch: a set surface stands between, or it faces away. Move the patch, or check the sun.";
  }
  if (shaded.openSky < 0.02) return "The shaded patch sees no sky past the set. Choose a more open one.";
  const sky: Vec3 = [0, 0, 0];
  const sun: Vec3 = [0, 0, 0];
  for (let k = 0; k < 3; k++) {
    const eShade = (PI * shaded.colour[k]) / albedo[k];
    const eLit = (PI * lit.colour[k]) / albedo[k];
    sky[k] = Math.max(0, (eShade - shaded.bounce[k]) / (PI * shaded.openSky));
    sun[k] = (eLit - lit.bounce[k] - PI * lit.openSky * sky[k]) / lit.sunCosine;
  }
  if (lum(sun) <= 0) {
    return "The lit patch is no brighter than the shaded one. Probe the same surface once in the sun and once in the shade.";
  }
  return {
    sunIrradiance: sun.map((x) => Math.max(0, x)) as Vec3,
    skyRadiance: sky,
    ratio: lum(lit.colour) / Math.max(1e-9, lum(shaded.colour)),
    levelSigma: albedoSpread / lum(albedo),
  };
}

/** Mean linear colour of a disc of the plate, and the share of its pixels at or near the top code. */
export function readPatch(
  plate: { width: number; height: number; linear: Float32Array },
  centre: [number, number],
  radius: number,
): { colour: Vec3; clipped: number; pixels: number } {
  const colour: Vec3 = [0, 0, 0];
  let pixels = 0;
  let clipped = 0;
  for (let y = Math.floor(centre[1] - radius); y <= centre[1] + radius; y++) {
    for (let x = Math.floor(centre[0] - radius); x <= centre[0] + radius; x++) {
      if (x < 0 || y < 0 || x >= plate.width || y >= plate.height) continue;
      if ((x + 0.5 - centre[0]) ** 2 + (y + 0.5 - centre[1]) ** 2 > radius * radius) continue;
      const at = (y * plate.width + x) * 3;
      pixels++;
      if (Math.max(plate.linear[at], plate.linear[at + 1], plate.linear[at + 2]) >= 0.985) clipped++;
      for (let k = 0; k < 3; k++) colour[k] += plate.linear[at + k];
    }
  }
  const s = pixels > 0 ? 1 / pixels : 0;
  return { colour: [colour[0] * s, colour[1] * s, colour[2] * s], clipped: clipped * s, pixels };
}
