import { expect, test } from "@jest/globals";
import { boxProp, testShot } from "../../testing/shots.ts";
import type { Shot } from "./schema.ts";
import { STAGES, changedSince, renderedParts, staleKey } from "./stale.ts";

const shotWithBoxes = (): Shot => {
  const shot = testShot();
  shot.props = { one: { ...boxProp([0, 0, 0]), id: "one" }, two: { ...boxProp([2, 0, 0]), id: "two" } };
  return shot;
};

/** What must be done again is named from the deepest stage; what comes after it comes with it. */
const from = (stage: (typeof STAGES)[number] | null) => (stage === null ? [] : STAGES.slice(STAGES.indexOf(stage)));

const CHANGES: {
  change: string;
  make: (shot: Shot) => void;
  stale: (typeof STAGES)[number] | null;
  parts: string[];
}[] = [
  { change: "its name", make: (s) => void (s.name = "Other"), stale: null, parts: [] },
  { change: "a prop's name", make: (s) => void (s.props.one.name = "Crate"), stale: null, parts: [] },
  { change: "how many samples", make: (s) => void (s.render.samples = 7), stale: null, parts: [] },
  { change: "the dice", make: (s) => void (s.render.seed = 7), stale: "film", parts: [] },
  { change: "the look", make: (s) => void (s.comp.look.exposure = 1), stale: "develop", parts: [] },
  { change: "the sun's strength", make: (s) => void (s.light.sun.strength = 2), stale: "develop", parts: ["light"] },
  { change: "the sun's height", make: (s) => void (s.light.sun.elevationDeg += 5), stale: "fill", parts: ["light"] },
  {
    change: "a prop's place",
    make: (s) => void (s.props.one.placement.position = [0, 1, 0]),
    stale: "film",
    parts: ["props"],
  },
  { change: "a prop less", make: (s) => void delete s.props.two, stale: "film", parts: ["props"] },
  { change: "the plate", make: (s) => void (s.plates.main.codes = "1".repeat(64)), stale: "fill", parts: ["plate"] },
];

test.each(CHANGES)("$change", ({ make, stale, parts }) => {
  const [before, after] = [shotWithBoxes(), shotWithBoxes()];
  make(after);
  expect(STAGES.filter((stage) => staleKey(before, stage) !== staleKey(after, stage))).toEqual(from(stale));
  expect(changedSince(renderedParts(before), renderedParts(after))).toEqual(parts);
});

test("a database that keeps keys in its own order changes nothing", () => {
  const turned = (value: unknown): unknown =>
    value === null || typeof value !== "object"
      ? value
      : Array.isArray(value)
        ? value.map(turned)
        : Object.fromEntries(
            Object.entries(value)
              .reverse()
              .map(([key, inner]) => [key, turned(inner)]),
          );
  const shot = shotWithBoxes();
  expect(changedSince(renderedParts(turned(shot) as Shot), renderedParts(shot))).toEqual([]);
});
