import { createHash } from "node:crypto";
import { readFileSync } from "node:fs";
import { fileURLToPath } from "node:url";

/** Sources that decide what the demo pictures show. */
const SOURCES = ["quay.ts", "buoy.ts", "shapes.ts", "textures.ts", "noise.ts", "develop.ts"];

/** Hash of the demo's recipe; the committed pictures carry the one they were made from. */
export function recipeHash(): string {
  const hash = createHash("sha256");
  for (const name of SOURCES) {
    hash.update(name).update(readFileSync(fileURLToPath(new URL(name, import.meta.url))));
  }
  return hash.digest("hex");
}
