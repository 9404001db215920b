import { spawn } from "node:child_process";
import { makePart } from "#core/set/parts/make";
import { typedVertex } from "#core/set/vertex";
import { mkdtemp, readdir, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import sharp from "sharp";
import type {
  FinalListing,
  NewShot,
  OpenShot,
  QueuedFinal,
  ShotListing,
  PlateAsset,
  StaleAnswer,
} from "#core/shot/api";
import type { PlateInfo } from "#core/plate/schema";
import { takeVersion } from "#core/shot/plateVersion";
import type { Edit } from "#core/shot/edits";
import { makeEdit } from "#core/shot/edits";
import { rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import { handAnswer, takeCamera } from "#core/shot/resolve";
import { PASS_GROUPS } from "#core/render/schema";
import { newLength } from "#core/match/schema";
import { plainProp } from "#core/props/schema";
import type { Shot } from "#core/shot/schema";
import { changedSince, renderedParts } from "#core/shot/stale";
import { codesOf } from "#core/image/differences";
import { unpackCodes } from "#node/packedCodes";
import { readExr, readExrChannels } from "#core/image/exrRead";
import { demoFile } from "../demo/shot.ts";
import { lockDataFolder } from "./dataFolder.ts";
import type { TestServer } from "../testing/server.ts";
import { kill, killServers, readJson, sendBytes, sendJson, serveHere, startServer } from "../testing/server.ts";

let base = "";
let here: TestServer;

beforeAll(async () => {
  here = await serveHere();
  ({ base } = here);
});
afterAll(async () => {
  killServers();
  await here.close();
});

const upload = (route: string, bytes: Uint8Array, name: string, at = base) => sendBytes(at, route, bytes, name);
const post = (route: string, body: unknown, at = base) => sendJson(at, route, body);
const read = <T>(route: string, at = base): Promise<T> => readJson<T>(at, route);

const picture = (width = 96, height = 64) =>
  sharp({ create: { width, height, channels: 3, background: "#87705a" } })
    .png()
    .toBuffer()
    .then((b) => new Uint8Array(b));

async function makeShot(at = base): Promise<string> {
  const response = await upload("/shots", await picture(), "wall.png", at);
  expect(response.status).toBe(201);
  return ((await response.json()) as NewShot).id;
}
const renaming = (shot: Shot, name: string, id = name) => ({
  kind: "do" as const,
  edit: makeEdit(shot, id, "Rename shot", (d) => void (d.name = name))!,
});

describe("headers", () => {
  test("pages are isolated, so that memory can be shared, and nothing from elsewhere may load", async () => {
    const response = await fetch(`${base}/api/health`);
    expect(response.headers.get("cross-origin-opener-policy")).toBe("same-origin");
    expect(response.headers.get("cross-origin-embedder-policy")).toBe("require-corp");
    const policy = response.headers.get("content-security-policy")!;
    expect(policy).toContain("default-src 'none'");
    expect(policy).toContain("script-src 'self' 'wasm-unsafe-eval'");
    expect(policy).not.toContain("http:");
  });
});

describe("plates", () => {
  test("orientation, size and EXIF are taken from the file", async () => {
    const bytes = await sharp({ create: { width: 120, height: 80, channels: 3, background: "#446688" } })
      .withMetadata({
        orientation: 6,
        exif: {
          IFD0: { Make: "Maker" },
          IFD2: { FocalLength: "35/1", OffsetTimeOriginal: "+02:00" },
          IFD3: {
            GPSLatitudeRef: "S",
            GPSLatitude: "33/1 54/1 0/1",
            GPSLongitudeRef: "E",
            GPSLongitude: "18/1 24/1 36/1",
          },
        },
      })
      .jpeg()
      .toBuffer();
    const { id } = (await (await upload("/shots", new Uint8Array(bytes), "turned.jpg")).json()) as NewShot;
    const { shot } = await read<OpenShot>(`/shots/${id}`);
    expect([shot.plates.main.width, shot.plates.main.height]).toEqual([80, 120]);
    expect(shot.plates.main.exif).toMatchObject({ camera: "Maker", focalMm: 35, orientation: 6, zoneMinutes: 120 });
    expect(shot.plates.main.exif.place!.latitude).toBeCloseTo(-33.9, 9);
    expect(shot.plates.main.exif.place!.longitude).toBeCloseTo(18.41, 9);
  });

  test("16-bit pixels are kept as they are", async () => {
    const codes = Uint16Array.from({ length: 70 * 70 * 3 }, (_, i) => (i * 977) % 65536);
    const png = await sharp(codes, { raw: { width: 70, height: 70, channels: 3 } })
      .toColourspace("rgb16")
      .png()
      .toBuffer();
    const { id } = (await (await upload("/shots", new Uint8Array(png), "deep.png")).json()) as NewShot;
    const { shot } = await read<OpenShot>(`/shots/${id}`);
    expect(shot.plates.main.encoding.bits).toBe(16);
    const stored = new Uint8Array(await (await fetch(`${base}/api/assets/${shot.plates.main.codes}`)).arrayBuffer());
    expect(codesOf(await unpackCodes(stored, shot.plates.main), 16)).toEqual(codes);
  });

  test("another version of a shot's plate is taken once it was read here, and the way back stays open", async () => {
    const { id } = (await (await upload("/shots", await picture(), "small.png")).json()) as NewShot;
    const { shot, revision } = await read<OpenShot>(`/shots/${id}`);
    const { width, height } = shot.plates.main;
    const larger = await upload("/plates", await picture(2 * width, 2 * height), "large.png");
    expect(larger.status).toBe(201);
    const { info } = (await larger.json()) as PlateAsset;
    const taking = (plate: PlateInfo) =>
      makeEdit(shot, crypto.randomUUID(), "Take another version", (d) => void takeVersion(d, plate))!;
    const step = (edit: Edit, at: number) =>
      post(`/shots/${id}/steps`, { revision: at, steps: [{ kind: "do", edit }] });
    // Of another size than its file's pixels: nobody read that here.
    const made = await step(taking({ ...info, width: 4 * width, height: 4 * height }), revision);
    expect(made.status).toBe(422);
    expect(((await made.json()) as { message: string }).message).toMatch(/not those of a file that was read here/);
    const edit = taking(info);
    expect((await step(edit, revision)).status).toBe(200);
    expect((await read<OpenShot>(`/shots/${id}`)).shot.plates.main).toMatchObject({
      fileName: "large.png",
      width: 2 * width,
    });
    const undo = { kind: "undo", id: edit.id, step: crypto.randomUUID() };
    expect((await post(`/shots/${id}/steps`, { revision: revision + 1, steps: [undo] })).status).toBe(200);
    expect((await read<OpenShot>(`/shots/${id}`)).shot).toEqual(shot);
  });

  /** A PNG header that claims a size, with nothing behind it. */
  async function hugePng(): Promise<Uint8Array> {
    const { crc32 } = await import("node:zlib");
    const png = Buffer.from(await picture());
    png.writeUInt32BE(30000, 16);
    png.writeUInt32BE(30000, 20);
    png.writeUInt32BE(crc32(png.subarray(12, 29)), 29);
    return new Uint8Array(png);
  }

  test.each<[string, () => Promise<Uint8Array>, RegExp]>([
    [
      "holiday.jpg",
      () => Promise.resolve(new TextEncoder().encode("just some text")),
      /no JPEG, PNG, TIFF, WebP, EXR or HDR picture/,
    ],
    ["cut.jpg", async () => (await demoFile("plate.jpg")).slice(0, 60000), /damaged or cut short/],
    ["huge.png", hugePng, /30000 × 30000 pixels/],
    ["tiny.png", () => picture(20, 20), /only 20 × 20/],
    ["empty.jpg", () => Promise.resolve(new Uint8Array(0)), /empty/],
  ])("%s is refused with a sentence and advice, and no shot is made", async (name, make, reason) => {
    const before = (await read<unknown[]>("/shots")).length;
    const response = await upload("/shots", await make(), name);
    expect(response.status).toBeGreaterThanOrEqual(400);
    expect(response.status).toBeLessThan(500);
    const body = (await response.json()) as { code: string; message: string; hint: string };
    expect(body.message).toMatch(reason);
    expect(body.hint.length).toBeGreaterThan(10);
    expect(await read<unknown[]>("/shots")).toHaveLength(before);
  });
});

describe("models", () => {
  test("a GLB is stored and measured; one without its buffers is refused", async () => {
    const good = await upload("/models", await demoFile("buoy.glb"), "buoy.glb");
    expect(await good.json()).toMatchObject({ fileName: "buoy.glb", notices: [] });
    const bytes = (await demoFile("buoy.glb")).slice();
    const length = new DataView(bytes.buffer).getUint32(12, true);
    const cut = bytes.slice(0, 20 + length);
    new DataView(cut.buffer).setUint32(8, cut.length, true);
    const bad = await upload("/models", cut, "broken.glb");
    expect(bad.status).toBe(422);
    expect(((await bad.json()) as { message: string }).message).toMatch(/data is missing/);
  });
});

describe("saving", () => {
  test("edits raise the revision and come back with their history", async () => {
    const id = await makeShot();
    const { shot } = await read<OpenShot>(`/shots/${id}`);
    const answer = await post(`/shots/${id}/steps`, { revision: 0, steps: [renaming(shot, "One")] });
    expect(await answer.json()).toEqual({ revision: 1 });
    const again = await read<OpenShot>(`/shots/${id}`);
    expect(again.shot.name).toBe("One");
    expect(again.undo.map((e) => e.name)).toEqual(["Rename shot"]);
  });

  test("stale work is answered with 409, the present state, and what changed since", async () => {
    const id = await makeShot();
    const { shot } = await read<OpenShot>(`/shots/${id}`);
    await post(`/shots/${id}/steps`, { revision: 0, steps: [renaming(shot, "Theirs")] });
    const stale = await post(`/shots/${id}/steps`, { revision: 0, steps: [renaming(shot, "Mine")] });
    expect(stale.status).toBe(409);
    const body = (await stale.json()) as StaleAnswer;
    expect(body).toMatchObject({ code: "stale", revision: 1, shot: { name: "Theirs" } });
    expect(body.theirs).toEqual([expect.objectContaining({ path: ["name"], value: "Theirs" })]);
    const take = await post(`/shots/${id}/takes`, { name: "Mine, kept", shot: { ...shot, name: "Mine" } });
    expect(take.status).toBe(201);
    expect(await read<{ name: string }[]>(`/shots/${id}/takes`)).toEqual([
      expect.objectContaining({ name: "Mine, kept" }),
    ]);
  });

  test("a change that would spoil the document is refused and changes nothing", async () => {
    const id = await makeShot();
    const { shot } = await read<OpenShot>(`/shots/${id}`);
    const zero = makeEdit(shot, "z", "Known length", (d) => {
      d.lengths["length-1"] = { ...newLength("length-1", [1, 1], [2, 2]), metres: 0 };
    })!;
    const response = await post(`/shots/${id}/steps`, { revision: 0, steps: [{ kind: "do", edit: zero }] });
    expect(response.status).toBe(422);
    expect(((await response.json()) as { message: string }).message).toMatch(/metres must be greater than 0/);
    expect((await read<OpenShot>(`/shots/${id}`)).revision).toBe(0);
  });

  test("requests are checked by field", async () => {
    const id = await makeShot();
    const response = await post(`/shots/${id}/steps`, { revision: "x", steps: [] });
    expect(response.status).toBe(400);
    expect(((await response.json()) as { message: string }).message).toMatch(/revision/);
    expect((await fetch(`${base}/api/shots/none`)).status).toBe(404);
    expect((await fetch(`${base}/api/assets/..%2F..%2Fetc`)).status).toBe(400);
    expect((await fetch(`${base}/api/nothing`)).status).toBe(404);
  });
});

describe("finals", () => {
  async function solvedShot(): Promise<string> {
    const id = await makeShot();
    const { shot } = await read<OpenShot>(`/shots/${id}`);
    const edit = makeEdit(shot, "s", "Camera", (d) => {
      d.solved = {
        camera: {
          focalPx: 90,
          principal: [48, 32],
          distortion: { k1: 0, k2: 0, k3: 0, p1: 0, p2: 0 },
          rotation: [
            [1, 0, 0],
            [0, -0.3, -0.9539392],
            [0, 0.9539392, -0.3],
          ],
          position: [0, -4, 1.5],
        },
        evidence: "",
        rmsPx: 0,
        sigma: { focalPx: 1, rotationDeg: [0, 0, 0], positionM: null, cameraHeightM: null },
      };
      const corners: [number, number, number][] = [
        [-5, -3, 0],
        [5, -3, 0],
        [5, 9, 0],
        [-5, 9, 0],
      ];
      const vertices = corners.map(typedVertex);
      d.set["ground-1"] = makePart("ground-1", "G", { kind: "polygon", vertices, holes: [] }, "material-1");
      d.props["prop-1"] = {
        id: "prop-1",
        name: "Box",
        source: {
          kind: "shape",
          shape: { kind: "box", size: [1, 1, 1], bevel: 0 },
          colour: [0.8, 0.2, 0.1],
          roughness: 0.6,
          metallic: 0,
        },
        placement: { position: [0, 0, 0], turnDeg: 20, leanDeg: [0, 0], scale: [1, 1, 1] },
        keeps: "metres",
        ...plainProp(),
      };
    })!;
    expect((await post(`/shots/${id}/steps`, { revision: 0, steps: [{ kind: "do", edit }] })).status).toBe(200);
    return id;
  }
  const ended = async (id: string): Promise<FinalListing> => {
    for (;;) {
      const [newest] = await read<FinalListing[]>(`/shots/${id}/finals`);
      if (newest.status !== "waiting" && newest.status !== "running") return newest;
      await new Promise((resolve) => setTimeout(resolve, 100));
    }
  };

  test("a final gives picture, prop, ratio and added light, all of the plate's size", async () => {
    const id = await solvedShot();
    expect((await post(`/shots/${id}/finals`, { percent: 100, samples: 8 })).status).toBe(201);
    const final = await ended(id);
    expect(final).toMatchObject({ status: "done", width: 96, height: 64 });
    const listed = await read<ShotListing[]>("/shots");
    expect(listed.find((shot) => shot.id === id)).toMatchObject({ finals: 1 });
    expect(listed.filter((shot) => shot.id !== id && shot.finals > 0)).toEqual([]);
    // The database has brought the document's keys into an order of its own.
    const { shot } = await read<OpenShot>(`/shots/${id}`);
    expect(changedSince(final.of, renderedParts(shot))).toEqual([]);
    shot.light.sun.elevationDeg += 1;
    expect(changedSince(final.of, renderedParts(shot))).toEqual(["light"]);
    const file = async (name: string) =>
      new Uint8Array(await (await fetch(`${base}/api/finals/${final.id}/${name}`)).arrayBuffer());
    const meta = await sharp(await file("picture.png")).metadata();
    expect([meta.width, meta.height, meta.channels]).toEqual([96, 64, 3]);
    // The queue shows it small: the finished picture, not the plate.
    const small = await sharp(await file("preview.jpg"))
      .raw()
      .toBuffer({ resolveWithObject: true });
    expect([small.info.width, small.info.height]).toEqual([96, 64]);
    const whole = await sharp(await file("picture.png"))
      .raw()
      .toBuffer();
    const apart = small.data.reduce((sum, v, i) => sum + Math.abs(v - whole[i]), 0) / whole.length;
    expect(apart).toBeLessThan(6);
    const thumbnail = await (await fetch(`${base}/api/shots/${id}/thumbnail`)).arrayBuffer();
    const bare = await sharp(new Uint8Array(thumbnail)).resize(96, 64).raw().toBuffer();
    expect(bare.reduce((sum, v, i) => sum + Math.abs(v - whole[i]), 0) / whole.length).toBeGreaterThan(2 * apart);
    const prop = await sharp(await file("prop.png"))
      .raw()
      .toBuffer({ resolveWithObject: true });
    expect(prop.info.channels).toBe(4);
    const ratio = readExr(await file("ratio.exr"), 3);
    expect([ratio.width, ratio.height]).toEqual([96, 64]);
    expect(Math.min(...ratio.pixels)).toBeLessThan(0.6);
    expect(ratio.pixels[0]).toBe(1);
    expect(readExr(await file("added.exr"), 3).pixels.every((v) => v === 0)).toBe(true);
  });

  test("a larger final with all layers: sizes, mattes, and the lights that make up the shadow", async () => {
    const id = await solvedShot();
    const wanted = { percent: 150, samples: 16, passes: ["lights", "mattes", "surface"] };
    expect((await post(`/shots/${id}/finals`, wanted)).status).toBe(201);
    const final = await ended(id);
    expect(final).toMatchObject({ status: "done", width: 144, height: 96, percent: 150 });
    expect(final.files).toContain("layers");
    const bytes = new Uint8Array(await (await fetch(`${base}/api/finals/${final.id}/layers.exr`)).arrayBuffer());
    const layers = readExrChannels(bytes).channels;
    const ratio = readExr(
      new Uint8Array(await (await fetch(`${base}/api/finals/${final.id}/ratio.exr`)).arrayBuffer()),
      3,
    );
    const [matte, alpha] = [layers.get("matte_prop_Box.A")!, layers.get("A")!];
    expect(matte).toEqual(alpha);
    let darkest = 1;
    for (let i = 0; i < 144 * 96; i++) {
      const sum = (which: string) =>
        ["sun", "sky", "bounce"].reduce((n, g) => n + layers.get(`light_${g}_${which}_props.G`)![i], 0);
      if (sum("without") < 1e-4 || ratio.pixels[i * 3 + 1] === 1) continue;
      // Halves of the layers are good for a thousandth.
      expect(Math.abs(sum("with") / sum("without") - ratio.pixels[i * 3 + 1])).toBeLessThan(0.004);
      darkest = Math.min(darkest, ratio.pixels[i * 3 + 1]);
    }
    expect(darkest).toBeLessThan(0.6);
    expect((await post(`/shots/${id}/finals`, { percent: 300 })).status).toBe(400);
  });

  test("a long final is cancelled at once", async () => {
    const id = await solvedShot();
    const final = (await (await post(`/shots/${id}/finals`, { percent: 100, samples: 65536 })).json()) as FinalListing;
    await new Promise((resolve) => setTimeout(resolve, 400));
    const start = Date.now();
    await post(`/finals/${final.id}/cancel`, {});
    expect((await ended(id)).status).toBe("cancelled");
    expect(Date.now() - start).toBeLessThan(3000);
  });

  test("a shot without a camera is not rendered, and says so", async () => {
    const response = await post(`/shots/${await makeShot()}/finals`, { percent: 100, samples: 1 });
    expect(response.status).toBe(422);
    expect(((await response.json()) as { message: string }).message).toMatch(/no camera/);
  });
});

async function until(come: () => Promise<boolean>): Promise<void> {
  for (let i = 0; i < 4000; i++) {
    if (await come()) return;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  throw new Error("It did not come in time.");
}

/** A shot with a camera, a ground and a box on it, by API alone. */
async function renderableShot(at: string): Promise<string> {
  const picture = await sharp({ create: { width: 640, height: 480, channels: 3, background: "#8a8680" } })
    .png()
    .toBuffer();
  const response = await upload("/shots", picture, "grey.png", at);
  const { id } = (await response.json()) as { id: string };
  const { shot } = await read<OpenShot>(`/shots/${id}`, at);
  const camera = {
    focalPx: 600,
    principal: [320, 240] as [number, number],
    distortion: noDistortion(),
    rotation: rotationFromAngles({ heading: 0, tilt: -0.3, roll: 0 }),
    position: [0, -5, 2] as [number, number, number],
  };
  const edit = makeEdit(shot, "build", "Build", (d) => {
    takeCamera(d, handAnswer(camera));
    d.match.by = "hand";
    const corners = [
      [-3, -3, 0],
      [3, -3, 0],
      [3, 4, 0],
      [-3, 4, 0],
    ] as [number, number, number][];
    const vertices = corners.map(typedVertex);
    d.set["ground-1"] = makePart("ground-1", "Floor", { kind: "polygon", vertices, holes: [] }, "material-1");
    d.props["prop-1"] = {
      id: "prop-1",
      name: "Box",
      source: {
        kind: "shape",
        shape: { kind: "box", size: [1, 1, 1], bevel: 0 },
        colour: [0.6, 0.2, 0.1],
        roughness: 0.5,
        metallic: 0,
      },
      placement: { position: [0, 0, 0], turnDeg: 20, leanDeg: [0, 0], scale: [1, 1, 1] },
      keeps: "metres",
      ...plainProp(),
    };
  })!;
  expect((await post(`/shots/${id}/steps`, { revision: 0, steps: [{ kind: "do", edit }] }, at)).status).toBe(200);
  return id;
}

describe("the data folder", () => {
  test("a second server on the same folder is refused; a dead one's lock is taken over", async () => {
    const place = await mkdtemp(path.join(tmpdir(), "harbor-lock-"));
    const unlock = lockDataFolder(place);
    expect(() => lockDataFolder(place)).toThrow(/already uses/);
    unlock();
    const lock = path.join(place, "server.lock");
    await writeFile(lock, JSON.stringify({ pid: 2 ** 22 + 1, start: "1" }));
    lockDataFolder(place)();
    await rm(place, { recursive: true });
  });

  test("a killed server that nobody has collected yet does not hold the lock", async () => {
    const place = await mkdtemp(path.join(tmpdir(), "harbor-zombie-"));
    // The shell starts a child and becomes another program, which never collects it.
    const parent = spawn("bash", ["-c", "sleep 0 & echo $!; exec sleep 60"], { stdio: ["ignore", "pipe", "ignore"] });
    const pid = Number(
      await new Promise<string>((resolve) => parent.stdout.once("data", (t: Buffer) => resolve(String(t)))),
    );
    await new Promise((resolve) => setTimeout(resolve, 300));
    await writeFile(path.join(place, "server.lock"), JSON.stringify({ pid, start: null }));
    lockDataFolder(place)();
    parent.kill();
    await rm(place, { recursive: true });
  });

  test("no acknowledged edit is lost when the server is killed", async () => {
    const place = await mkdtemp(path.join(tmpdir(), "harbor-kill-"));
    const first = await startServer(place);
    const id = await makeShot(first.at);
    let { shot } = await read<OpenShot>(`/shots/${id}`, first.at);
    for (let i = 0; i < 20; i++) {
      const step = renaming(shot, `Name ${i}`);
      expect((await post(`/shots/${id}/steps`, { revision: i, steps: [step] }, first.at)).status).toBe(200);
      shot = { ...shot, name: `Name ${i}` };
    }
    await kill(first.child);
    const second = await startServer(place);
    const after = await read<OpenShot>(`/shots/${id}`, second.at);
    expect(after.revision).toBe(20);
    expect(after.shot.name).toBe("Name 19");
    expect(after.undo).toHaveLength(20);
    await kill(second.child);
    await rm(place, { recursive: true, force: true });
  });

  test("a final whose server is killed goes on where it was, and its bits are those of one rendered at once", async () => {
    const place = await mkdtemp(path.join(tmpdir(), "harbor-resume-"));
    const first = await startServer(place);
    const id = await renderableShot(first.at);
    const bands = async (final: string) =>
      (await readdir(path.join(place, "finals", final, "bands")).catch(() => [])).filter((f) => f.endsWith(".band"));
    const wanted = { percent: 60, samples: 16, noise: 0.5, denoise: true, passes: [...PASS_GROUPS] };
    const ask = async (threads: number, at: string) =>
      (await (await post(`/shots/${id}/finals`, { ...wanted, threads }, at)).json()) as FinalListing;
    const begun = await ask(2, first.at);
    await until(async () => (await bands(begun.id)).length >= 1);
    await kill(first.child);
    const kept = await bands(begun.id);
    expect(kept.length).toBeLessThan(2);
    const second = await startServer(place);
    const stateOf = async (final: string) =>
      (await read<QueuedFinal[]>("/queue", second.at)).find((f) => f.id === final)!;
    await until(async () => (await stateOf(begun.id)).status === "done");
    // What it went on from is cleared away when it is told as done, and not before.
    await until(async () => (await bands(begun.id)).length === 0);
    // One worker and five give the bits of two.
    const others = [await ask(1, second.at), await ask(5, second.at)];
    for (const { id: other } of others) await until(async () => (await stateOf(other)).status === "done");
    expect((await stateOf(begun.id)).noise).toBe((await stateOf(others[0].id)).noise);
    for (const file of ["picture.png", "prop.png", "ratio.exr", "added.exr", "premultiplied.exr", "layers.exr"]) {
      const [a, b, c] = await Promise.all(
        [begun, ...others].map(async (final) =>
          Buffer.from(await (await fetch(`${second.at}/api/finals/${final.id}/${file}`)).arrayBuffer()),
        ),
      );
      expect(a.length).toBeGreaterThan(500);
      expect(a.equals(b)).toBe(true);
      expect(a.equals(c)).toBe(true);
    }
    await kill(second.child);
    await rm(place, { recursive: true, force: true });
  });

  test("the queue: order, pause, resume, cancel and retry", async () => {
    const place = await mkdtemp(path.join(tmpdir(), "harbor-queue-"));
    const { child, at } = await startServer(place);
    const id = await renderableShot(at);
    const add = async (samples: number) =>
      ((await (await post(`/shots/${id}/finals`, { percent: 50, samples }, at)).json()) as FinalListing).id;
    const move = (final: string, what: string) => post(`/finals/${final}/${what}`, {}, at);
    const states = async () =>
      (await read<QueuedFinal[]>("/queue", at)).map((f) => [[a, b, c].indexOf(f.id), f.status] as const);
    const [a, b, c] = [await add(60_000), await add(4), await add(5)];
    await until(async () => (await states())[0][1] === "running");
    await move(c, "earlier");
    expect((await states()).map(([i]) => i)).toEqual([0, 2, 1]);
    // Nothing is before the first that waits.
    await move(c, "earlier");
    expect((await states()).map(([i]) => i)).toEqual([0, 2, 1]);
    await until(async () => (await fetch(`${at}/api/finals/${a}/preview.jpg`)).status === 200);
    await move(a, "pause");
    await until(async () => (await states()).filter(([, s]) => s === "done").length === 2);
    expect((await states())[0]).toEqual([0, "paused"]);
    await move(a, "resume");
    await until(async () => (await states())[0][1] === "running");
    await move(a, "cancel");
    await until(async () => (await states()).some(([i, s]) => i === 0 && s === "cancelled"));
    await move(a, "retry");
    await until(async () => (await states())[0][1] === "running");
    await move(a, "cancel");
    expect((await move("nothing", "pause")).status).toBe(404);
    await kill(child);
    await rm(place, { recursive: true, force: true });
  });
});
