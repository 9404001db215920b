import { spawn } from "node:child_process";
import { existsSync, readdirSync, statSync } from "node:fs";
import { mkdir, mkdtemp, rm, writeFile } from "node:fs/promises";
import { request } from "node:http";
import { tmpdir } from "node:os";
import path from "node:path";
import { crc32, deflateSync } from "node:zlib";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import sharp from "sharp";
import type { NewShot, OpenShot, StaleAnswer } from "#core/shot/api";
import type { Edit } from "#core/shot/edits";
import { makeEdit } from "#core/shot/edits";
import type { Shot } from "#core/shot/schema";
import { plainProp, plainReading } from "#core/props/schema";
import { demoFile } from "../demo/shot.ts";
import { glbOf } from "../testing/glb.ts";
import type { TestServer } from "../testing/server.ts";
import { killServers, readJson, sendBytes, sendJson, serveHere, startServer } from "../testing/server.ts";
import { rotationFromAngles } from "#core/optics/camera";
import { noDistortion } from "#core/optics/distortion";
import { handAnswer, takeCamera } from "#core/shot/resolve";
import { FinalQueue } from "./finals.ts";
import { Reader } from "./reader.ts";
import { Room } from "./room.ts";

let here: TestServer;
let plate: Uint8Array;

beforeAll(async () => {
  here = await serveHere();
  plate = await sharp({ create: { width: 96, height: 64, channels: 3, background: "#87705a" } })
    .png()
    .toBuffer();
});
afterAll(async () => {
  killServers();
  await here.close();
});

async function newShot(): Promise<{ id: string; shot: Shot }> {
  const { id } = (await (await sendBytes(here.base, "/shots", plate, "wall.png")).json()) as NewShot;
  return { id, shot: (await readJson<OpenShot>(here.base, `/shots/${id}`)).shot };
}
const save = (id: string, revision: number, ...edits: Partial<Edit>[]) =>
  sendJson(here.base, `/shots/${id}/steps`, {
    revision,
    steps: edits.map((edit, i) => ({
      kind: "do",
      edit: { id: `edit-${revision}-${i}`, name: "Edit", inverse: [], ...edit },
    })),
  });

/** A request with headers that `fetch` does not let one set; answers its status. */
function raw(method: string, route: string, headers: Record<string, string>, body = ""): Promise<number> {
  const { hostname, port } = new URL(here.base);
  return new Promise((resolve, reject) => {
    const sent = request({ hostname, port, path: `/api${route}`, method, headers }, (answer) => {
      answer.resume();
      resolve(answer.statusCode!);
    });
    sent.on("error", reject);
    sent.end(body);
  });
}

describe("who may ask", () => {
  const host = () => new URL(here.base).host;

  test("a foreign name that resolves to this machine is refused, whatever it asks", async () => {
    for (const name of ["harbor.example:4680", "127.0.0.1.example", "localhost.example:80", "[::2]:80"]) {
      expect(await raw("GET", "/shots", { host: name })).toBe(403);
    }
    for (const name of [host(), "localhost:1", "127.0.0.2", "[::1]:4680"]) {
      expect(await raw("GET", "/health", { host: name })).toBe(200);
    }
  });

  test("a page of another origin can neither read nor change", async () => {
    const json = { host: host(), "content-type": "application/json" };
    expect(await raw("GET", "/shots", { host: host(), "sec-fetch-site": "cross-site" })).toBe(403);
    expect(await raw("POST", "/shots", { ...json, origin: "http://elsewhere.example" })).toBe(403);
    expect(await raw("POST", "/shots", { ...json, origin: "null" })).toBe(403);
    expect(await raw("POST", "/shots", { ...json, "sec-fetch-site": "same-site" })).toBe(403);
    // What a form or a no-cors request can send without being asked first.
    for (const type of ["text/plain", "multipart/form-data", "application/x-www-form-urlencoded"]) {
      expect(await raw("POST", "/pictures", { host: host(), "content-type": type }, "x")).toBe(403);
    }
    const { id } = await newShot();
    expect(await raw("DELETE", `/shots/${id}`, { host: host(), origin: "http://elsewhere.example" })).toBe(403);
    expect((await readJson<OpenShot>(here.base, `/shots/${id}`)).id).toBe(id);
  });
});

