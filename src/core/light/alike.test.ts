import { describe, expect, test } from "@jest/globals";
import { alikeTo, leaderOf, partFrom, shareShine, shineLike } from "./alike.ts";
import type { ShotLamp } from "./schema.ts";
import { newLamp } from "./schema.ts";

const lampsOf = (...ids: string[]): Record<string, ShotLamp> =>
  Object.fromEntries(ids.map((id) => [id, newLamp(id, "rectangle", [0, 0, 1])]));
const ids = (list: ShotLamp[]) => list.map(({ id }) => id);

describe("lamps that shine alike", () => {
  test("follow whichever of them is changed, and leave the others alone", () => {
    const lamps = lampsOf("a", "b", "c", "d");
    lamps.a.level = 9;
    shineLike(lamps, "b", "a");
    shineLike(lamps, "c", "b");
    expect(ids(alikeTo(lamps, "b"))).toEqual(["a", "b", "c"]);
    expect([lamps.b.level, lamps.c.level, lamps.d.level]).toEqual([9, 9, 4]);
    Object.assign(lamps.c, { level: 2, colour: [1, 0, 0] });
    shareShine(lamps, "c");
    expect([lamps.a.level, lamps.b.level, lamps.d.level]).toEqual([2, 2, 4]);
    expect(lamps.a.colour).toEqual([1, 0, 0]);
    expect(lamps.a.colour).not.toBe(lamps.c.colour);
  });

  test("stay alike when the one they follow goes, or is made to shine by itself", () => {
    const lamps = lampsOf("a", "b", "c", "d");
    for (const id of ["b", "c"]) shineLike(lamps, id, "a");
    partFrom(lamps, "a");
    delete lamps.a;
    expect(ids(alikeTo(lamps, "c"))).toEqual(["b", "c"]);
    shineLike(lamps, "b", null);
    expect(leaderOf(lamps, "b")).toBe("b");
    // One in the middle goes: what followed it follows whom it followed.
    const chain = lampsOf("a", "b", "c");
    shineLike(chain, "b", "a");
    shineLike(chain, "c", "b");
    partFrom(chain, "b");
    delete chain.b;
    expect(ids(alikeTo(chain, "a"))).toEqual(["a", "c"]);
  });

  test("a name that is gone, or a ring of them, is a lamp by itself or some that are alike", () => {
    const lamps = lampsOf("a", "b");
    lamps.a.like = "gone";
    expect(ids(alikeTo(lamps, "a"))).toEqual(["a"]);
    lamps.a.like = "b";
    lamps.b.like = "a";
    expect(() => alikeTo(lamps, "a")).not.toThrow();
  });
});
