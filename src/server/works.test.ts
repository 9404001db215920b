import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import { unzipSync, zipSync } from "fflate";
import sharp from "sharp";
import { rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import { newHandOver } from "#core/handover/choice";
import { newComp } from "#core/comp/schema";
import type { FinalListing, NewShot, OpenShot, PlateAsset, TakeListing, WorkState } from "#core/shot/api";
import type { Shot } from "#core/shot/schema";
import { makeEdit } from "#core/shot/edits";
import { takeVersion } from "#core/shot/plateVersion";
import { boxProp } from "../testing/shots.ts";
import type { TestServer } from "../testing/server.ts";
import { readJson, sendBytes, sendJson, serveHere } from "../testing/server.ts";

/** What is done with a finished render, and a shot as one file, over the door. */

let here: TestServer;
let id: string;
let final: string;

beforeAll(async () => {
  here = await serveHere();
  const plate = await sharp({ create: { width: 96, height: 64, channels: 3, background: "#8a8680" } })
    .png()
    .toBuffer();
  ({ id } = (await (await sendBytes(here.base, "/shots", plate, "yard.png")).json()) as NewShot);
  const { shot } = await readJson<OpenShot>(here.base, `/shots/${id}`);
  const camera = {
    focalPx: 80,
    principal: [48, 32] as [number, number],
    distortion: noDistortion(),
    rotation: rotationFromAngles({ heading: 0, tilt: -0.3, roll: 0 }),
    position: [0, -3, 1.8] as [number, number, number],
  };
  const edit = makeEdit(shot, "set-up", "Set up", (d) => {
    d.solved = { camera, evidence: "", rmsPx: null, sigma: null } as never;
    d.props["prop-1"] = boxProp([0, 0, 0]);
    d.render.samples = 2;
  })!;
  await sendJson(here.base, `/shots/${id}/steps`, { revision: 0, steps: [{ kind: "do", edit }] });
  const begun = await sendJson(here.base, `/shots/${id}/finals`, {});
  final = ((await begun.json()) as FinalListing).id;
  for (let i = 0; i < 400; i++) {
    const [row] = await readJson<FinalListing[]>(here.base, `/shots/${id}/finals`);
    if (row.status === "done") return;
    if (row.status === "failed") throw new Error(row.message ?? "failed");
    await new Promise((resolve) => setTimeout(resolve, 100));
  }
  throw new Error("The final did not end.");
}, 60_000);
afterAll(() => here.close());

async function over(answer: Response): Promise<WorkState> {
  expect(answer.status).toBe(201);
  let state = (await answer.json()) as WorkState;
  while (state.state === "running") {
    await new Promise((resolve) => setTimeout(resolve, 60));
    state = await readJson<WorkState>(here.base, `/works/${state.id}`);
  }
  return state;
}
const fileOf = async (work: WorkState, name: string) =>
  new Uint8Array(await (await fetch(`${here.base}/api/works/${work.id}/files/${name}`)).arrayBuffer());
const message = async (answer: Response) => ((await answer.json()) as { message: string }).message;
const bundleOf = async () => {
  const choice = { ...newHandOver(), exports: ["bundle"], final: null };
  const work = await over(await sendJson(here.base, `/shots/${id}/handover`, choice));
  expect(work.state).toBe("done");
  return fileOf(work, work.files[0].name);
};

describe("a final", () => {
  test("is finished again with another comp, and the report is of it; its passes come at the size of the screen", async () => {
    const picture = async () => {
      const bytes = await (await fetch(`${here.base}/api/finals/${final}/picture.png`)).arrayBuffer();
      return sharp(Buffer.from(bytes)).raw().toBuffer();
    };
    const before = await picture();
    const comp = newComp();
    Object.assign(comp.props, { on: true, exposure: -2 });
    expect((await over(await sendJson(here.base, `/finals/${final}/finish`, comp))).state).toBe("done");
    const after = await picture();
    // Where nothing covers, nothing changed; somewhere something did.
    expect(after.subarray(0, 96 * 3)).toEqual(before.subarray(0, 96 * 3));
    expect(after.equals(before)).toBe(false);
    const work = await over(await sendJson(here.base, `/finals/${final}/sit`, {}));
    const { lines } = await readJson<{ lines: { check: string }[] }>(here.base, `/works/${work.id}/answer`);
    expect(lines.map((l) => l.check)).toEqual(expect.arrayContaining(["contact", "black", "licence"]));
    const screen = await (await fetch(`${here.base}/api/finals/${final}/screen.bin`)).arrayBuffer();
    expect([...new Float32Array(screen).subarray(0, 3)]).toEqual([96, 64, 1]);
  }, 60_000);

  test("a comp that is none, a choice that is empty and a work that nobody knows are refused with a sentence", async () => {
    const comp = { ...newComp(), glow: { ...newComp().glow, size: 1e6 } };
    const wrong = await sendJson(here.base, `/finals/${final}/finish`, comp);
    expect(wrong.status).toBe(400);
    expect(await message(wrong)).toMatch(/glow/);
    const empty = await sendJson(here.base, `/shots/${id}/handover`, { ...newHandOver(), exports: [], final });
    expect(empty.status).toBe(400);
    expect((await fetch(`${here.base}/api/works/nothing`)).status).toBe(404);
    expect((await sendJson(here.base, "/finals/nothing/sit", {})).status).toBe(404);
  });

  test("is left alone once its shot has another version of the plate, and can be had again on the way back", async () => {
    const png = await sharp({ create: { width: 192, height: 128, channels: 3, background: "#87705a" } })
      .png()
      .toBuffer();
    const { info } = (await (await sendBytes(here.base, "/plates", png, "large.png")).json()) as PlateAsset;
    const { shot, revision } = await readJson<OpenShot>(here.base, `/shots/${id}`);
    const edit = makeEdit(shot, "version", "Take another version", (d) => void takeVersion(d, info))!;
    const step = (at: number, made: object) =>
      sendJson(here.base, `/shots/${id}/steps`, { revision: at, steps: [made] });
    expect((await step(revision, { kind: "do", edit })).status).toBe(200);
    for (const [route, body] of [
      [`/finals/${final}/finish`, newComp()],
      [`/finals/${final}/sit`, {}],
      [`/shots/${id}/handover`, { ...newHandOver(), exports: ["png"], final }],
    ] as const) {
      const answer = await sendJson(here.base, route, body);
      expect([route, answer.status]).toEqual([route, 409]);
      expect(await message(answer)).toMatch(/another version of the plate/);
    }
    // A state of the version before comes along in the shot as one file, and can be gone back to there.
    const taken = await sendJson(here.base, `/shots/${id}/takes`, { name: "Small", shot });
    expect(taken.status).toBe(201);
    const copy = (await (await sendBytes(here.base, "/bundles", await bundleOf(), "yard.zip")).json()) as NewShot;
    const [small] = await readJson<TakeListing[]>(here.base, `/shots/${copy.id}/takes`);
    const there = await readJson<OpenShot>(here.base, `/shots/${copy.id}`);
    const before = await readJson<Shot>(here.base, `/takes/${small.id}`);
    expect([small.name, there.shot.plates.main.width, before.plates.main.width]).toEqual(["Small", 192, 96]);
    const back = makeEdit(there.shot, "back", "Go back", (d) => void Object.assign(d, before))!;
    const gone = await sendJson(here.base, `/shots/${copy.id}/steps`, {
      revision: there.revision,
      steps: [{ kind: "do", edit: back }],
    });
    expect(gone.status).toBe(200);
    await fetch(`${here.base}/api/takes/${((await taken.json()) as TakeListing).id}`, {
      method: "DELETE",
      headers: { "X-Harbor": "1" },
    });
    expect((await step(revision + 1, { kind: "undo", id: "version", step: "back" })).status).toBe(200);
    expect((await over(await sendJson(here.base, `/finals/${final}/sit`, {}))).state).toBe("done");
  });

  test("what is handed over comes file by file, or as one zip of the same files named as the shot", async () => {
    const choice = { ...newHandOver(), exports: ["png", "camera", "obj"], final };
    const work = await over(await sendJson(here.base, `/shots/${id}/handover`, choice));
    const answer = await fetch(`${here.base}/api/works/${work.id}/all.zip?as=${encodeURIComponent("Quay / north 2")}`);
    expect(answer.headers.get("content-disposition")).toContain(" north 2.zip");
    const inside = unzipSync(new Uint8Array(await answer.arrayBuffer()));
    expect(Object.keys(inside)).toEqual(work.files.map(({ name }) => name));
    expect(work.files.length).toBeGreaterThan(3);
    for (const { name, bytes } of work.files) {
      expect(inside[name].length).toBe(bytes);
      expect(Buffer.from(inside[name]).equals(Buffer.from(await fileOf(work, name)))).toBe(true);
    }
    expect((await fetch(`${here.base}/api/works/nothing/all.zip`)).status).toBe(404);
  }, 60_000);

  test("handing over stops at once, and what cannot be had is said by the name of what needs it", async () => {
    const choice = { ...newHandOver(), exports: ["png", "exr", "ora", "object"], final };
    const begun = (await (await sendJson(here.base, `/shots/${id}/handover`, choice)).json()) as WorkState;
    const stopped = (await (await sendJson(here.base, `/works/${begun.id}/cancel`, {})).json()) as WorkState;
    expect(stopped.state).toBe("cancelled");
    expect((await fetch(`${here.base}/api/works/${begun.id}/files/a.png`)).status).toBe(404);
    const none = await over(
      await sendJson(here.base, `/shots/${id}/handover`, { ...choice, exports: ["png"], final: null }),
    );
    expect(none.state).toBe("failed");
    expect(none.message).toMatch(/^Picture, PNG: /);
  }, 60_000);
});

describe("a shot as one file", () => {
  test("comes back as it was, with its takes", async () => {
    const { shot } = await readJson<OpenShot>(here.base, `/shots/${id}`);
    await sendJson(here.base, `/shots/${id}/takes`, { name: "First", shot });
    const back = (await (await sendBytes(here.base, "/bundles", await bundleOf(), "yard.zip")).json()) as NewShot;
    expect((await readJson<OpenShot>(here.base, `/shots/${back.id}`)).shot).toEqual(shot);
    expect((await readJson<{ name: string }[]>(here.base, `/shots/${back.id}/takes`)).map((t) => t.name)).toEqual([
      "First",
    ]);
  }, 60_000);

  test("is the shot of now, also beside a final that was rendered before", async () => {
    const { shot, revision } = await readJson<OpenShot>(here.base, `/shots/${id}`);
    const edit = makeEdit(shot, "later", "Turn sun", (d) => void (d.light.sun.azimuthDeg = 77))!;
    await sendJson(here.base, `/shots/${id}/steps`, { revision, steps: [{ kind: "do", edit }] });
    const choice = { ...newHandOver(), exports: ["bundle"], final };
    const work = await over(await sendJson(here.base, `/shots/${id}/handover`, choice));
    const entries = unzipSync(await fileOf(work, work.files[0].name));
    const head = JSON.parse(new TextDecoder().decode(entries["red-harbor-shot.json"])) as { shot: typeof shot };
    expect(head.shot.light.sun.azimuthDeg).toBe(77);
  }, 60_000);

  test("what was changed on its way, or is something else, is refused and leaves nothing behind", async () => {
    const entries = unzipSync(await bundleOf());
    const count = async () => (await readJson<unknown[]>(here.base, "/shots")).length;
    const before = await count();
    const asset = Object.keys(entries).find((name) => name.startsWith("assets/"))!;
    const head = "red-harbor-shot.json";
    const document = JSON.parse(new TextDecoder().decode(entries[head])) as { shot: Record<string, unknown> };
    const { plates } = document.shot as { plates: { main: object } };
    const lost = {
      ...document,
      shot: { ...document.shot, plates: { main: { ...plates.main, codes: "f".repeat(64) } } },
    };
    const json = (value: unknown) => new TextEncoder().encode(JSON.stringify(value));
    const cases: [Record<string, Uint8Array>, RegExp][] = [
      [{ ...entries, [asset]: Uint8Array.from([...entries[asset], 1]) }, /changed on its way/],
      [{ "readme.txt": Uint8Array.of(1) }, /no shot handed over/],
      [{ ...entries, [head]: json({ ...document, bundle: 7 }) }, /not known here/],
      [{ ...entries, [head]: json({ ...document, shot: { ...document.shot, unit: "ell" } }) }, /not valid: unit/],
      [{ [head]: json(lost) }, /lacks a file/],
    ];
    for (const [files, why] of cases) {
      const answer = await sendBytes(here.base, "/bundles", zipSync(files), "yard.zip");
      expect(answer.status).toBe(422);
      expect(await message(answer)).toMatch(why);
    }
    const cut = (await bundleOf()).subarray(0, 900);
    expect((await sendBytes(here.base, "/bundles", cut, "yard.zip")).status).toBe(422);
    expect(await count()).toBe(before);
  }, 90_000);
});