describe("changes of a document", () => {
  const HOSTILE: [string, (shot: Shot) => Edit["forward"]][] = [
    ["an array's length", () => [{ op: "replace", path: ["render", "passes", "length"], value: 10_000_000 }]],
    ["the largest length", () => [{ op: "replace", path: ["render", "passes", "length"], value: 4294967295 }]],
    ["an index far beyond", () => [{ op: "replace", path: ["render", "passes", 4294967294], value: "lights" }]],
    ["an index below", () => [{ op: "add", path: ["render", "passes", "-1"], value: "lights" }]],
    ["what objects inherit", () => [{ op: "add", path: ["__proto__", "polluted"], value: 1 }]],
    ["what functions have", () => [{ op: "add", path: ["constructor", "prototype", "x"], value: 1 }]],
    ["a place that is not there", () => [{ op: "add", path: ["nothing", "at", "all"], value: 1 }]],
    ["the whole document", () => [{ op: "replace", path: [], value: null }]],
    ["a huge list", () => [{ op: "replace", path: ["render", "passes"], value: new Array(300_000).fill("lights") }]],
    [
      "a nest",
      () => [{ op: "replace", path: ["name"], value: JSON.parse(`${"[".repeat(30)}${"]".repeat(30)}`) as unknown }],
    ],
    ["a name with NUL", () => [{ op: "replace", path: ["name"], value: "a\0b" }]],
    ["half a character", () => [{ op: "replace", path: ["name"], value: "\ud83d" }]],
    ["a plate of a thousand million pixels", () => [{ op: "replace", path: ["plates", "main", "width"], value: 1e9 }]],
    ["another plate's pixels", () => [{ op: "replace", path: ["plates", "main", "codes"], value: "a".repeat(64) }]],
    [
      "a model that is not there",
      () => [
        {
          op: "add",
          path: ["props", "prop-1"],
          value: {
            id: "prop-1",
            name: "Ghost",
            source: {
              kind: "model",
              asset: "b".repeat(64),
              fileName: "ghost.glb",
              reading: plainReading(),
              skin: null,
            },
            placement: { position: [0, 0, 0], turnDeg: 0, leanDeg: [0, 0], scale: [1, 1, 1] },
            keeps: "metres",
            ...plainProp(),
          },
        },
      ],
    ],
  ];

  test.each(HOSTILE)("%s: refused at once, with a sentence, and nothing is changed", async (_what, patches) => {
    const { id, shot } = await newShot();
    const response = await save(id, 0, { forward: patches(shot) });
    expect([400, 422]).toContain(response.status);
    expect(((await response.json()) as { message: string }).message).toMatch(/^.{15,}\.$/s);
    expect(await readJson<OpenShot>(here.base, `/shots/${id}`)).toEqual({ id, revision: 0, shot, undo: [], redo: [] });
    expect(({} as { polluted?: number }).polluted).toBeUndefined();
  });

  test("JSON that is five million deep is told from its bytes", async () => {
    const { id } = await newShot();
    const body = `{"revision":0,"steps":${"[".repeat(5_000_000)}${"]".repeat(5_000_000)}}`;
    const response = await fetch(`${here.base}/api/shots/${id}/steps`, {
      method: "POST",
      headers: { "content-type": "application/json" },
      body,
    });
    expect(response.status).toBe(400);
    expect(((await response.json()) as { message: string }).message).toMatch(/too deep/);
  });

  test("an answer that was lost: what arrives again is taken once, and what follows goes on from it", async () => {
    const { id, shot } = await newShot();
    const named = (name: string) => ({
      forward: [{ op: "replace" as const, path: ["name"], value: name }],
      inverse: [],
      id: name,
    });
    expect((await save(id, 0, named("one"))).status).toBe(200);
    // The browser does not know: it sends the same again, with two more.
    const again = await save(id, 0, named("one"), named("two"), named("three"));
    expect(await again.json()).toEqual({ revision: 3 });
    const now = await readJson<OpenShot>(here.base, `/shots/${id}`);
    expect(now.shot.name).toBe("three");
    expect(now.undo.map((e) => e.id)).toEqual(["one", "two", "three"]);
    // With another window's work in between it is told which of its steps are in.
    expect((await save(id, 3, { ...named("theirs"), id: "theirs" })).status).toBe(200);
    const stale = (await (await save(id, 2, named("three"), named("mine"))).json()) as StaleAnswer;
    expect(stale).toMatchObject({ code: "stale", revision: 4, taken: ["three"] });
    expect(stale.theirs.map((p) => p.value as string)).toEqual(["theirs"]);
    expect(stale.shot.plates.main).toEqual(shot.plates.main);
  });
});

