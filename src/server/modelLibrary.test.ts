import { readFile } from "node:fs/promises";
import { WebIO } from "@gltf-transform/core";
import { afterAll, beforeAll, expect, test } from "@jest/globals";
import sharp from "sharp";
import type { KeptFont, KeptModel } from "#core/props/library";
import { findModels, tagsOf } from "#core/props/library";
import { plainProp, plainReading } from "#core/props/schema";
import type { ModelAsset, NewShot, OpenShot } from "#core/shot/api";
import { makeEdit } from "#core/shot/edits";
import { glbOf } from "../testing/glb.ts";
import { boxStl } from "../testing/modelFiles.ts";
import type { TestServer } from "../testing/server.ts";
import { readJson, sendBytes, sendJson, serveHere } from "../testing/server.ts";

let here: TestServer;
let plate: Uint8Array;

beforeAll(async () => {
  here = await serveHere();
  plate = await sharp({ create: { width: 96, height: 64, channels: 3, background: "#87705a" } })
    .png()
    .toBuffer();
});
afterAll(() => here.close());

const listed = () => readJson<KeptModel[]>(here.base, "/library/models");
const opened = (id: string) => readJson<OpenShot>(here.base, `/shots/${id}`);
const reading = { unit: 0.001, up: "z" as const };

async function brought(width: number, name = "crate.stl"): Promise<ModelAsset> {
  const answer = await sendBytes(here.base, "/models", boxStl(width, 300, 200), name);
  return (await answer.json()) as ModelAsset;
}
const keep = (asset: ModelAsset, name: string) =>
  sendJson(here.base, "/library/models", { hash: asset.hash, fileName: asset.fileName, name, reading });

async function shotWith(asset: ModelAsset): Promise<string> {
  const { id } = (await (await sendBytes(here.base, "/shots", plate, "wall.png")).json()) as NewShot;
  const { shot, revision } = await opened(id);
  const edit = makeEdit(shot, "put-in", "Put in", (draft) => {
    draft.props.crate = {
      id: "crate",
      name: "crate",
      source: { kind: "model", asset: asset.hash, fileName: asset.fileName, reading, skin: null },
      placement: { position: [0, 3, 0], turnDeg: 0, leanDeg: [0, 0], scale: [1, 1, 1] },
      keeps: "metres",
      ...plainProp(),
    };
  });
  expect((await sendJson(here.base, `/shots/${id}/steps`, { revision, steps: [{ kind: "do", edit }] })).status).toBe(
    200,
  );
  return id;
}

test("a model is kept with its real size and a picture that shows it, is described, found by words, and outlives its shots", async () => {
  const asset = await brought(400);
  const id = await shotWith(asset);
  expect((await keep(asset, "fish crate")).status).toBe(201);
  const [kept] = await listed();
  expect(kept).toMatchObject({ name: "fish crate", triangles: 12, materials: 1, licence: "", tags: [] });
  expect(kept.size.map((x) => Number(x.toFixed(6)))).toEqual([0.4, 0.3, 0.2]);
  expect(kept.usedIn.map((shot) => shot.id)).toEqual([id]);

  // The box is not as bright as the ground around it, on at least a tenth of the picture.
  const picture = await fetch(`${here.base}/api/library/pictures/${kept.picture}`);
  const { data, info } = await sharp(Buffer.from(await picture.arrayBuffer()))
    .greyscale()
    .raw()
    .toBuffer({ resolveWithObject: true });
  const corner = data.subarray(0, 20).reduce((sum, x) => sum + x, 0) / 20;
  const differs = data.filter((x) => Math.abs(x - corner) > 25).length;
  expect(differs / (info.width * info.height)).toBeGreaterThan(0.1);

  const about = { name: "fish crate", tags: tagsOf("harbour, wood,, wood "), licence: "CC0", source: "the quay" };
  expect(about.tags).toEqual(["harbour", "wood"]);
  const route = `${here.base}/api/library/models/${asset.hash}`;
  const put = (body: unknown) =>
    fetch(route, {
      method: "PUT",
      headers: { "content-type": "application/json", "X-Harbor": "1" },
      body: JSON.stringify(body),
    });
  expect((await put(about)).status).toBe(200);
  expect((await put({ ...about, name: " " })).status).toBe(400);
  const list = await listed();
  expect(findModels(list, "QUAY wood")).toHaveLength(1);
  expect(findModels(list, "quay steel")).toHaveLength(0);

  await fetch(`${here.base}/api/shots/${id}`, { method: "DELETE", headers: { "X-Harbor": "1" } });
  expect((await listed())[0]).toMatchObject({ usedIn: [], ...about });
  expect((await fetch(`${here.base}/api/assets/${asset.hash}`)).status).toBe(200);
  // Kept again, as by another import of the same file, it stays as it was described.
  await keep(asset, "another name");
  expect((await listed())[0].name).toBe("fish crate");
});

