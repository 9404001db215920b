import { createHash } from "node:crypto";
import { open, rm } from "node:fs/promises";
import type { Request } from "express";
import type { AssetStore } from "./assets.ts";
import { fileNameOf } from "./body.ts";
import { ApiError } from "./errors.ts";
import type { Room } from "./room.ts";

const MB = 1024 * 1024;

/** A file that came in and waits on the disk to be looked at. */
export interface Received {
  path: string;
  hash: string;
  name: string;
  bytes: number;
}

const tooLarge = (name: string, limit: number): ApiError =>
  new ApiError(
    413,
    "too-large",
    `“${name}” is larger than ${Math.round(limit / MB)} MB.`,
    "Plates and models may have 512 MB, pictures of notes 64 MB, fonts 32 MB, surroundings 1 GB.",
  );

/**
 * Writes a request's body to the disk as it comes, hashed on the way, never more than `limit` bytes and never into the
 * disk's reserve; `use` then looks at it, and the file is deleted unless it was taken over.
 */
export async function received<T>(
  request: Request,
  { assets, room }: { assets: AssetStore; room: Room },
  limit: number,
  use: (file: Received) => Promise<T>,
): Promise<T> {
  const name = fileNameOf(request);
  const declared = Number(request.header("content-length") ?? 0);
  if (declared > limit) throw tooLarge(name, limit);
  room.ask(declared);
  const path = await assets.newPath();
  try {
    const sum = createHash("sha256");
    let bytes = 0;
    let asked = 0;
    const file = await open(path, "w");
    try {
      for await (const chunk of request as AsyncIterable<Buffer>) {
        bytes += chunk.length;
        if (bytes > limit) throw tooLarge(name, limit);
        if (bytes - asked > 4 * MB) {
          asked = bytes;
          room.ask();
        }
        sum.update(chunk);
        await file.write(chunk);
      }
      await file.sync();
    } finally {
      await file.close();
    }
    if (bytes === 0) throw new ApiError(400, "empty", "The file is empty.", "Choose the file again.");
    return await use({ path, hash: sum.digest("hex"), name, bytes });
  } finally {
    await rm(path, { force: true });
  }
}