describe("names and addresses", () => {
  test("file names with %, NUL and emoji come in; addresses that name nothing are 404", async () => {
    const send = (name: string) =>
      fetch(`${here.base}/api/shots`, {
        method: "POST",
        headers: { "content-type": "application/octet-stream", "x-file-name": name },
        body: plate as Uint8Array<ArrayBuffer>,
      });
    for (const [header, kept] of [
      ["100%.png", "100%.png"],
      [encodeURIComponent("a\0b.png"), "ab.png"],
      [encodeURIComponent(`${"x".repeat(199)}🛟🛟.png`), `${"x".repeat(199)}🛟`],
    ]) {
      const response = await send(header);
      expect(response.status).toBe(201);
      const { id } = (await response.json()) as NewShot;
      expect((await readJson<OpenShot>(here.base, `/shots/${id}`)).shot.plates.main.fileName).toBe(kept);
    }
    for (const route of [
      "/shots/a%00b",
      "/shots/constructor",
      "/takes/%00",
      "/finals/x/constructor.png",
      "/lens-kits/%00",
    ]) {
      expect((await fetch(`${here.base}/api${route}`)).status).toBe(404);
    }
  });
});

/** A PNG of one colour whose bytes pack to almost nothing. */
function flatPng(side: number, bits: 8 | 16): Uint8Array {
  const chunk = (type: string, body: Uint8Array) => {
    const bytes = Buffer.alloc(body.length + 12);
    bytes.writeUInt32BE(body.length, 0);
    bytes.write(type, 4, "latin1");
    bytes.set(body, 8);
    bytes.writeUInt32BE(crc32(bytes.subarray(4, body.length + 8)), body.length + 8);
    return bytes;
  };
  const head = Buffer.alloc(13);
  head.writeUInt32BE(side, 0);
  head.writeUInt32BE(side, 4);
  head.set([bits, 2, 0, 0, 0], 8);
  const rows = deflateSync(Buffer.alloc((side * 3 * (bits / 8) + 1) * side), { level: 9 });
  return Buffer.concat([
    Buffer.from([0x89, 0x50, 0x4e, 0x47, 0x0d, 0x0a, 0x1a, 0x0a]),
    chunk("IHDR", head),
    chunk("IDAT", rows),
    chunk("IEND", new Uint8Array(0)),
  ]);
}

const folderBytes = (folder: string): number =>
  readdirSync(folder, { withFileTypes: true }).reduce((n, entry) => {
    const at = path.join(folder, entry.name);
    return n + (entry.isDirectory() ? folderBytes(at) : statSync(at).size);
  }, 0);

