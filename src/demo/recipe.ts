import { createHash } from "node:crypto";
import { readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";

/** Sources that decide what the pictures of every place show, and those of each. */
const COMMON = ["photograph.ts", "shapes.ts", "textures.ts", "noise.ts", "develop.ts", "glb.ts"];
const OWN: Record<string, string[]> = {
  quay: ["quay.ts", "buoy.ts"],
  netloft: ["netloft.ts", "kettle.ts"],
  slipway: ["slipway.ts", "rowingBoat.ts"],
};

/** Hash of a place's recipe; the committed pictures carry the one they were made from. */
export function recipeHash(place: string): string {
  const hash = createHash("sha256");
  for (const name of [...COMMON, ...OWN[place]]) {
    hash.update(name).update(readFileSync(fileURLToPath(new URL(name, import.meta.url))));
  }
  return hash.digest("hex");
}
