import { afterEach, beforeEach, describe, expect, test } from "@jest/globals";
import { createPinia, setActivePinia } from "pinia";
import type { SolveAnswer } from "#core/match/request";
import type { OpenShot, Save } from "#core/shot/api";
import { stepId, takeStep } from "#core/shot/edits";
import type { Shot } from "#core/shot/schema";
import { testShot } from "../../testing/shots.ts";
import { api, ApiFailure } from "../api.ts";
import { useNotices } from "./notices.ts";
import { useShot } from "./shot.ts";
import { useSolver } from "./solver.ts";

const answerWith = (focalPx: number): SolveAnswer => ({
  camera: {
    focalPx,
    principal: [320, 240],
    distortion: { k1: 0, k2: 0, p1: 0, p2: 0 },
    rotation: [
      [1, 0, 0],
      [0, 0, -1],
      [0, 1, 0],
    ],
    position: [0, -5, 1.6],
  } as unknown as SolveAnswer["camera"],
  rmsPx: 0.5,
  residuals: [],
  sigma: null,
  sigmaWidened: null,
  alternatives: [],
  findings: [],
});

/** The store over a server that is an array of shots, and a solver that answers when it is told to. */
async function shotOpen() {
  setActivePinia(createPinia());
  const kept = new Map<string, OpenShot>();
  for (const id of ["quay", "slipway"]) kept.set(id, { id, revision: 0, shot: testShot(), undo: [], redo: [] });
  api.openShot = (id: string) => Promise.resolve(structuredClone(kept.get(id)!));
  api.save = (id: string, save: Save) => {
    let work = kept.get(id)!;
    for (const step of structuredClone(save.steps)) work = { ...work, ...takeStep(work, step) };
    kept.set(id, { ...work, revision: work.revision + 1 });
    return Promise.resolve({ revision: work.revision + 1 });
  };
  const solver = useSolver();
  const asked: { shot: Shot; answer: (a: SolveAnswer) => void; fail: (e: Error) => void }[] = [];
  solver.answerFor = (shot) =>
    new Promise((answer, fail) => {
      asked.push({ shot, answer, fail });
    });
  solver.follow = () => undefined;
  const store = useShot();
  await store.open("quay");
  const mark = (id: string) =>
    store.commit(`Mark ${id}`, (d) => {
      d.ties[id] = { id, plate: "main", pixel: [10, 20], world: [0, 0, 0], muted: false };
    });
  const type = (id: string, axis: number, value: number) =>
    store.commit("Type", (d) => {
      d.ties[id].world[axis] = value;
    });
  return { store, kept, asked, mark, type };
}
/** Lets promises and timers that are due run. */
const turn = () => new Promise((resolve) => setTimeout(resolve, 5));

beforeEach(() => {
  const items = new Map<string, string>();
  globalThis.localStorage = {
    getItem: (key: string) => items.get(key) ?? null,
    setItem: (key: string, value: string) => items.set(key, value),
    removeItem: (key: string) => items.delete(key),
  } as unknown as Storage;
});

// What was done last is sent before the next test takes the place.
afterEach(turn);