describe("small uploads", () => {
  test("a plate that packs to nothing stays small on the disk and is given back with its shot", async () => {
    const assets = path.join(here.folder, "assets");
    const before = folderBytes(assets);
    const png = flatPng(3000, 16);
    expect(png.length).toBeLessThan(100_000);
    const { id } = (await (await sendBytes(here.base, "/shots", png, "flat.png")).json()) as NewShot;
    // 54 MB of codes.
    expect(folderBytes(assets) - before).toBeLessThan(1_000_000);
    expect(
      (await fetch(`${here.base}/api/shots/${id}`, { method: "DELETE", headers: { "x-harbor": "1" } })).status,
    ).toBe(204);
    expect(folderBytes(assets)).toBe(before);
  });

  test("a profile that unpacks to more than any has is not unpacked", async () => {
    const body = Buffer.concat([
      Buffer.from("bomb\0\0", "latin1"),
      deflateSync(Buffer.alloc(50_000_000), { level: 9 }),
    ]);
    const chunk = Buffer.alloc(body.length + 12);
    chunk.writeUInt32BE(body.length, 0);
    chunk.write("iCCP", 4, "latin1");
    chunk.set(body, 8);
    chunk.writeUInt32BE(crc32(chunk.subarray(4, body.length + 8)), body.length + 8);
    const png = Buffer.concat([plate.subarray(0, 33), chunk, plate.subarray(33)]);
    const response = await sendBytes(here.base, "/shots", png, "bomb.png");
    expect(response.status).toBe(422);
    expect(((await response.json()) as { message: string }).message).toMatch(/colour profile of more than 4 MB/);
  });

  test("an SVG is no picture and no texture", async () => {
    const svg = new TextEncoder().encode(
      '<svg xmlns="http://www.w3.org/2000/svg" width="20000" height="20000"><rect width="100%" height="100%"/></svg>',
    );
    const refused = await sendBytes(here.base, "/pictures", svg, "note.svg");
    expect(refused.status).toBe(422);
    const taken = await sendBytes(here.base, "/models", glbOf({ texture: svg }), "flag.glb");
    expect(((await taken.json()) as { notices: string[] }).notices.join()).toMatch(/not a JPEG, PNG or WebP/);
  });
});

describe("what is accepted opens again", () => {
  test("EXIF that is absurd is cut or left out", async () => {
    const bytes = await sharp({ create: { width: 96, height: 64, channels: 3, background: "#446688" } })
      .withMetadata({
        exif: { IFD0: { Make: "M".repeat(250), Model: "N".repeat(250) }, IFD2: { FocalLength: "1/100000000" } },
      })
      .jpeg()
      .toBuffer();
    const { id } = (await (await sendBytes(here.base, "/shots", bytes, "odd.jpg")).json()) as NewShot;
    const { shot } = await readJson<OpenShot>(here.base, `/shots/${id}`);
    expect(shot.plates.main.exif.focalMm).toBeNull();
    expect(shot.plates.main.exif.camera!.length).toBeLessThanOrEqual(400);
  });

  test("a photo that is cut off in the middle is refused at the door", async () => {
    const jpeg = await demoFile("plate.jpg");
    const response = await sendBytes(here.base, "/shots", jpeg.slice(0, jpeg.length >> 1), "half.jpg");
    expect(response.status).toBe(422);
    const png = await sharp(await demoFile("plate.jpg"))
      .resize(400)
      .png()
      .toBuffer();
    expect((await sendBytes(here.base, "/shots", png.subarray(0, png.length >> 1), "half.png")).status).toBe(422);
  });
});

