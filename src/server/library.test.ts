import { readFile, readdir, writeFile } from "node:fs/promises";
import path from "node:path";
import { afterAll, beforeAll, describe, expect, test } from "@jest/globals";
import sharp from "sharp";
import { FIRST_YARDSTICKS } from "#core/match/yardsticks";
import { noDistortion } from "#core/optics/distortion";
import type { LensKit } from "#core/optics/lensKit";
import type { KeptLensKit, OpenShot, PictureAsset, TakeListing } from "#core/shot/api";
import { BandFolder } from "#node/bandFolder";
import { packedFilm } from "../testing/render.ts";
import type { TestServer } from "../testing/server.ts";
import { sendBytes, serveHere } from "../testing/server.ts";

let base = "";
let folder = "";
let here: TestServer;

beforeAll(async () => {
  here = await serveHere();
  ({ folder } = here);
  base = `${here.base}/api`;
});
afterAll(() => here.close());

const send = (method: string, route: string, body: unknown) =>
  fetch(base + route, { method, headers: { "content-type": "application/json" }, body: JSON.stringify(body) });
const read = async <T>(route: string): Promise<T> => (await (await fetch(base + route)).json()) as T;
const upload = (route: string, bytes: Uint8Array, name: string) => sendBytes(here.base, route, bytes, name);
const png = (colour: string) =>
  sharp({ create: { width: 640, height: 480, channels: 3, background: colour } })
    .png()
    .toBuffer();

const kit = (name: string): LensKit => ({
  name,
  sensorMm: 36,
  entries: [{ focalMm: 35, focal: 0.97, sigma: 0.002, shift: [0, 0], distortion: noDistortion() }],
});

describe("lens kits", () => {
  test("are kept, changed and deleted; one without a name or an entry is refused by name", async () => {
    const made = (await (await send("POST", "/lens-kits", kit("Old 35"))).json()) as KeptLensKit;
    expect((await read<KeptLensKit[]>("/lens-kits")).map((k) => k.kit.name)).toEqual(["Old 35"]);
    await send("PUT", `/lens-kits/${made.id}`, { ...kit("Old 35"), name: "Quay 35" });
    expect((await read<KeptLensKit[]>("/lens-kits"))[0].kit.name).toBe("Quay 35");
    const nameless = await send("POST", "/lens-kits", kit("  "));
    expect(nameless.status).toBe(400);
    expect(((await nameless.json()) as { message: string }).message).toMatch(/name/);
    expect((await send("POST", "/lens-kits", { ...kit("Empty"), entries: [] })).status).toBe(400);
    expect((await send("PUT", "/lens-kits/nothing", kit("x"))).status).toBe(404);
    expect((await send("DELETE", `/lens-kits/${made.id}`, {})).status).toBe(204);
    expect(await read<KeptLensKit[]>("/lens-kits")).toEqual([]);
  });
});

describe("yardsticks", () => {
  test("begin as shipped, are kept as the user has them, and a size of zero is refused", async () => {
    expect((await read<{ list: unknown[] }>("/yardsticks")).list).toEqual(FIRST_YARDSTICKS);
    const own = [{ ...FIRST_YARDSTICKS[0], name: "Loft door", metres: 1.9 }];
    expect((await send("PUT", "/yardsticks", { list: own })).status).toBe(200);
    expect((await read<{ list: unknown[] }>("/yardsticks")).list).toEqual(own);
    expect((await send("PUT", "/yardsticks", { list: [{ ...own[0], metres: 0 }] })).status).toBe(400);
    expect((await read<{ list: unknown[] }>("/yardsticks")).list).toEqual(own);
  });
});