test("a newer file goes into every shot but the open one, can be undone there, and takes over what was said of the older", async () => {
  const [older, newer] = [await brought(500), await brought(510)];
  const [mine, other] = [await shotWith(older), await shotWith(older)];
  await keep(older, "long crate");
  const { hash, fileName } = newer;
  const replace = (from: string, except: string | null) =>
    sendJson(here.base, `/library/models/${from}/newer`, { hash, fileName, reading: plainReading(), except });
  expect((await replace(hash, null)).status).toBe(422);
  const answer = await replace(older.hash, mine);
  expect(await answer.json()).toEqual({ shots: ["wall"] });
  const sourceIn = async (id: string) => (await opened(id)).shot.props.crate.source;
  expect(await sourceIn(mine)).toMatchObject({ asset: older.hash });
  expect(await sourceIn(other)).toMatchObject({ asset: hash, reading: plainReading() });
  const names = (await listed()).map((m) => [m.name, m.hash]);
  expect(names).toContainEqual(["long crate", hash]);
  expect(names).not.toContainEqual(["long crate", older.hash]);

  const { undo, revision } = await opened(other);
  await sendJson(here.base, `/shots/${other}/steps`, {
    revision,
    steps: [{ kind: "undo", id: undo.at(-1)!.id, step: "back" }],
  });
  expect(await sourceIn(other)).toMatchObject({ asset: older.hash });
});

test("the file's own copyright is the licence that a kept model begins with", async () => {
  const io = new WebIO();
  const document = await io.readBinary(glbOf({ triangles: 12 }));
  document.getRoot().getAsset().copyright = "© 2026 Harbour Office, CC BY 4.0";
  const asset = (await (
    await sendBytes(here.base, "/models", await io.writeBinary(document), "crane.glb")
  ).json()) as ModelAsset;
  await sendJson(here.base, "/library/models", {
    hash: asset.hash,
    fileName: "crane.glb",
    name: "crane",
    reading: plainReading(),
  });
  expect((await listed()).find((m) => m.name === "crane")!.licence).toBe("© 2026 Harbour Office, CC BY 4.0");
});

test("a font is kept by its name through a sweep until it is let go; what is none is refused with a sentence", async () => {
  const fonts = () => readJson<KeptFont[]>(here.base, "/library/fonts");
  const file = "node_modules/@fontsource/ibm-plex-mono/files/ibm-plex-mono-latin-600-normal.woff";
  const sent = await sendBytes(here.base, "/library/fonts", await readFile(file), "Quay Mono.woff");
  expect(sent.status).toBe(201);
  const [font] = await fonts();
  expect(font.name).toBe("Quay Mono");
  await here.services.sweep();
  expect((await fetch(`${here.base}/api/assets/${font.hash}`)).status).toBe(200);

  const refused = await sendBytes(here.base, "/library/fonts", plate, "wall.ttf");
  expect(refused.status).toBe(422);
  expect(await refused.json()).toMatchObject({ message: "“wall.ttf” is no font that can be read." });

  const route = `${here.base}/api/library/fonts/${font.hash}`;
  const letGo = () => fetch(route, { method: "DELETE", headers: { "X-Harbor": "1" } });
  expect((await letGo()).status).toBe(204);
  expect((await letGo()).status).toBe(404);
  expect(await fonts()).toEqual([]);
});

test("what is not there cannot be kept, described or let go", async () => {
  const hash = "0".repeat(64);
  const gone = await sendJson(here.base, "/library/models", { hash, fileName: "x.glb", name: "x", reading });
  expect(gone.status).toBe(404);
  expect((await sendJson(here.base, "/library/models", { hash: "x", fileName: "x", name: "x", reading })).status).toBe(
    400,
  );
  const route = `${here.base}/api/library/models/${hash}`;
  expect((await fetch(route, { method: "DELETE", headers: { "X-Harbor": "1" } })).status).toBe(404);
});
