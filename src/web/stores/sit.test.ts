import { afterEach, beforeEach, expect, jest, test } from "@jest/globals";
import { createPinia, setActivePinia } from "pinia";
import { nextTick } from "vue";
import type { WorkState } from "#core/shot/api";
import { workState } from "../../testing/work.ts";
import { api } from "../api.ts";
import { useNotices } from "./notices.ts";
import { useShot } from "./shot.ts";
import type { ShownLine } from "./sit.ts";
import { useSit } from "./sit.ts";

/** The report as the page follows it, beside a server that is asked every quarter of a second. */

const LINES = [{ check: "grain", label: "Grain", state: "good", picture: null }] as unknown as ShownLine[];

let now: WorkState;
let left: string[];

beforeEach(() => {
  jest.useFakeTimers();
  setActivePinia(createPinia());
  useShot().$patch({ id: "quay" });
  now = workState();
  left = [];
  api.sitReport = () => Promise.resolve(now);
  api.work = () => Promise.resolve(now);
  api.workAnswer = <T>() => Promise.resolve({ lines: LINES } as T);
  api.cancelWork = (id) => {
    left.push(id);
    now = workState({ state: "cancelled" });
    return Promise.resolve(now);
  };
});
afterEach(() => {
  jest.useRealTimers();
});

test("how far it is is told until its lines are there", async () => {
  const sit = useSit();
  const looked = sit.look("final-1", 0.5);
  await jest.advanceTimersByTimeAsync(0);
  now = workState({ share: 0.6, what: "looking at it", secondsLeft: 2 });
  await jest.advanceTimersByTimeAsync(250);
  expect(sit.work).toMatchObject({ share: 0.6, what: "looking at it", secondsLeft: 2 });
  expect(sit.lines).toBeNull();
  now = workState({ state: "done", share: 1 });
  await jest.advanceTimersByTimeAsync(250);
  await looked;
  expect(sit.lines).toEqual(LINES);
  expect(sit.of).toEqual({ id: "final-1", scale: 0.5 });
  expect([sit.busy, sit.work]).toEqual([false, null]);
});

test("one that is left ends on the server and shows nothing", async () => {
  const sit = useSit();
  const looked = sit.look("final-1", 1);
  await jest.advanceTimersByTimeAsync(250);
  await sit.cancel();
  await jest.advanceTimersByTimeAsync(250);
  await looked;
  expect(left).toEqual(["work-1"]);
  expect([sit.lines, sit.busy]).toEqual([null, false]);
  expect(useNotices().list).toEqual([]);
});

test("one that fails says why, and may be asked for again", async () => {
  const sit = useSit();
  now = workState({ state: "failed", message: "This final has no passes." });
  await sit.look("final-1", 1);
  expect(useNotices().list.map((n) => n.text)).toEqual(["This final has no passes."]);
  now = workState({ state: "done" });
  await sit.look("final-1", 1);
  expect(sit.lines).toEqual(LINES);
});

test("of a shot that was left nothing is shown beside the next one, and its work is ended", async () => {
  const sit = useSit();
  const looked = sit.look("final-1", 1);
  await jest.advanceTimersByTimeAsync(250);
  useShot().$patch({ id: "slipway" });
  await nextTick();
  await jest.advanceTimersByTimeAsync(250);
  await looked;
  expect(left).toEqual(["work-1"]);
  expect([sit.lines, sit.of, sit.busy]).toEqual([null, null, false]);
});
