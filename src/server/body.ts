import express from "express";
import type { Request } from "express";
import { storable } from "#core/text/storable";
import { ApiError } from "./errors.ts";

const MB = 1024 * 1024;

/** Documents are some 12 deep. */
const MOST_DEPTH = 40;

/** The deepest nesting of a JSON text, told from its bytes before anything is built from it. */
export function jsonDepth(bytes: Uint8Array): number {
  let depth = 0;
  let deepest = 0;
  let quoted = false;
  for (let i = 0; i < bytes.length; i++) {
    const c = bytes[i];
    if (quoted) {
      if (c === 0x5c) i++;
      else if (c === 0x22) quoted = false;
    } else if (c === 0x22) quoted = true;
    else if (c === 0x5b || c === 0x7b) deepest = Math.max(deepest, ++depth);
    else if (c === 0x5d || c === 0x7d) depth--;
  }
  return deepest;
}

/** Reads JSON of bounded size and depth. */
export const json = express.json({
  limit: 12 * MB,
  verify: (_request, _response, bytes) => {
    if (jsonDepth(bytes) > MOST_DEPTH) {
      throw new ApiError(400, "bad-request", "The request is nested too deep.", "Reload the page and try again.");
    }
  },
});

/** The name of an uploaded file: as it was, without what no file system or database can hold, at most 200 characters. */
export function fileNameOf(request: Request): string {
  const raw = request.header("x-file-name") ?? "";
  let name = raw;
  try {
    name = decodeURIComponent(raw);
  } catch {
    // A name with a bare % was not encoded: it is taken as it stands.
  }
  return storable(name) || "untitled";
}
