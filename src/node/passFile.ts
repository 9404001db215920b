import type { ExrHeader } from "#core/image/exrCheck";
import { checkExr } from "#core/image/exrCheck";

/** Channels of a pass's file by what it is. */
export const PASS_CHANNELS = {
  prop: ["R", "G", "B", "A"],
  ratio: ["R", "G", "B"],
  added: ["R", "G", "B"],
  depth: ["Z"],
  occlusion: ["Y"],
} as const satisfies Record<string, readonly string[]>;
export type PassName = keyof typeof PASS_CHANNELS;

/** The head of a pass's file. Throws a sentence where it has another size than the picture, or lacks a channel. */
export function passHeader(bytes: Uint8Array, name: PassName, size: { width: number; height: number }): ExrHeader {
  const header = checkExr(bytes);
  const { width, height, channels } = header;
  if (width !== size.width || height !== size.height)
    throw new Error(
      `The pass “${name}” is ${width} × ${height} and the picture ${size.width} × ${size.height}. Render it again.`,
    );
  const missing = PASS_CHANNELS[name].filter((channel) => !channels.some((own) => own.name === channel));
  if (missing.length > 0) throw new Error(`The pass “${name}” has no channel ${missing.join(", ")}. Render it again.`);
  return header;
}
