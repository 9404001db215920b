import { rmSync, statfsSync } from "node:fs";
import { open, rename, rm, stat } from "node:fs/promises";
import path from "node:path";
import { ApiError } from "./errors.ts";

const MB = 1024 * 1024;

/** Bytes that stay free: two segments of the database's log, which it must be able to write at any time. */
const RESERVE = 40 * MB;
/** A file that is given up when a server must start on a full disk. */
const BALLAST = 24 * MB;

const megabytes = (bytes: number): string => `${Math.floor(bytes / MB)} MB`;

/**
 * Room on the disk of the data folder. The database cannot go on after a write that found no room, so nothing is written
 * any more before it comes to that, and everything goes on by itself once there is room again.
 */
export class Room {
  private readonly ballast: string;

  constructor(
    private readonly folder: string,
    private readonly reserve = RESERVE,
  ) {
    this.ballast = path.join(folder, "ballast");
  }

  /** Bytes that are free on the disk. */
  free(): number {
    const { bavail, bsize } = statfsSync(this.folder);
    return bavail * bsize;
  }

  /** True if so many bytes can be written and the reserve is still there. */
  has(bytes = 0): boolean {
    return this.free() >= this.reserve + bytes;
  }

  /** Throws ApiError 507 where there is no room for so many bytes. */
  ask(bytes = 0): void {
    if (this.has(bytes)) return;
    throw noRoom(this.folder, this.free(), this.reserve + bytes);
  }

  /** Before the database is opened: gives up the ballast where the disk is full, so that it can be opened at all. */
  prepareStart(): void {
    if (!this.has()) rmSync(this.ballast, { force: true });
  }

  /** Puts the ballast back where there is room for it. */
  async keepBallast(): Promise<void> {
    const there = await stat(this.ballast).catch(() => null);
    if (there?.size === BALLAST || !this.has(BALLAST)) return;
    const temporary = `${this.ballast}.part`;
    try {
      const file = await open(temporary, "w");
      try {
        // Written, not only made long: a hole takes no room.
        const block = Buffer.alloc(MB, 0xa5);
        for (let i = 0; i < BALLAST / MB; i++) await file.write(block);
      } finally {
        await file.close();
      }
      await rename(temporary, this.ballast);
    } catch {
      await rm(temporary, { force: true });
    }
  }
}

/** What is said when the disk is full: where what is kept lies, and what to free. */
export const noRoom = (folder: string, free: number, needed: number): ApiError =>
  new ApiError(
    507,
    "disk-full",
    `The disk is full: ${megabytes(free)} are free where Red Harbor keeps its data, and it needs ${megabytes(needed)}. Nothing was saved.`,
    `Free some room in ${folder} (shots and finals that you no longer need can be deleted here) or elsewhere on that disk. Your work stays in this browser and is saved by itself once there is room.`,
    { free, needed },
  );
