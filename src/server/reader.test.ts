import { mkdtemp, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { readFileSync } from "node:fs";
import { expect, test } from "@jest/globals";
import { boxStl } from "../testing/modelFiles.ts";
import { Reader } from "./reader.ts";

test("readings that are left end with a sentence, and those after them still find their turn", async () => {
  const folder = await mkdtemp(path.join(tmpdir(), "harbor-reader-test-"));
  const file = path.join(folder, "crate.stl");
  await writeFile(file, boxStl(400, 300, 200));
  const reader = new Reader();
  const read = (signal?: AbortSignal, told: number[] = []) =>
    reader.read("model", file, "crate.stl", { to: path.join(folder, "kept") }, { signal, tell: (s) => told.push(s) });
  try {
    // More than run at once, left before they begin and on their way.
    const stops = [1, 2, 3].map(() => new AbortController());
    const left = stops.map(({ signal }) => read(signal).catch((error: Error) => error.message));
    for (const stop of stops) stop.abort();
    for (const sentence of await Promise.all(left)) expect(sentence).toContain("“crate.stl” was left.");

    const told: number[] = [];
    expect(await read(undefined, told)).toMatchObject({ format: "stl", triangles: 12 });
    expect(told.length).toBeGreaterThan(2);
    expect([...told].sort((a, b) => a - b)).toEqual(told);
  } finally {
    reader.close();
    await rm(folder, { recursive: true, force: true });
  }
});

test("a kept process that does not answer any more is replaced by another", async () => {
  const folder = await mkdtemp(path.join(tmpdir(), "harbor-reader-test-"));
  const file = path.join(folder, "crate.stl");
  await writeFile(file, boxStl(400, 300, 200));
  const children = () => readFileSync(`/proc/self/task/${process.pid}/children`, "utf8").split(" ").filter(Boolean);
  const before = new Set(children());
  const reader = new Reader({ toBegin: 10 });
  const read = () => reader.read("model", file, "crate.stl", { to: path.join(folder, "kept") });
  const own = () => children().filter((pid) => !before.has(pid));
  try {
    await read();
    const [first] = own();
    process.kill(Number(first), "SIGSTOP");
    expect(await read()).toMatchObject({ triangles: 12 });
    expect(own()).not.toContain(first);
  } finally {
    reader.close();
    await rm(folder, { recursive: true, force: true });
  }
});
