import { afterEach, beforeEach, expect, jest, test } from "@jest/globals";
import { createPinia, setActivePinia } from "pinia";
import type { FinalListing } from "#core/shot/api";
import { api } from "../api.ts";
import { useFinals } from "./finals.ts";
import { useNotices } from "./notices.ts";

const listing = (id: string, change: Partial<FinalListing> = {}): FinalListing =>
  ({ id, status: "running", width: 405, height: 270, samples: 4, samplesDone: 1, seconds: null, ...change }) as never;

/** What the server knows of each shot's finals. */
let known: Record<string, FinalListing[]>;
let asked: string[];

beforeEach(() => {
  jest.useFakeTimers();
  setActivePinia(createPinia());
  known = { quay: [], slipway: [] };
  asked = [];
  api.finals = (id) => {
    asked.push(id);
    return Promise.resolve(known[id]);
  };
});
afterEach(() => {
  jest.useRealTimers();
});

test("a final is looked at until it is done, and then told of once", async () => {
  const finals = useFinals();
  const notices = useNotices();
  known.quay = [listing("a")];
  await finals.follow("quay");
  expect(finals.running?.id).toBe("a");
  await jest.advanceTimersByTimeAsync(800);
  expect(notices.list).toEqual([]);
  known.quay = [listing("a", { status: "done", seconds: 6.4 })];
  await jest.advanceTimersByTimeAsync(800);
  expect(finals.newest?.id).toBe("a");
  expect(notices.list.map((n) => n.text)).toEqual(["Final ready: 405 × 270, 6 s."]);
  const before = asked.length;
  await jest.advanceTimersByTimeAsync(10_000);
  expect(asked).toHaveLength(before);
});

test("a final that fails says why", async () => {
  const finals = useFinals();
  known.quay = [listing("a")];
  await finals.follow("quay");
  known.quay = [listing("a", { status: "failed", message: "The disk is full." })];
  await jest.advanceTimersByTimeAsync(800);
  expect(useNotices().list.map((n) => n.text)).toEqual(["The final failed: The disk is full."]);
});

test("an answer about a shot that was left does not show among those of the next", async () => {
  const finals = useFinals();
  let answer: (list: FinalListing[]) => void = () => undefined;
  const slow = new Promise<FinalListing[]>((resolve) => (answer = resolve));
  api.finals = (id) => (id === "quay" ? slow : Promise.resolve([listing("b", { status: "done" })]));
  const left = finals.follow("quay");
  await finals.follow("slipway");
  answer([listing("a", { status: "done" })]);
  await left;
  expect(finals.list.map((f) => f.id)).toEqual(["b"]);
});

test("a server that does not answer is told of, and asked again while a final runs", async () => {
  const finals = useFinals();
  known.quay = [listing("a")];
  await finals.follow("quay");
  const working = api.finals;
  api.finals = () => Promise.reject(new Error("The server does not answer."));
  await jest.advanceTimersByTimeAsync(800);
  expect(useNotices().list.map((n) => n.text)).toEqual(["The server does not answer."]);
  api.finals = working;
  known.quay = [listing("a", { status: "done", seconds: 3 })];
  await jest.advanceTimersByTimeAsync(800);
  expect(finals.newest?.id).toBe("a");
});
