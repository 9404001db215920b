import { afterEach, beforeEach, describe, expect, jest, test } from "@jest/globals";
import type { Follow, OnWay } from "./followed.ts";

/** What the server says of a reading, by its name. */
const asked: string[] = [];
let state: () => Promise<{ share: number; secondsLeft: number | null }> = () =>
  Promise.resolve({ share: 0.4, secondsLeft: 3.2 });
jest.unstable_mockModule("./api.ts", () => ({
  api: {
    reading: (name: string) => {
      asked.push(name);
      return state();
    },
  },
}));
const { followed, onWayWords } = await import("./followed.ts");

beforeEach(() => {
  jest.useFakeTimers();
  (globalThis as { window?: unknown }).window = globalThis;
  asked.length = 0;
});
afterEach(() => void jest.useRealTimers());

describe("a file on its way", () => {
  test("is followed while it is sent, and asked about once it is all there", async () => {
    const told: string[] = [];
    let follow!: Follow;
    let done!: (answer: string) => void;
    const answer = followed(
      (own) => {
        follow = own;
        return new Promise<string>((resolve) => (done = resolve));
      },
      new AbortController().signal,
      (at: OnWay) => told.push(onWayWords(at)),
    );
    follow.onSent(0.5);
    await jest.advanceTimersByTimeAsync(1000);
    expect(asked).toEqual([]);
    follow.onSent(1);
    await jest.advanceTimersByTimeAsync(700);
    expect(asked).toEqual([follow.reading, follow.reading]);
    expect(told.slice(0, 3)).toEqual(["Sending 0 %", "Sending 50 %", "Reading …"]);
    expect(told.at(-1)).toBe("Reading 40 %, 4 s left");
    done("here");
    expect(await answer).toBe("here");
    await jest.advanceTimersByTimeAsync(2000);
    expect(asked.length).toBe(2);
  });

  test("one that is refused ends the asking, and a server that does not know it yet changes nothing", async () => {
    state = () => Promise.reject(new Error("no such reading"));
    const told: string[] = [];
    let fail!: (error: Error) => void;
    const answer = followed(
      ({ onSent }) => {
        onSent(1);
        return new Promise<string>((_, reject) => (fail = reject));
      },
      new AbortController().signal,
      (at) => told.push(onWayWords(at)),
    );
    const caught = expect(answer).rejects.toThrow("It is damaged");
    await jest.advanceTimersByTimeAsync(400);
    expect(told.at(-1)).toBe("Reading …");
    fail(new Error("It is damaged"));
    await caught;
    const before = asked.length;
    await jest.advanceTimersByTimeAsync(2000);
    expect(asked.length).toBe(before);
  });
});
