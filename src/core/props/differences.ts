import { lookName } from "./looks.ts";
import type { Model } from "./model.ts";
import { modelBounds, triangleCount } from "./model.ts";

const WAYS = ["wide", "deep", "high"] as const;
/** Sizes that differ by less are the same. */
const SAME = 0.005;

/** Sizes along X, Y and Z by how much more or less they are than others, in words; those that are the same are left out. */
export function sizeDifferences(now: readonly number[], before: readonly number[], least = SAME): string[] {
  return WAYS.flatMap((word, k) => {
    const share = now[k] / before[k] - 1;
    if (!Number.isFinite(share) || Math.abs(share) <= least) return [];
    return [
      `${Math.abs(share * 100)
        .toFixed(share < 0.1 ? 1 : 0)
        .replace(/\.0$/, "")} % ${share > 0 ? "more" : "less"} ${word}`,
    ];
  });
}

const extentOf = (model: Model): number[] => {
  const { low, high } = modelBounds(model);
  return high.map((x, k) => x - low[k]);
};

const list = (names: readonly string[]): string =>
  names.length > 4 ? `${names.slice(0, 4).join(", ")} and ${names.length - 4} more` : names.join(", ");

/** What a newer file of a model has otherwise, in sentences: size, materials, parts. Empty where all that is the same. */
export function modelDifferences(now: Model, before: Model): string[] {
  const said: string[] = [];
  const sizes = sizeDifferences(extentOf(now), extentOf(before));
  if (sizes.length > 0) said.push(`It is ${sizes.join(", ")}.`);
  const names = (model: Model) => model.materials.map((m, i) => lookName(m, i));
  const [mine, theirs] = [names(now), names(before)];
  const [gone, come] = [theirs.filter((n) => !mine.includes(n)), mine.filter((n) => !theirs.includes(n))];
  if (gone.length > 0) said.push(`Without the material${gone.length > 1 ? "s" : ""} ${list(gone)}.`);
  if (come.length > 0) said.push(`With the new material${come.length > 1 ? "s" : ""} ${list(come)}.`);
  const parts = now.meshes.length - before.meshes.length;
  if (parts !== 0)
    said.push(`${Math.abs(parts)} part${Math.abs(parts) > 1 ? "s" : ""} ${parts > 0 ? "more" : "less"}.`);
  const triangles = triangleCount(now) - triangleCount(before);
  if (triangles !== 0)
    said.push(`${Math.abs(triangles).toLocaleString("en")} triangles ${triangles > 0 ? "more" : "less"}.`);
  return said;
}
