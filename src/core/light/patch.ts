import type { Vec3 } from "../math/vec3.ts";

/** Linear light, before the camera bent it, from which a code is at or near the top. */
export const CLIPS = 0.985;

/** Mean linear colour of a disc of the plate, and the share of its pixels that are at or above where it clips. */
export function readPatch(
  plate: { width: number; height: number; linear: Float32Array },
  centre: [number, number],
  radius: number,
  clips = CLIPS,
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
      if (Math.max(plate.linear[at], plate.linear[at + 1], plate.linear[at + 2]) >= clips) clipped++;
      for (let k = 0; k < 3; k++) colour[k] += plate.linear[at + k];
    }
  }
  const s = pixels > 0 ? 1 / pixels : 0;
  return { colour: [colour[0] * s, colour[1] * s, colour[2] * s], clipped: clipped * s, pixels };
}
