import { afterEach, expect, test } from "@jest/globals";
import { testShot } from "../testing/shots.ts";
import { FinishPool } from "./finishPool.ts";
import type { FinishSetup } from "./finishRowsJob.ts";
import { compileKernel } from "./kernelFile.ts";
import { plateOf } from "./plateRows.ts";

const BAND = { y0: 0, y1: 48 };
let pool: FinishPool | null = null;
afterEach(() => pool?.close());

/** Passes of a picture whose files are none. */
async function setup(): Promise<FinishSetup> {
  const shot = testShot(64, 48);
  const none = new Uint8Array(64);
  return {
    shot,
    plate: plateOf(shot, new Uint8Array(64 * 48 * 3)),
    percent: 100,
    size: { width: 64, height: 48 },
    renderedSigma: 0.5,
    bands: [BAND],
    halo: 0,
    mostRows: 48,
    source: {
      kind: "files",
      files: { prop: none, ratio: none, added: none, depth: none, occlusion: null },
    },
    passes: [],
    occlusion: false,
    module: await compileKernel(),
  };
}

test("a job that fails says why, and its thread takes the next one", async () => {
  pool = await FinishPool.open(await setup(), 1);
  const jobs = [pool.run({ bands: [BAND] }), pool.run({ bands: [BAND] })];
  for (const job of jobs) await expect(job).rejects.toThrow("This is not an EXR file.");
});

test("threads that cannot start are heard of at once", async () => {
  const module = null as unknown as WebAssembly.Module;
  await expect(FinishPool.open({ ...(await setup()), module }, 2)).rejects.toThrow();
});

test("when a thread dies, neither its job nor those that wait for it wait for ever", async () => {
  pool = await FinishPool.open(await setup(), 1);
  const jobs = Array.from({ length: 3 }, () => pool!.run({ bands: [BAND] }));
  const all = Promise.allSettled(jobs);
  await pool.close();
  expect((await all).map(({ status }) => status)).toEqual(["rejected", "rejected", "rejected"]);
  await expect(pool.run({ bands: [BAND] })).rejects.toThrow("ended before its work was done");
});
