import { linkSync, mkdirSync, readFileSync, rmSync, unlinkSync, writeFileSync } from "node:fs";
import path from "node:path";

/** State letter and start time (clock ticks since boot) of a process, from /proc; null where they cannot be told. */
function statusOf(pid: number): { state: string; start: string } | null {
  try {
    const stat = readFileSync(`/proc/${pid}/stat`, "utf8");
    const fields = stat.slice(stat.lastIndexOf(")") + 2).split(" ");
    return { state: fields[0], start: fields[19] };
  } catch {
    return null;
  }
}

function isAlive(pid: number, start: string | null): boolean {
  try {
    process.kill(pid, 0);
  } catch (error) {
    if ((error as NodeJS.ErrnoException).code === "ESRCH") return false;
  }
  const status = statusOf(pid);
  if (!status) return true;
  // A killed process stays in the table as a zombie until its parent collects it; it holds no files any more.
  if (status.state === "Z" || status.state === "X") return false;
  return start === null || status.start === start;
}

/**
 * Makes the folder and takes its lock, so that no second server opens the same database. The lock names process and
 * start time; one left by a dead process is taken over. Throws with advice if another server holds it.
 */
export function lockDataFolder(folder: string): () => void {
  mkdirSync(folder, { recursive: true });
  const lock = path.join(folder, "server.lock");
  const mine = path.join(folder, `server.lock.${process.pid}`);
  writeFileSync(mine, JSON.stringify({ pid: process.pid, start: statusOf(process.pid)?.start ?? null }));
  try {
    for (let attempt = 0; attempt < 3; attempt++) {
      try {
        linkSync(mine, lock);
        return () => rmSync(lock, { force: true });
      } catch (error) {
        if ((error as NodeJS.ErrnoException).code !== "EEXIST") throw error;
      }
      let holder: { pid: number; start: string | null } | null = null;
      try {
        holder = JSON.parse(readFileSync(lock, "utf8")) as { pid: number; start: string | null };
      } catch {
        // A lock that cannot be read was cut off while it was written.
      }
      if (holder && isAlive(holder.pid, holder.start)) {
        throw new Error(
          `Another Red Harbor server (process ${holder.pid}) already uses ${folder}. Stop it, or set HARBOR_DATA to another folder.`,
        );
      }
      rmSync(lock, { force: true });
    }
    throw new Error(`The data folder ${folder} could not be locked. Stop other servers and start again.`);
  } finally {
    unlinkSync(mine);
  }
}
