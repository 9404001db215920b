import type { DroppedFile } from "./bringModel.ts";

/** Which models are among files that were dropped at once. */

const startsWith = (head: Uint8Array, text: string) => [...text].every((c, i) => head[i] === c.charCodeAt(0));
/** Files that hold a whole model, by their first bytes; an STL has none of its own. */
const isWhole = (path: string, head: Uint8Array): boolean =>
  ["glTF", "ply", "PK\x03\x04"].some((text) => startsWith(head, text)) || /\.stl$/i.test(path);
const hasCompanions = (path: string): boolean => /\.(obj|gltf)$/i.test(path);
const stem = (path: string): string => path.replace(/\.[^./]*$/, "").toLowerCase();

/**
 * Files in groups, one for each model: a model in several files takes along all files that are none themselves, and the
 * same name in several formats is one model. What comes in a folder is one model as well.
 */
export async function modelsAmong(files: readonly DroppedFile[]): Promise<DroppedFile[][]> {
  if (files.some(({ path }) => path.includes("/"))) return [[...files]];
  const groups = new Map<string, DroppedFile[]>();
  const companions: DroppedFile[] = [];
  for (const dropped of files) {
    const head = new Uint8Array(
      await dropped.file
        .slice(0, 4)
        .arrayBuffer()
        .catch(() => new ArrayBuffer(0)),
    );
    if (!isWhole(dropped.path, head) && !hasCompanions(dropped.path)) companions.push(dropped);
    else groups.set(stem(dropped.path), [...(groups.get(stem(dropped.path)) ?? []), dropped]);
  }
  const found = [...groups.values()];
  if (found.length === 0) return companions.length > 0 ? [companions] : [];
  const needy = found.filter((group) => group.some(({ path }) => hasCompanions(path)));
  return found.map((group) =>
    (needy.length > 0 ? needy : [found[0]]).includes(group) ? [...group, ...companions] : group,
  );
}