describe("edits that change what the camera is solved from", () => {
  test("each is shown at once and kept with its own camera, in order", async () => {
    const { store, kept, asked, mark, type } = await shotOpen();
    const edits = [mark("tie-1"), type("tie-1", 0, -7.65), type("tie-1", 2, 0.015)];
    expect(store.shot!.ties["tie-1"].world).toEqual([-7.65, 0, 0.015]);
    await turn();
    expect(asked.map((a) => a.shot.ties["tie-1"].world)).toEqual([[0, 0, 0]]);
    expect(store.saving).toBe("saving");
    for (let i = 0; i < 3; i++) {
      asked[i].answer(answerWith(1000 + i));
      await turn();
      expect(store.shot!.ties["tie-1"].world).toEqual([-7.65, 0, 0.015]);
    }
    await Promise.all(edits);
    await turn();
    expect(store.saving).toBe("saved");
    expect(kept.get("quay")!.undo.map((e) => e.name)).toEqual(["Mark tie-1", "Type", "Type"]);
    expect(kept.get("quay")!.shot.ties["tie-1"].world).toEqual([-7.65, 0, 0.015]);
    expect(kept.get("quay")!.shot.solved!.camera.focalPx).toBe(1002);
    await store.undo();
    expect(store.shot!.ties["tie-1"].world).toEqual([-7.65, 0, 0]);
    expect(store.shot!.solved!.camera.focalPx).toBe(1001);
  });

  test("what is done meanwhile is kept after them", async () => {
    const { store, asked, mark } = await shotOpen();
    const edits = [mark("tie-1"), store.commit("Rename", (d) => (d.name = "Quay at noon")), mark("tie-2")];
    expect(Object.keys(store.shot!.ties)).toEqual(["tie-1", "tie-2"]);
    const undone = store.undo();
    await turn();
    asked[0].answer(answerWith(1000));
    await turn();
    asked[1].answer(answerWith(1001));
    await Promise.all([...edits, undone]);
    expect(Object.keys(store.shot!.ties)).toEqual(["tie-1"]);
    expect(store.shot!.name).toBe("Quay at noon");
  });

  test("a drag begun meanwhile shows them too", async () => {
    const { store, asked, mark } = await shotOpen();
    const edit = mark("tie-1");
    store.preview((d) => (d.origin = [5, 6]));
    expect(Object.keys(store.shot!.ties)).toEqual(["tie-1"]);
    store.cancelPreview();
    expect(store.shot!.origin).toBeNull();
    expect(Object.keys(store.shot!.ties)).toEqual(["tie-1"]);
    await turn();
    asked[0].answer(answerWith(1000));
    await edit;
    expect(store.live).toBeNull();
  });

  test("a shot that is closed meanwhile keeps them, and the next one does not get them", async () => {
    const { store, kept, asked, mark } = await shotOpen();
    const edits = [mark("tie-1"), mark("tie-2")];
    await turn();
    await store.open("slipway");
    asked[0].answer(answerWith(1000));
    await Promise.all(edits);
    await turn();
    expect(Object.keys(kept.get("quay")!.shot.ties)).toEqual(["tie-1", "tie-2"]);
    expect(store.shot!.ties).toEqual({});
    expect(kept.get("slipway")!.revision).toBe(0);
    await store.open("quay");
    expect(Object.keys(store.shot!.ties)).toEqual(["tie-1", "tie-2"]);
  });

  test("a solver that fails loses none of them", async () => {
    const { store, kept, asked, mark } = await shotOpen();
    const edit = mark("tie-1");
    await turn();
    asked[0].fail(new Error("The solver ended."));
    await edit;
    await turn();
    expect(Object.keys(kept.get("quay")!.shot.ties)).toEqual(["tie-1"]);
    expect(store.live).toBeNull();
  });

  test("one whose thing another window took away is told of, and those after it are kept", async () => {
    const { store, kept, asked, mark, type } = await shotOpen();
    const first = mark("tie-1");
    await turn();
    asked[0].answer(answerWith(1000));
    await first;
    await turn();
    const known = api.save;
    const theirs = [{ op: "remove" as const, path: ["ties", "tie-1"] }];
    api.save = () => {
      const mine = kept.get("quay")!;
      const { "tie-1": gone, ...ties } = mine.shot.ties;
      expect(gone).toBeDefined();
      kept.set("quay", { ...mine, revision: mine.revision + 1, shot: { ...mine.shot, ties } });
      api.save = known;
      const body = { ...structuredClone(kept.get("quay")!), code: "stale", message: "", hint: "", theirs };
      return Promise.reject(new ApiFailure(409, "stale", "", "", body));
    };
    await store.commit("Rename", (d) => (d.name = "Quay at noon"));
    const lost = type("tie-1", 0, 5);
    await turn();
    expect(
      useNotices()
        .list.map((n) => n.text)
        .at(-1),
    ).toContain("another window took away");
    asked[1].answer(answerWith(1001));
    await lost;
    const next = mark("tie-2");
    await turn();
    asked[2].answer(answerWith(1002));
    await next;
    await turn();
    expect(Object.keys(kept.get("quay")!.shot.ties)).toEqual(["tie-2"]);
    expect(kept.get("quay")!.shot.name).toBe("Quay at noon");
  });

  test("an answer that was lost: what arrived is not taken again, what followed goes on", async () => {
    const { store, kept } = await shotOpen();
    const known = api.save;
    // The server takes the step, and its answer does not come.
    api.save = async (id, save) => {
      await known(id, save);
      api.save = known;
      throw new ApiFailure(0, "offline", "", "", null);
    };
    await store.commit("Rename", (d) => (d.name = "Once"));
    await turn();
    expect(kept.get("quay")!.shot.name).toBe("Once");
    expect(store.saving).toBe("offline");
    // Meanwhile another window changes something else; the server tells which of the sent steps it has.
    const theirs = [{ op: "replace" as const, path: ["unit"], value: "cm" }];
    const now = kept.get("quay")!;
    kept.set("quay", { ...now, revision: now.revision + 1, shot: { ...now.shot, unit: "cm" } });
    const sent: string[][] = [];
    api.save = (id, save) => {
      sent.push(save.steps.map(stepId));
      if (sent.length > 1) return known(id, save);
      const body = { ...structuredClone(kept.get("quay")!), code: "stale", taken: [sent[0][0]], theirs };
      return Promise.reject(new ApiFailure(409, "stale", "", "", body));
    };
    await store.commit("Own", (d) => (d.plates.main.owner = "Me"));
    await turn();
    expect(sent.map((s) => s.length)).toEqual([2, 1]);
    expect(kept.get("quay")!.shot).toMatchObject({ name: "Once", unit: "cm", plates: { main: { owner: "Me" } } });
    expect(store.work!.undo.map((e) => e.name)).toEqual(["Rename", "Own"]);
    expect(store.saving).toBe("saved");
  });

  test("a full disk is said once, and the work is saved when there is room", async () => {
    const { store, kept } = await shotOpen();
    const known = api.save;
    api.save = () =>
      Promise.reject(new ApiFailure(507, "disk-full", "The disk is full: 5 MB are free.", "Free some.", null));
    await store.commit("Rename", (d) => (d.name = "Full"));
    await turn();
    await store.flush();
    expect(store.saving).toBe("full");
    expect(useNotices().list.filter((n) => n.text.includes("disk is full"))).toHaveLength(1);
    api.save = known;
    await store.flush();
    expect(store.saving).toBe("saved");
    expect(kept.get("quay")!.shot.name).toBe("Full");
  });

  test("a change that throws leaves everything as it was", async () => {
    const { store, asked, mark, type } = await shotOpen();
    const edit = mark("tie-1");
    await expect(type("tie-9", 0, 1)).rejects.toThrow(TypeError);
    await turn();
    asked[0].answer(answerWith(1000));
    await edit;
    expect(Object.keys(store.shot!.ties)).toEqual(["tie-1"]);
  });
});

test("a shot whose answer comes after another was opened stays closed", async () => {
  const { store, kept } = await shotOpen();
  let answer: (shot: OpenShot) => void = () => undefined;
  const known = api.openShot;
  api.openShot = (id) => (id === "quay" ? new Promise((resolve) => (answer = resolve)) : known(id));
  const first = store.open("quay");
  await turn();
  await store.open("slipway");
  answer(kept.get("quay")!);
  await first;
  expect(store.id).toBe("slipway");
});

test("what took long changes the shot that it was for, or none", async () => {
  const { store } = await shotOpen();
  const check = store.stays();
  expect(check).not.toThrow();
  await store.open("slipway");
  expect(check).toThrow(/not open any more/);
  // The one that is open now may change.
  expect(store.stays()).not.toThrow();
});
