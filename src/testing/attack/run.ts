import { spawnSync } from "node:child_process";
import { mkdirSync, readdirSync, statSync } from "node:fs";
import { mkdtemp, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import sharp from "sharp";
import { ExrError } from "#core/image/exrCheck";
import { colourChannels, writeExr } from "#core/image/exr";
import { readExr } from "#core/image/exrRead";
import type { NewShot, OpenShot } from "#core/shot/api";
import { makeEdit } from "#core/shot/edits";
import { newEdge } from "#core/match/schema";
import { demoFile } from "../../demo/shot.ts";
import { kill, killServers, readJson, sendBytes, sendJson, startServer } from "../server.ts";
import { damageBytes, damageJson, hostileStep, randomFrom } from "./damage.ts";
import { Bystander, quantile, residentBytes } from "./watch.ts";

/**
 * npm run bench:attack [-- --files N] [--kills N] [--fulls N] [--seconds N]: damaged files and documents against a running
 * server, kills in the middle of work, a full disk, and fifty clients at once. All on this machine's loopback, all bounded.
 */
const amount = (name: string, fallback: number): number => {
  const at = process.argv.indexOf(`--${name}`);
  return at < 0 ? fallback : Number(process.argv[at + 1]);
};
const FILES = amount("files", 2000);
const KILLS = amount("kills", 100);
const FULLS = amount("fulls", 20);
const SECONDS = amount("seconds", 60);
const HANDS = 4;

const faults: string[] = [];
const say = (text: string) => process.stdout.write(`${text}\n`);
const must = (holds: boolean, what: string) => {
  if (!holds) faults.push(what);
};

/** Asks so many times with a few hands; counts answers by status, the longest wait, and what was no answer. */
async function barrage(count: number, ask: (i: number) => Promise<Response>) {
  const statuses = new Map<number, number>();
  let slowest = 0;
  let unanswered = 0;
  let next = 0;
  const hand = async () => {
    while (next < count) {
      const i = next++;
      const start = performance.now();
      try {
        const response = await ask(i);
        const text = await response.text();
        statuses.set(response.status, (statuses.get(response.status) ?? 0) + 1);
        if (/\/(tmp|root|home|work)\//.test(text) || / at .*\.ts:/.test(text))
          faults.push(`a path of the server was shown: ${text.slice(0, 200)}`);
      } catch {
        unanswered++;
      }
      slowest = Math.max(slowest, performance.now() - start);
    }
  };
  await Promise.all(Array.from({ length: HANDS }, hand));
  return { statuses, slowest, unanswered };
}

/** An environment of the registry, packed with DWAB. */
async function packedExr(): Promise<Uint8Array> {
  const { default: url } = (await import("@pmndrs/assets/hdri/park.exr.js")) as { default: string };
  return new Uint8Array(Buffer.from(url.split(",")[1], "base64"));
}

/** A Radiance picture with runs and single values. */
function radiancePicture(): Uint8Array {
  const [width, height] = [128, 64];
  const row = [2, 2, 0, width];
  for (let k = 0; k < 4; k++) row.push(128 + 100, 120 + k, 28, ...Array.from({ length: 28 }, (_, i) => 100 + i));
  const head = `#?RADIANCE\nFORMAT=32-bit_rle_rgbe\n\n-Y ${height} +X ${width}\n`;
  return Uint8Array.from([...Buffer.from(head), ...Array.from({ length: height }, () => row).flat()]);
}

async function attackFiles(): Promise<void> {
  const place = await mkdtemp(path.join(tmpdir(), "harbor-attack-"));
  const { child, at } = await startServer(place);
  const photo = await sharp(await demoFile("plate.jpg"))
    .resize(700)
    .toBuffer();
  const jpeg = await sharp(photo)
    .withMetadata({ exif: { IFD0: { Make: "Maker" }, IFD2: { FocalLength: "35/1" } } })
    .jpeg()
    .toBuffer();
  const deep = await sharp(photo).toColourspace("rgb16").png().toBuffer();
  const tiff = await sharp(photo).resize(200).toColourspace("rgb16").tiff({ compression: "lzw" }).toBuffer();
  const floats = await sharp(photo).resize(200).toColourspace("scrgb").tiff({ compression: "none" }).toBuffer();
  const webp = await sharp(photo).webp().toBuffer();
  const { id } = (await (await sendBytes(at, "/shots", jpeg, "plate.jpg")).json()) as NewShot;
  const { shot } = await readJson<OpenShot>(at, `/shots/${id}`);
  shot.edges["edge-1"] = newEdge("edge-1", "x", [
    [10, 10],
    [90, 20],
  ]);
  const float = await demoFile("float.glb", "netloft");
  const kettle = await demoFile("kettle.glb", "netloft");
  const packed = await packedExr();
  const radiance = radiancePicture();
  const plainExr = writeExr(128, 64, colourChannels(new Float32Array(128 * 64 * 3).fill(0.6), 3));
  const kinds: [string, (i: number, random: () => number) => Promise<Response>][] = [
    ["JPEG", (_i, r) => sendBytes(at, "/shots", damageBytes(jpeg, r), "damaged.jpg")],
    ["PNG", (i, r) => sendBytes(at, i % 2 ? "/shots" : "/pictures", damageBytes(deep, r), "damaged.png")],
    ["TIFF", (i, r) => sendBytes(at, "/shots", damageBytes(i % 2 ? tiff : floats, r), "damaged.tif")],
    ["WebP", (_i, r) => sendBytes(at, "/shots", damageBytes(webp, r), "damaged.webp")],
    ["GLB", (i, r) => sendBytes(at, "/models", damageBytes(i % 2 ? float : kettle, r), "damaged.glb")],
    [
      "surroundings, EXR",
      (i, r) => sendBytes(at, "/surroundings", damageBytes(i % 4 ? packed : plainExr, r), "damaged.exr"),
    ],
    ["surroundings, HDR", (_i, r) => sendBytes(at, "/surroundings", damageBytes(radiance, r), "damaged.hdr")],
    ["document", (i, r) => sendJson(at, `/shots/${id}/takes`, damageJson({ name: `Take ${i}`, shot }, r))],
    ["patch", (i, r) => sendJson(at, `/shots/${id}/steps`, { revision: 0, steps: [hostileStep(r, `step-${i}`)] })],
  ];
  for (const [kind, ask] of kinds) {
    const random = randomFrom(kind.length * 977 + 5);
    const bystander = new Bystander(at, child.pid!, `/shots/${id}`);
    const { statuses, slowest, unanswered } = await barrage(FILES, (i) => ask(i, random));
    await bystander.end();
    const worst = Math.max(...bystander.waits);
    const answers = [...statuses].sort(([a], [b]) => a - b).map(([status, n]) => `${status} × ${n}`);
    say(
      `${kind}: ${FILES} damaged: ${answers.join(", ")}; slowest ${(slowest / 1000).toFixed(2)} s; others answered after ${quantile(bystander.waits, 0.95).toFixed(0)} ms (95 %), ${worst.toFixed(0)} ms at most; server ${Math.round(bystander.peakBytes / 1024 ** 2)} MB`,
    );
    must(unanswered === 0, `${kind}: ${unanswered} requests without an answer`);
    must(![...statuses.keys()].some((s) => s >= 500), `${kind}: an answer of 500 or above`);
    must(slowest < 5000, `${kind}: ${(slowest / 1000).toFixed(1)} s for one request`);
    must(
      worst < 200 && bystander.failures === 0,
      `${kind}: others waited ${worst.toFixed(0)} ms, ${bystander.failures} failed`,
    );
    must(bystander.peakBytes < 1024 ** 3, `${kind}: the server took ${Math.round(bystander.peakBytes / 1024 ** 2)} MB`);
  }
  // Everything that was accepted opens.
  const list = await readJson<{ id: string }[]>(at, "/shots");
  for (const { id: accepted } of list) {
    must((await fetch(`${at}/api/shots/${accepted}`)).ok, `shot ${accepted} was accepted and does not open`);
    must(
      (await fetch(`${at}/api/shots/${accepted}/thumbnail`)).ok,
      `shot ${accepted} was accepted and has no thumbnail`,
    );
  }
  say(`${list.length} shots were accepted and open.`);
  await kill(child);
  await rm(place, { recursive: true, force: true });

  const random = randomFrom(71);
  const values = Float32Array.from({ length: 64 * 48 * 4 }, () => random() * 4);
  const exr = (["half", "float"] as const).map((type) => writeExr(64, 48, colourChannels(values, 4), type));
  let slowest = 0;
  let read = 0;
  for (let i = 0; i < FILES; i++) {
    const start = performance.now();
    try {
      must(readExr(damageBytes(exr[i % 2], random), 4).pixels.every(Number.isFinite), "EXR: a value that is no number");
      read++;
    } catch (error) {
      must(error instanceof ExrError, `EXR: ${(error as Error).message}`);
    }
    slowest = Math.max(slowest, performance.now() - start);
  }
  say(`EXR: ${FILES} damaged: ${read} read, the others refused; slowest ${slowest.toFixed(0)} ms`);
  must(slowest < 5000, `EXR: ${slowest} ms for one file`);
}

/** Renames a shot again and again until it is stopped; tells the last name that was acknowledged. */
function renameOn(at: string, id: string, revision: number, stop: { now: boolean }) {
  const state = { revision, name: "", sent: 0, full: 0 };
  const run = async () => {
    let { shot } = await readJson<OpenShot>(at, `/shots/${id}`);
    while (!stop.now) {
      const name = `Name ${state.revision}-${state.sent++}`;
      const edit = makeEdit(shot, crypto.randomUUID(), "Rename", (d) => void (d.name = name))!;
      try {
        const response = await sendJson(at, `/shots/${id}/steps`, {
          revision: state.revision,
          steps: [{ kind: "do", edit }],
        });
        if (response.status === 507) {
          state.full++;
          await new Promise((resolve) => setTimeout(resolve, 20));
          continue;
        }
        if (!response.ok) continue;
        state.revision = ((await response.json()) as { revision: number }).revision;
        state.name = name;
        shot = { ...shot, name };
      } catch {
        return;
      }
    }
  };
  return { state, end: run() };
}

async function attackByKilling(): Promise<void> {
  const place = await mkdtemp(path.join(tmpdir(), "harbor-kills-"));
  const random = randomFrom(5);
  const plate = new Uint8Array(
    await sharp({ create: { width: 320, height: 200, channels: 3, background: "#778" } })
      .png()
      .toBuffer(),
  );
  let { child, at } = await startServer(place);
  const { id } = (await (await sendBytes(at, "/shots", plate, "wall.png")).json()) as NewShot;
  let revision = 0;
  let edits = 0;
  const shots = new Set([id]);
  for (let i = 0; i < KILLS; i++) {
    const stop = { now: false };
    const work = renameOn(at, id, revision, stop);
    const uploads = (async () => {
      while (!stop.now) {
        const response = await sendBytes(at, "/shots", plate, "more.png").catch(() => null);
        if (response?.status !== 201) return;
        shots.add(((await response.json()) as NewShot).id);
      }
    })();
    await new Promise((resolve) => setTimeout(resolve, 100 + random() * 900));
    await kill(child);
    stop.now = true;
    await Promise.all([work.end, uploads]);
    ({ child, at } = await startServer(place));
    const now = await readJson<OpenShot>(at, `/shots/${id}`);
    must(
      now.revision >= work.state.revision,
      `kill ${i}: revision ${now.revision}, ${work.state.revision} was acknowledged`,
    );
    if (now.revision === work.state.revision && work.state.name)
      must(
        now.shot.name === work.state.name,
        `kill ${i}: the name is ${now.shot.name}, ${work.state.name} was acknowledged`,
      );
    edits += work.state.revision - revision;
    revision = now.revision;
    const list = new Set((await readJson<{ id: string }[]>(at, "/shots")).map((s) => s.id));
    for (const acknowledged of shots) must(list.has(acknowledged), `kill ${i}: shot ${acknowledged} is gone`);
    const left =
      readdirSync(path.join(place, "assets")).includes("incoming") && readdirSync(path.join(place, "assets/incoming"));
    must(!left || left.length === 0, `kill ${i}: half-written files are left`);
    for (const extra of [...shots].slice(1)) {
      await fetch(`${at}/api/shots/${extra}`, { method: "DELETE", headers: { "x-harbor": "1" } });
      shots.delete(extra);
    }
  }
  say(`${KILLS} kills: ${edits} edits acknowledged, every one there; nothing half written is left.`);
  await kill(child);
  await rm(place, { recursive: true, force: true });
}

async function attackByFilling(): Promise<void> {
  const disk = await mkdtemp(path.join(tmpdir(), "harbor-disk-"));
  if (spawnSync("mount", ["-t", "tmpfs", "-o", "size=190m", "tmpfs", disk]).status !== 0) {
    say("Full disk: left out, since this user may not mount a small one.");
    return;
  }
  try {
    const plate = new Uint8Array(
      await sharp({ create: { width: 320, height: 200, channels: 3, background: "#778" } })
        .png()
        .toBuffer(),
    );
    const place = path.join(disk, "data");
    mkdirSync(place);
    let { child, at } = await startServer(place);
    const { id } = (await (await sendBytes(at, "/shots", plate, "wall.png")).json()) as NewShot;
    let revision = 0;
    let edits = 0;
    let refused = 0;
    const random = randomFrom(9);
    for (let i = 0; i < FULLS; i++) {
      const stop = { now: false };
      const work = renameOn(at, id, revision, stop);
      await new Promise((resolve) => setTimeout(resolve, 150));
      // Someone else fills the disk, to the last byte or nearly.
      const filler = path.join(disk, "filler");
      await fill(filler, Math.floor(random() * 3) * 6 * 1024 * 1024);
      await new Promise((resolve) => setTimeout(resolve, 400));
      const health = await fetch(`${at}/api/health`, { signal: AbortSignal.timeout(2000) }).catch(() => null);
      must(health?.ok === true, `full disk ${i}: no answer to health`);
      const acknowledged = { ...work.state };
      // Every other time the server is started anew on the full disk.
      if (i % 2) {
        await kill(child);
        stop.now = true;
        await work.end;
        const started = await startServer(place).catch((error: Error) => error);
        if (started instanceof Error) {
          must(
            /is full|Free some/.test(started.message) && !/select|insert/i.test(started.message),
            `full disk ${i}: ${started.message.slice(0, 300)}`,
          );
          await rm(filler);
          ({ child, at } = await startServer(place));
        } else {
          ({ child, at } = started);
          await rm(filler);
        }
      } else {
        await rm(filler);
        const before = work.state.revision;
        await new Promise((resolve) => setTimeout(resolve, 500));
        must(work.state.revision > before, `full disk ${i}: it does not go on by itself`);
        stop.now = true;
        await work.end;
      }
      refused += work.state.full;
      const now = await readJson<OpenShot>(at, `/shots/${id}`);
      must(now.revision >= acknowledged.revision, `full disk ${i}: acknowledged edits are gone`);
      edits += now.revision - revision;
      revision = now.revision;
    }
    say(
      `${FULLS} runs into a full disk: ${edits} edits acknowledged and there, ${refused} refused with 507; it went on by itself.`,
    );
    await kill(child);
  } finally {
    killServers();
    await new Promise((resolve) => setTimeout(resolve, 300));
    spawnSync("umount", [disk]);
    await rm(disk, { recursive: true, force: true });
  }
}

/** Fills the disk of a file but for so many bytes. */
async function fill(file: string, but: number): Promise<void> {
  const { statfsSync } = await import("node:fs");
  const { bavail, bsize } = statfsSync(path.dirname(file));
  await writeFile(file, Buffer.alloc(Math.max(0, bavail * bsize - but), 1)).catch(() => undefined);
}

const folderBytes = (folder: string): number =>
  readdirSync(folder, { withFileTypes: true }).reduce((n, entry) => {
    const at = path.join(folder, entry.name);
    return n + (entry.isDirectory() ? folderBytes(at) : (statSync(at, { throwIfNoEntry: false })?.size ?? 0));
  }, 0);

/** Fifty people who each make an edit a second. */
async function crowd(): Promise<void> {
  const CLIENTS = 50;
  const place = await mkdtemp(path.join(tmpdir(), "harbor-crowd-"));
  const { child, at } = await startServer(place);
  const plate = new Uint8Array(
    await sharp({ create: { width: 320, height: 200, channels: 3, background: "#778" } })
      .png()
      .toBuffer(),
  );
  const ids: string[] = [];
  for (let i = 0; i < CLIENTS; i++) {
    const { id } = (await (await sendBytes(at, "/shots", plate, `wall-${i}.png`)).json()) as NewShot;
    ids.push(id);
  }
  const before = folderBytes(path.join(place, "database"));
  const waits: number[] = [];
  let sent = 0;
  let failures = 0;
  let peak = 0;
  const end = Date.now() + SECONDS * 1000;
  await Promise.all(
    ids.map(async (id, c) => {
      let { shot, revision } = await readJson<OpenShot>(at, `/shots/${id}`);
      await new Promise((resolve) => setTimeout(resolve, (c / CLIENTS) * 1000));
      for (let n = 0; Date.now() < end; n++) {
        const edit = makeEdit(shot, crypto.randomUUID(), "Move edge", (d) => {
          d.edges[`edge-${(n % 12) + 1}`] = newEdge(`edge-${(n % 12) + 1}`, "x", [
            [n, c],
            [n + 50, c + 3],
          ]);
        })!;
        const start = performance.now();
        const body = { revision, steps: [{ kind: "do" as const, edit }] };
        const response = await sendJson(at, `/shots/${id}/steps`, body);
        waits.push(performance.now() - start);
        sent += JSON.stringify(body.steps[0]).length;
        if (response.ok) {
          ({ revision } = (await response.json()) as { revision: number });
          shot = {
            ...shot,
            edges: {
              ...shot.edges,
              [`edge-${(n % 12) + 1}`]: newEdge(`edge-${(n % 12) + 1}`, "x", [
                [n, c],
                [n + 50, c + 3],
              ]),
            },
          };
        } else failures++;
        peak = Math.max(peak, residentBytes(child.pid!));
        await new Promise((resolve) => setTimeout(resolve, Math.max(0, 1000 - (performance.now() - start))));
      }
    }),
  );
  const grown = folderBytes(path.join(place, "database")) - before;
  const each = (grown - sent) / waits.length;
  say(
    `${CLIENTS} clients at one edit a second for ${SECONDS} s: ${waits.length} edits, median ${quantile(waits, 0.5).toFixed(0)} ms, 95 % ${quantile(waits, 0.95).toFixed(0)} ms, longest ${Math.max(...waits).toFixed(0)} ms; the database grew by ${(grown / waits.length).toFixed(0)} bytes an edit, ${each.toFixed(0)} beside the edit itself; server ${Math.round(peak / 1024 ** 2)} MB`,
  );
  must(failures === 0, `crowd: ${failures} edits failed`);
  must(quantile(waits, 0.95) < 100, "crowd: 95 % of edits take longer than 100 ms");
  must(each < 1024, `crowd: an edit takes ${each.toFixed(0)} bytes beside itself`);
  await kill(child);
  await rm(place, { recursive: true, force: true });
}

try {
  if (FILES > 0) await attackFiles();
  if (SECONDS > 0) await crowd();
  if (FULLS > 0) await attackByFilling();
  if (KILLS > 0) await attackByKilling();
} finally {
  killServers();
}
for (const fault of new Set(faults)) say(`FELL: ${fault}`);
say(faults.length === 0 ? "Nothing fell." : `${faults.length} faults.`);
process.exitCode = faults.length === 0 ? 0 : 1;
