import { expect, test } from "@jest/globals";
import { Readings } from "./readings.ts";

test("what is left of a reading follows from what it took so far, is not told at once, and never goes back", () => {
  let now = 0;
  const readings = new Readings(() => now);
  readings.begin("a");
  readings.tell("a", 0.5);
  now = 200;
  expect(readings.stateOf("a")).toEqual({ share: 0.5, secondsLeft: null });
  now = 6000;
  readings.tell("a", 0.75);
  expect(readings.stateOf("a")).toEqual({ share: 0.75, secondsLeft: 2 });
  readings.tell("a", 0.6);
  expect(readings.stateOf("a")!.share).toBe(0.75);
  readings.end("a");
  readings.tell("a", 0.9);
  expect(readings.stateOf("a")).toBeNull();
});
