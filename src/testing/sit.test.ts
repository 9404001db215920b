import { expect, test } from "@jest/globals";
import { produce } from "immer";
import { SIT_CASES, reportOf } from "./sitCases.ts";

/** `npm run bench:sit` has all twelve faults at half the size; here the slipway at a quarter of it. */
const PERCENT = 25;
const SAMPLES = 6;

test("a prop that takes no light away where it touches is named", async () => {
  const [worst] = await reportOf(
    "slipway",
    (shot, plate) =>
      Promise.resolve({
        shot: produce(shot, (d) => void (Object.values(d.props)[0].visibility.shadow = false)),
        plate,
      }),
    PERCENT,
    SAMPLES,
  );
  expect([worst.check, worst.state]).toEqual(["grounding", "warn"]);
}, 60_000);

test("a right composite is clean, and what is wrong with a wrong one comes first", async () => {
  const right = await reportOf("slipway", null, PERCENT, SAMPLES);
  expect(right.filter(({ state }) => state === "bad" || state === "warn").map(({ check }) => check)).toEqual([]);
  for (const { name, place, fault, change } of SIT_CASES.filter((c) => c.place === "slipway")) {
    const [worst] = await reportOf(place, change, PERCENT, SAMPLES);
    expect([name, worst.check]).toEqual([name, fault]);
    expect(worst.score).toBeGreaterThan(1);
    expect(worst.words).not.toBe("");
  }
});