describe("models are counted before they are unpacked", () => {
  const CASES: [string, Uint8Array, RegExp][] = [
    ["points without data", glbOf({ bare: 100_000_000 }), /100000000|holds no data/],
    ["more parts than any model has", glbOf({ copies: 200_001 }), /200001 parts/],
    ["a ring of nodes", glbOf({ ring: true }), /contain one another/],
    ["a chain of nodes", glbOf({ chain: 5000 }), /nested more than 1000 deep/],
    ["corners at 1e20", glbOf({ scale: 1e20 }), /nowhere in a photograph/],
    ["corners at infinity", glbOf({ scale: Infinity }), /nowhere in a photograph/],
    ["corners that are no numbers", glbOf({ scale: NaN }), /nowhere in a photograph/],
    ["a texture of 16 383 pixels", glbOf({ texture: flatPng(16_383, 8) }), /16383 × 16383/],
  ];
  test.each(CASES)("%s: refused with figures while others are answered", async (_what, bytes, reason) => {
    const sent = sendBytes(here.base, "/models", bytes, "model.glb");
    expect((await fetch(`${here.base}/api/health`)).status).toBe(200);
    const response = await sent;
    expect(response.status).toBe(422);
    expect(((await response.json()) as { message: string }).message).toMatch(reason);
  });

  test("a chain that is not too deep is read, and copies stay copies", async () => {
    const chain = (await (await sendBytes(here.base, "/models", glbOf({ chain: 900 }), "a.glb")).json()) as {
      triangles: number;
    };
    expect(chain.triangles).toBe(1);
    const few = glbOf({ triangles: 100, copies: 100 });
    expect(await (await sendBytes(here.base, "/models", few, "b.glb")).json()).toMatchObject({ triangles: 10_000 });
    // Fifty million triangles that are a thousand times the same ones.
    const many = await sendBytes(here.base, "/models", glbOf({ triangles: 50_000, copies: 1000 }), "c.glb");
    expect(await many.json()).toMatchObject({ triangles: 50_000_000, size: [1, 49_999, 1] });
  });
});

describe("a reader of its own", () => {
  test("one that takes too long or too much memory is ended, and the next file is read", async () => {
    const folder = await mkdtemp(path.join(tmpdir(), "harbor-reader-"));
    const file = path.join(folder, "flat.png");
    await writeFile(file, flatPng(6000, 16));
    const out = { codes: `${file}.codes`, profile: `${file}.icc`, thumbnail: `${file}.jpg` };
    const slow = new Reader({ bytes: 2 ** 40, seconds: 0.05 });
    await expect(slow.read("plate", file, "flat.png", out)).rejects.toThrow(/more than 0.05 seconds/);
    slow.close();
    const small = new Reader({ bytes: 150 * 1024 ** 2, seconds: 60 });
    await expect(small.read("plate", file, "flat.png", out)).rejects.toThrow(/more than 150 MB of memory/);
    await writeFile(file, plate);
    const enough = new Reader();
    await expect(enough.read("plate", file, "wall.png", out)).resolves.toMatchObject({ width: 96, height: 64 });
    small.close();
    enough.close();
    await rm(folder, { recursive: true });
  });
});

describe("room on the disk", () => {
  test("without room nothing is taken, everything can be read, and it goes on when there is room", async () => {
    const { id, shot } = await newShot();
    const { room } = here.services;
    const free = room.free.bind(room);
    room.free = () => 5 * 1024 ** 2;
    const edit = makeEdit(shot, "full", "Rename", (d) => void (d.name = "No room"))!;
    const refused = await save(id, 0, edit);
    expect(refused.status).toBe(507);
    const { message, hint } = (await refused.json()) as { message: string; hint: string };
    expect(message).toMatch(/5 MB are free.*needs 40 MB/);
    expect(hint).toContain(here.folder);
    expect((await sendBytes(here.base, "/shots", plate, "wall.png")).status).toBe(507);
    expect((await readJson<OpenShot>(here.base, `/shots/${id}`)).shot.name).toBe(shot.name);
    room.free = free;
    expect((await save(id, 0, edit)).status).toBe(200);
  });

  test("the ballast is real, and is given up when a server must start on a full disk", async () => {
    const folder = await mkdtemp(path.join(tmpdir(), "harbor-room-"));
    await new Room(folder).keepBallast();
    expect(statSync(path.join(folder, "ballast")).blocks * 512).toBeGreaterThanOrEqual(24 * 1024 ** 2);
    new Room(folder, Number.MAX_SAFE_INTEGER).prepareStart();
    expect(existsSync(path.join(folder, "ballast"))).toBe(false);
    await rm(folder, { recursive: true });
  });
});

