import { afterEach, beforeEach, expect, jest, test } from "@jest/globals";
import { createPinia, setActivePinia } from "pinia";
import { nextTick } from "vue";
import type { WorkState } from "#core/shot/api";
import { workState } from "../../testing/work.ts";
import { api } from "../api.ts";
import { useHanding } from "./handing.ts";
import { useNotices } from "./notices.ts";
import { useShot } from "./shot.ts";

/** Handing over as the page follows it. */

const FILES = [{ name: "quay-picture.png", bytes: 1000 }];
let now: WorkState;

beforeEach(() => {
  jest.useFakeTimers();
  const kept = new Map<string, string>();
  Object.assign(globalThis, {
    localStorage: { getItem: (k: string) => kept.get(k) ?? null, setItem: (k: string, v: string) => kept.set(k, v) },
  });
  setActivePinia(createPinia());
  useShot().$patch({ id: "quay" });
  now = workState();
  api.handOver = () => Promise.resolve(now);
  api.work = () => Promise.resolve(now);
  api.cancelWork = () => Promise.resolve(workState({ state: "cancelled" }));
});
afterEach(() => {
  jest.useRealTimers();
});

test("what is being written is told, and the files stay once they are there", async () => {
  const handing = useHanding();
  const begun = handing.start();
  await jest.advanceTimersByTimeAsync(0);
  now = workState({ share: 0.4, what: "Layers for a compositor" });
  await jest.advanceTimersByTimeAsync(300);
  expect(handing.work).toMatchObject({ share: 0.4, what: "Layers for a compositor" });
  now = workState({ state: "done", share: 1, files: FILES });
  await jest.advanceTimersByTimeAsync(300);
  await begun;
  expect(handing.work?.files).toEqual(FILES);
});

test("one that fails says why and is not shown as done", async () => {
  const handing = useHanding();
  now = workState({ state: "failed", message: "Layers for a compositor: the final has no passes." });
  await handing.start();
  expect(handing.work).toBeNull();
  expect(useNotices().list.map((n) => n.text)).toEqual(["Layers for a compositor: the final has no passes."]);
});

test("an answer that was on its way as it was left by hand does not bring it back", async () => {
  const handing = useHanding();
  const begun = handing.start();
  await jest.advanceTimersByTimeAsync(0);
  let answer: (state: WorkState) => void = () => undefined;
  api.work = () => new Promise((resolve) => (answer = resolve));
  await jest.advanceTimersByTimeAsync(300);
  await handing.cancel();
  answer(workState({ share: 0.5 }));
  await jest.advanceTimersByTimeAsync(0);
  expect(handing.work).toBeNull();
  await begun;
});

test("left by hand, or with its shot, it shows nothing any more", async () => {
  const handing = useHanding();
  const begun = handing.start();
  await jest.advanceTimersByTimeAsync(300);
  await handing.cancel();
  await jest.advanceTimersByTimeAsync(300);
  await begun;
  expect(handing.work).toBeNull();

  const again = handing.start();
  await jest.advanceTimersByTimeAsync(300);
  // The answer is on its way as another shot is opened.
  let answer: (state: WorkState) => void = () => undefined;
  api.work = () => new Promise((resolve) => (answer = resolve));
  await jest.advanceTimersByTimeAsync(300);
  useShot().$patch({ id: "slipway" });
  await nextTick();
  answer(workState({ state: "done", files: FILES }));
  await again;
  expect(handing.work).toBeNull();
  expect(useNotices().list).toEqual([]);
});