describe("reference pictures", () => {
  test("are kept and shown as JPEG; what is none is refused in a sentence", async () => {
    const answer = (await (await upload("/pictures", await png("#557799"), "tape.png")).json()) as PictureAsset;
    expect(answer).toMatchObject({ name: "tape.png", width: 640, height: 480 });
    const shown = await fetch(`${base}/pictures/${answer.hash}`);
    expect(shown.headers.get("content-type")).toBe("image/jpeg");
    expect((await sharp(Buffer.from(await shown.arrayBuffer())).metadata()).width).toBe(640);
    // A phone's upright photograph is stored lying, with a word on how to turn it; and pages read no TIFF.
    const halves = await sharp(Buffer.from(await png("#557799")))
      .composite([{ input: { create: { width: 320, height: 480, channels: 3, background: "#000" } }, left: 0, top: 0 }])
      .toBuffer();
    const turned = await sharp(halves).withMetadata({ orientation: 6 }).jpeg().toBuffer();
    for (const [name, bytes, width] of [
      ["phone.jpg", turned, 480],
      ["scan.tif", await sharp(halves).tiff().toBuffer(), 640],
    ] as const) {
      const kept = (await (await upload("/pictures", bytes, name)).json()) as PictureAsset;
      expect(kept).toMatchObject({ name, width, height: 1120 - width });
      const file = Buffer.from(await (await fetch(`${base}/assets/${kept.hash}`)).arrayBuffer());
      const { format, orientation, ...size } = await sharp(file).metadata();
      expect([size.width, size.height, format === "tiff", orientation ?? 1]).toEqual([width, 1120 - width, false, 1]);
      // Turned clockwise, what was at the left is above.
      const first = await sharp(file)
        .extract({ left: 40, top: 40, width: 8, height: 8 })
        .removeAlpha()
        .raw()
        .toBuffer();
      expect(Math.max(...first)).toBeLessThan(20);
    }
    // A phone's colours are wider than sRGB; they come out as they look, whatever kind of file holds them.
    const rust = { r: 190, g: 70, b: 40 };
    const wide = sharp({ create: { width: 64, height: 64, channels: 3, background: rust } }).withIccProfile("p3");
    for (const [name, made] of [
      ["p3.jpg", wide.clone().jpeg({ quality: 100, chromaSubsampling: "4:4:4" })],
      ["p3.png", wide.clone().png()],
      ["p3.webp", wide.clone().webp({ lossless: true })],
    ] as const) {
      const bytes = await made.toBuffer();
      expect((await sharp(bytes, { ignoreIcc: true }).raw().toBuffer())[0]).toBeLessThan(rust.r - 8);
      const inSrgb = (await (await upload("/pictures", bytes, name)).json()) as PictureAsset;
      const file = Buffer.from(await (await fetch(`${base}/assets/${inSrgb.hash}`)).arrayBuffer());
      const shade = await sharp(file, { ignoreIcc: true }).raw().toBuffer();
      Object.values(rust).forEach((c, k) => expect(Math.abs(shade[k] - c)).toBeLessThanOrEqual(2));
    }
    const refused = await upload("/pictures", new TextEncoder().encode("only text"), "note.jpg");
    expect(refused.status).toBe(422);
    expect(((await refused.json()) as { message: string }).message).toMatch(/not a picture/);
    expect((await fetch(`${base}/pictures/${"0".repeat(64)}`)).status).toBe(404);
  });
});

describe("takes", () => {
  test("carry a picture of the match, get other names, and go", async () => {
    const made = await upload("/shots", await png("#888888"), "grey.png");
    const { id } = (await made.json()) as { id: string };
    const { shot } = await read<OpenShot>(`/shots/${id}`);
    const thumbnail = `data:image/jpeg;base64,${(
      await sharp(await png("#123456"))
        .jpeg()
        .toBuffer()
    ).toString("base64")}`;
    const kept = await send("POST", `/shots/${id}/takes`, { name: "First", shot, thumbnail });
    expect(kept.status).toBe(201);
    const take = (await kept.json()) as TakeListing;
    expect((await read<TakeListing[]>(`/shots/${id}/takes`))[0]).toMatchObject({ name: "First", thumbnail });
    await send("POST", `/takes/${take.id}/name`, { name: "By the marks" });
    expect((await read<TakeListing[]>(`/shots/${id}/takes`))[0].name).toBe("By the marks");
    expect((await send("POST", `/takes/${take.id}/name`, { name: " " })).status).toBe(400);
    const script = await send("POST", `/shots/${id}/takes`, {
      name: "Bad",
      shot,
      thumbnail: "data:text/html,<b>x</b>",
    });
    expect(script.status).toBe(400);
    expect((await send("DELETE", `/takes/${take.id}`, {})).status).toBe(204);
    expect(await read<TakeListing[]>(`/shots/${id}/takes`)).toEqual([]);
  });
});

describe("bands of an unfinished final", () => {
  test("come back as they were kept; torn ones count as not there, and the folder goes when all is done", async () => {
    const bands = new BandFolder(path.join(folder, "bands"), "a final");
    const of = (stride: number) => ({ stride, twins: [] });
    const film = Float32Array.from({ length: 5 * 2 * 3 }, (_, i) => i * 0.1 - 1);
    const [first, second] = [
      { y0: 0, y1: 2 },
      { y0: 2, y1: 4 },
    ];
    await bands.keep(second, 5, 3, [await packedFilm(film, of(3))]);
    expect((await bands.read(second, 5, of(3)))?.pixels).toEqual(film);
    expect(await bands.read(first, 5, of(3))).toBeNull();
    // Another size, another layout, another render.
    expect(await bands.read(second, 6, of(3))).toBeNull();
    expect(await bands.read(second, 5, of(4))).toBeNull();
    expect(await new BandFolder(path.join(folder, "bands"), "another").read(second, 5, of(3))).toBeNull();
    const whole = await readFile(path.join(folder, "bands", "2.band"));
    await writeFile(path.join(folder, "bands", "0.band"), whole.subarray(0, whole.length - 9));
    expect(await bands.read(first, 5, of(3))).toBeNull();
    expect((await readdir(path.join(folder, "bands"))).every((f) => f.endsWith(".band"))).toBe(true);
    await bands.clear();
    await expect(readdir(path.join(folder, "bands"))).rejects.toThrow();
  });
});
