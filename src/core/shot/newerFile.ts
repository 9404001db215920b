import type { Draft } from "immer";
import type { Reading } from "../props/schema.ts";
import type { Shot } from "./schema.ts";

/** True if props of the shot have that file. */
export const hasFile = ({ props }: Pick<Shot, "props">, asset: string): boolean =>
  Object.values(props).some(({ source }) => source.kind === "model" && source.asset === asset);

/** Puts a newer file of a model in the place of an older one, for all props that have it. */
export function takeNewerFile(
  draft: Draft<Shot>,
  older: string,
  newer: { asset: string; fileName: string; reading: Reading },
): void {
  for (const { source } of Object.values(draft.props))
    if (source.kind === "model" && source.asset === older) Object.assign(source, newer, { skin: null });
}
