import { execFile } from "node:child_process";
import { fileURLToPath } from "node:url";
import { beforeAll, describe, expect, test } from "@jest/globals";
import type { Outcome } from "../../testing/monteCarlo.ts";

const root = fileURLToPath(new URL("../../..", import.meta.url));
const KINDS = [
  "three directions",
  "two directions",
  "one direction with a known lens",
  "three directions with the principal point free",
  "three directions with k1 free, from polylines of five points",
  "tie points only",
  "edges with tie points",
];

describe("400 random requests of each kind against the Cramér-Rao bound", () => {
  let outcomes: Map<string, Outcome & { named?: number }>;
  beforeAll(async () => {
    const text = await new Promise<string>((resolve, reject) =>
      execFile(
        process.execPath,
        ["--import", "./scripts/typescript.mjs", "src/testing/monteCarlo.ts", "400"],
        { cwd: root, env: { ...process.env, NODE_OPTIONS: "" } },
        (error, out) => (error ? reject(error) : resolve(out)),
      ),
    );
    outcomes = new Map(
      text
        .trim()
        .split("\n")
        .map((line) => JSON.parse(line) as Outcome)
        .map((o) => [o.name, o]),
    );
    console.log(
      [...outcomes.values()]
        .map((o) => `${o.name}: error over bound ${o.rms.toFixed(3)}, median ${o.median.toFixed(3)}, lost ${o.lost}`)
        .join("\n"),
    );
  }, 300_000);

  test.each(KINDS)("%s", (name) => {
    const outcome = outcomes.get(name)!;
    expect(outcome.requests).toBe(400);
    expect(outcome.lost).toBe(0);
    expect(outcome.rms).toBeLessThan(1.15);
    expect(outcome.rms).toBeGreaterThan(0.85);
  });

  test("one edge 12 px off, robust: little worse than without that edge, which is nearly always the first that is doubted", () => {
    const outcome = outcomes.get("robust")!;
    expect(outcome.rms).toBeLessThan(1.5);
    expect(outcome.named! / outcome.requests).toBeGreaterThanOrEqual(0.95);
  });
});