test("a final of which nothing comes is said to have got nowhere, and the queue goes on", async () => {
  const { services } = here;
  const silent = path.join(here.folder, "silent.mjs");
  await writeFile(silent, "setInterval(() => undefined, 1000); process.on('message', () => undefined);");
  const folder = path.join(here.folder, "silent");
  const runs = { process: silent, silentMs: 300 };
  const queue = new FinalQueue(services.db, services.assets, services.shots, folder, services.room, runs);
  const { id, shot } = await newShot();
  const camera = {
    focalPx: 90,
    principal: [48, 32] as [number, number],
    distortion: noDistortion(),
    rotation: rotationFromAngles({ heading: 0, tilt: -0.3, roll: 0 }),
    position: [0, -4, 1.5] as [number, number, number],
  };
  const edit = makeEdit(shot, "camera", "Camera", (d) => void takeCamera(d, handAnswer(camera)))!;
  expect((await save(id, 0, edit)).status).toBe(200);
  await queue.add(id, { samples: 4 });
  await queue.add(id, { samples: 5 });
  for (let i = 0; i < 200; i++) {
    const states = (await queue.list(id)).map((f) => f.status);
    if (states.every((s) => s === "failed")) break;
    await new Promise((resolve) => setTimeout(resolve, 50));
  }
  for (const { status, message } of await queue.list(id)) {
    expect(status).toBe("failed");
    expect(message).toMatch(/Nothing came of it for a minute.*enormous geometry/);
  }
  await queue.close();
});

test("what a killed server left half written is gone after the next start", async () => {
  const place = await mkdtemp(path.join(tmpdir(), "harbor-left-"));
  const first = await startServer(place);
  const { id } = (await (await sendBytes(first.at, "/shots", plate, "wall.png")).json()) as NewShot;
  const gone = new Promise((resolve) => first.child.once("exit", resolve));
  first.child.kill("SIGTERM");
  await gone;
  const assets = path.join(place, "assets");
  await writeFile(
    path.join(
      assets,
      readdirSync(assets).find((n) => n.length === 2)!,
      "left.half",
    ),
    "x",
  );
  const bands = path.join(place, "finals", "00000000-0000-0000-0000-000000000000", "bands");
  await mkdir(bands, { recursive: true });
  const second = await startServer(place);
  expect((await readJson<OpenShot>(second.at, `/shots/${id}`)).id).toBe(id);
  for (let i = 0; i < 100 && existsSync(bands); i++) await new Promise((resolve) => setTimeout(resolve, 50));
  expect(existsSync(bands)).toBe(false);
  expect(readdirSync(assets, { recursive: true }).filter((n) => String(n).includes("half"))).toEqual([]);
  second.child.kill("SIGKILL");
  await rm(place, { recursive: true, force: true });
});

test("a server whose starter is killed stops, too", async () => {
  const place = await mkdtemp(path.join(tmpdir(), "harbor-orphan-"));
  const starter = `
    import { fork } from "node:child_process";
    const child = fork("src/server/main.ts", { execArgv: ["--import", "./scripts/typescript.mjs"], stdio: ["ignore", "pipe", "inherit", "ipc"] });
    child.stdout.on("data", (text) => String(text).includes("Red Harbor is at") && console.log(child.pid));
  `;
  const parent = spawn(process.execPath, ["--input-type=module", "-e", starter], {
    env: { ...process.env, NODE_OPTIONS: "", HARBOR_DATA: place, HARBOR_PORT: "0", HARBOR_DEMO: "0" },
    stdio: ["ignore", "pipe", "inherit"],
  });
  const pid = Number(
    await new Promise<string>((resolve) => parent.stdout.once("data", (t: Buffer) => resolve(String(t)))),
  );
  parent.kill("SIGKILL");
  const alive = () => existsSync(`/proc/${pid}`);
  for (let i = 0; i < 200 && alive(); i++) await new Promise((resolve) => setTimeout(resolve, 50));
  expect(alive()).toBe(false);
  await rm(place, { recursive: true, force: true });
});
