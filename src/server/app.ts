import { randomUUID } from "node:crypto";
import { existsSync } from "node:fs";
import { readFile, rm } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import { pipeline } from "node:stream/promises";
import { fileURLToPath } from "node:url";
import express from "express";
import type { Express } from "express";
import { LensKitSchema } from "#core/optics/lensKit";
import {
  BakeSchema,
  FinalRequestSchema,
  FinishRequestSchema,
  HandOverRequestSchema,
  QUEUE_MOVES,
  RenameSchema,
  SaveSchema,
  TakeSchema,
  YardsticksSchema,
} from "#core/shot/api";
import type { ModelAsset, NewShot, PictureAsset, PlateAsset, SurroundingsAsset } from "#core/shot/api";
import { KeepModelSchema, KeptModelDetailsSchema, NewerFileSchema } from "#core/props/library";
import { HashSchema } from "#core/schema/fields";
import { assetsOf, setModelsOf } from "#core/shot/assets";
import type { Known } from "#core/sit/scene";
import type { Shot } from "#core/shot/schema";
import { newShot, parseShot } from "#core/shot/schema";
import { kernelBytes } from "#node/kernelFile";
import { json } from "./body.ts";
import { MOST_ZIPPED, zipOfFiles } from "#node/handover/zip";
import { ApiError, check, errorHandler, notFound } from "./errors.ts";
import { deleteFont, keepFont, listFonts } from "./fonts.ts";
import { guard } from "./guard.ts";
import { deleteKit, keepKit, keepYardsticks, listKits, openYardsticks } from "./library.ts";
import { deleteModel, describeModel, keepModel, licencesOf, listModels, replaceModel } from "./modelLibrary.ts";
import { Readings } from "./readings.ts";
import { received } from "./receive.ts";
import type { Services } from "./services.ts";
import { storePlate } from "./storePlate.ts";

const webFolder = fileURLToPath(new URL("../../dist/web", import.meta.url));

const MB = 1024 * 1024;
const MOST = {
  plate: 512 * MB,
  model: 512 * MB,
  picture: 64 * MB,
  font: 32 * MB,
  surroundings: 1024 * MB,
  bundle: 1024 * MB,
};

/** Most takes that a shot brings along. */
const MOST_TAKES = 500;

/** A shot document from outside. Throws ApiError with what is wrong with it. */
function readDocument(document: unknown): Shot {
  try {
    return parseShot(document);
  } catch (error) {
    throw new ApiError(422, "bundle-refused", (error as Error).message, "Hand the shot over again as one file.");
  }
}

const SHOWN_LONG = "private, max-age=31536000, immutable";

const SECURITY = {
  "Cross-Origin-Opener-Policy": "same-origin",
  "Cross-Origin-Embedder-Policy": "require-corp",
  "Cross-Origin-Resource-Policy": "same-origin",
  "Content-Security-Policy": [
    "default-src 'none'",
    "script-src 'self' 'wasm-unsafe-eval'",
    "worker-src 'self'",
    "style-src 'self' 'unsafe-inline'",
    "img-src 'self' blob: data:",
    "font-src 'self'",
    "connect-src 'self' blob:",
    "base-uri 'none'",
    "form-action 'none'",
    "frame-ancestors 'none'",
  ].join("; "),
  "X-Content-Type-Options": "nosniff",
  "Referrer-Policy": "no-referrer",
};

/** The application over its services. `names` are host names that it answers under besides those of this machine. */
export function createApp(services: Services, names: readonly string[] = []): Express {
  const { db, assets, shots, finals, reader, previews, room, works } = services;
  const readings = new Readings();
  const app = express();
  app.disable("x-powered-by");
  app.use((_request, response, next) => {
    response.set(SECURITY);
    next();
  });
  app.use(guard(names));

  const api = express.Router();
  api.param("id", (_request, _response, next, id: string) => {
    if (!/^[\w-]{1,60}$/.test(id)) throw notFound("What that address names");
    next();
  });
  // Whatever stores something needs room for it; deleting makes some.
  api.use((request, _response, next) => {
    if (request.method === "POST" || request.method === "PUT") room.ask();
    next();
  });

  api.get("/health", (_request, response) => {
    response.json({ ready: true, room: room.has() });
  });

  api.get("/shots", async (_request, response) => {
    response.json(await shots.list());
  });
  api.post("/shots", async (request, response) => {
    const answer = await received(request, services, MOST.plate, async (file): Promise<NewShot> => {
      const { info, notices } = await storePlate(services, file);
      const title = file.name.replace(/\.[^.]*$/, "") || file.name;
      return { id: await shots.create(newShot(title, info)), notices };
    });
    response.status(201).json(answer);
  });
  api.post("/plates", async (request, response) => {
    const answer = await received(request, services, MOST.plate, async (file): Promise<PlateAsset> => {
      const plate = await storePlate(services, file);
      await shots.knowPlates({ plates: { main: plate.info } });
      return plate;
    });
    response.status(201).json(answer);
  });
  api.post("/bundles", async (request, response) => {
    const answer = await received(request, services, MOST.bundle, async ({ path: file, name }): Promise<NewShot> => {
      const to = path.join(tmpdir(), `harbor-bundle-${randomUUID()}`);
      try {
        const { shot, takes, files } = await reader.read("bundle", file, name, { to });
        const document = readDocument(shot);
        for (const own of files) await assets.take(own.path, own.hash);
        const missing = [...assetsOf(document)].find((hash) => !assets.has(hash));
        if (missing)
          throw new ApiError(422, "bundle-refused", `“${name}” lacks a file of its shot.`, "Hand it over again.");
        const id = await shots.create(document);
        for (const take of takes.slice(0, MOST_TAKES).reverse()) {
          const kept = readDocument(take.document);
          // It may be of an earlier version of the plate.
          await shots.knowPlates(kept);
          await shots.keepTake(id, String(take.name).slice(0, 200), kept, take.thumbnail || null);
        }
        return { id, notices: [] };
      } finally {
        await rm(to, { recursive: true, force: true });
      }
    });
    response.status(201).json(answer);
  });
  api.get("/shots/:id", async (request, response) => {
    response.json(await shots.open(request.params.id));
  });
  api.delete("/shots/:id", async (request, response) => {
    for (const final of await finals.list(request.params.id)) await finals.cancel(final.id);
    await shots.delete(request.params.id);
    await previews.sweep();
    response.status(204).end();
  });
  api.post("/shots/:id/steps", json, async (request, response) => {
    response.json(await shots.save(request.params.id, check(SaveSchema, request.body)));
  });
  api.get("/shots/:id/thumbnail", async (request, response) => {
    const { shot } = await shots.open(request.params.id);
    response
      .set("Cache-Control", "private, max-age=3600")
      .sendFile(await previews.of(shot.plates.main.asset, "thumbnail"));
  });
  api.get("/shots/:id/takes", async (request, response) => {
    response.json(await shots.takes(request.params.id));
  });
  api.post("/shots/:id/takes", json, async (request, response) => {
    const { name, shot, thumbnail } = check(TakeSchema, request.body);
    response.status(201).json(await shots.keepTake(request.params.id, name, shot, thumbnail));
  });
  api.get("/takes/:id", async (request, response) => {
    response.json(await shots.openTake(request.params.id));
  });
  api.post("/takes/:id/name", json, async (request, response) => {
    response.json(await shots.renameTake(request.params.id, check(RenameSchema, request.body).name));
  });
  api.delete("/takes/:id", async (request, response) => {
    await shots.deleteTake(request.params.id);
    response.status(204).end();
  });

  api.get("/lens-kits", async (_request, response) => {
    response.json(await listKits(db));
  });
  api.post("/lens-kits", json, async (request, response) => {
    response.status(201).json(await keepKit(db, null, check(LensKitSchema, request.body)));
  });
  api.put("/lens-kits/:id", json, async (request, response) => {
    response.json(await keepKit(db, request.params.id, check(LensKitSchema, request.body)));
  });
  api.delete("/lens-kits/:id", async (request, response) => {
    await deleteKit(db, request.params.id);
    response.status(204).end();
  });
  api.get("/yardsticks", async (_request, response) => {
    response.json({ list: await openYardsticks(db) });
  });
  api.put("/yardsticks", json, async (request, response) => {
    const { list } = check(YardsticksSchema, request.body);
    await keepYardsticks(db, list);
    response.json({ list });
  });

  api.post("/pictures", async (request, response) => {
    const answer = await received(
      request,
      services,
      MOST.picture,
      async ({ path, hash, name }): Promise<PictureAsset> => {
        const to = await assets.newPath();
        const { kept, ...size } = await reader.read("picture", path, name, { to });
        return { hash: await (kept ? assets.take(to, kept.hash) : assets.take(path, hash)), name, ...size };
      },
    );
    response.status(201).json(answer);
  });
  api.get("/pictures/:hash", async (request, response) => {
    const hash = check(HashSchema, request.params.hash);
    if (!assets.has(hash)) throw notFound("The picture");
    response.set("Cache-Control", SHOWN_LONG).sendFile(await previews.of(hash, "note"));
  });

  /** Has a file read that its sender follows by a name, and may leave; `to` is a path for what is made of it. */
  async function followedReading<T>(
    request: express.Request,
    response: express.Response,
    read: (to: string, follow: { tell: (share: number) => void; signal: AbortSignal }) => Promise<T>,
  ): Promise<T> {
    const id = request.header("x-reading") ?? randomUUID();
    const left = new AbortController();
    response.on("close", () => left.abort());
    const to = await assets.newPath();
    readings.begin(id);
    try {
      return await read(to, { tell: (share) => readings.tell(id, share), signal: left.signal });
    } finally {
      readings.end(id);
      await rm(to, { force: true });
    }
  }
  api.post("/surroundings", async (request, response) => {
    const answer = await received(request, services, MOST.surroundings, ({ path, name }) =>
      followedReading(request, response, async (to, follow): Promise<SurroundingsAsset> => {
        const { kept, ...told } = await reader.read("surroundings", path, name, { to }, follow);
        return { hash: await assets.take(to, kept.hash), name, ...told };
      }),
    );
    response.status(201).json(answer);
  });

  api.post("/models", async (request, response) => {
    const answer = await received(request, services, MOST.model, ({ path, hash, name }) =>
      followedReading(request, response, async (to, follow): Promise<ModelAsset> => {
        const { kept, name: fileName, ...read } = await reader.read("model", path, name, { to }, follow);
        return { hash: await (kept ? assets.take(to, kept.hash) : assets.take(path, hash)), fileName, ...read };
      }),
    );
    response.status(201).json(answer);
  });
  api.get("/readings/:id", (request, response) => {
    const state = readings.stateOf(request.params.id);
    if (!state) throw notFound("The reading");
    response.json(state);
  });
  api.param("hash", (_request, _response, next, hash: string) => {
    check(HashSchema, hash);
    next();
  });
  api.get("/library/models", async (_request, response) => {
    response.json(await listModels(services));
  });
  api.post("/library/models", json, async (request, response) => {
    response.status(201).json(await keepModel(services, check(KeepModelSchema, request.body)));
  });
  api.put("/library/models/:hash", json, async (request, response) => {
    response.json(await describeModel(services, request.params.hash, check(KeptModelDetailsSchema, request.body)));
  });
  api.post("/library/models/:hash/newer", json, async (request, response) => {
    response.json(await replaceModel(services, request.params.hash, check(NewerFileSchema, request.body)));
  });
  api.delete("/library/models/:hash", async (request, response) => {
    await deleteModel(services, request.params.hash);
    response.status(204).end();
  });
  api.get("/library/fonts", async (_request, response) => {
    response.json(await listFonts(services));
  });
  api.post("/library/fonts", async (request, response) => {
    response.status(201).json(await received(request, services, MOST.font, (file) => keepFont(services, file)));
  });
  api.delete("/library/fonts/:hash", async (request, response) => {
    await deleteFont(services, request.params.hash);
    response.status(204).end();
  });
  api.get("/library/pictures/:hash", (request, response) => {
    const { hash } = request.params;
    if (!assets.has(hash)) throw notFound("The picture");
    response.type("webp").set("Cache-Control", SHOWN_LONG).sendFile(assets.pathOf(hash));
  });
  api.get("/assets/:hash", async (request, response) => {
    const hash = check(HashSchema, request.params.hash);
    if (!assets.has(hash)) throw notFound("The file");
    response.type("application/octet-stream").set("Cache-Control", SHOWN_LONG).sendFile(assets.pathOf(hash));
  });

  api.post("/shots/:id/bake", json, async (request, response) => {
    const choice = check(BakeSchema, request.body);
    const { shot } = await shots.open(request.params.id);
    const source = shot.props[choice.of]?.source;
    const needed = [...setModelsOf(shot), ...(source?.kind === "model" ? [source.asset] : [])];
    const models = Object.fromEntries(needed.map((hash) => [hash, assets.pathOf(hash)]));
    const to = path.join(tmpdir(), `harbor-bake-${randomUUID()}`);
    try {
      const ask = { shot, choice, models, to };
      await reader.read("bake", assets.pathOf(shot.plates.main.codes), shot.name, ask);
      const bytes = await readFile(to);
      response.type(choice.format === "png" ? "png" : "application/octet-stream").send(bytes);
    } finally {
      await rm(to, { force: true });
    }
  });
  api.post("/shots/:id/finals", json, async (request, response) => {
    response.status(201).json(await finals.add(request.params.id, check(FinalRequestSchema, request.body)));
  });
  api.get("/shots/:id/finals", async (request, response) => {
    response.json(await finals.list(request.params.id));
  });
  api.get("/queue", async (_request, response) => {
    response.json(await finals.queue());
  });
  for (const move of QUEUE_MOVES) {
    api.post(`/finals/:id/${move}`, async (request, response) => {
      response.json(await finals.move(request.params.id, move));
    });
  }
  api.get("/finals/:id/preview.jpg", async (request, response) => {
    const growing = await finals.preview(request.params.id);
    if (growing) {
      response.type("jpeg").set("Cache-Control", "no-store").send(Buffer.from(growing));
      return;
    }
    const { shotId, files } = await finals.find(request.params.id);
    if (!files?.picture) {
      // Nothing has grown yet: the bare plate stands for it.
      response.redirect(`/api/shots/${shotId}/thumbnail`);
      return;
    }
    response.set("Cache-Control", "private, max-age=3600").sendFile(await previews.of(files.picture, "queue"));
  });
  api.get("/finals/:id/screen.bin", async (request, response) => {
    const kept = (await finals.find(request.params.id)).files?.screen;
    if (kept) {
      response.type("application/octet-stream").sendFile(assets.pathOf(kept));
      return;
    }
    const { id } = await works.begin("screen", await finals.pathsOf(request.params.id), null);
    try {
      const { file } = await works.wait<"screen">(id);
      const hash = await finals.keepFile(request.params.id, "screen", file);
      response.type("application/octet-stream").sendFile(assets.pathOf(hash));
    } finally {
      await works.forget(id);
    }
  });
  api.post("/finals/:id/finish", json, async (request, response) => {
    const { id } = request.params;
    const comp = check(FinishRequestSchema, request.body);
    const { shot } = await shots.open((await finals.find(id)).shotId);
    const paths = await finals.pathsOf(id, { ...shot, comp });
    const work = await works.begin("finish", paths, null, ({ files }, target) =>
      finals.finishedAgain(id, paths.shot, files, (name) => path.join(target, name)),
    );
    response.status(201).json(work);
  });
  /** What the sit report knows beside the shot. */
  const known = async (): Promise<Known> => ({
    licences: await licencesOf(services),
    yardsticks: await openYardsticks(db),
  });
  api.post("/finals/:id/sit", json, async (request, response) => {
    const { id } = request.params;
    const row = await finals.find(id);
    const { shot } = await shots.open(row.shotId);
    // What was rendered is looked at, with the comp of now.
    const paths = await finals.pathsOf(id, shot);
    response.status(201).json(await works.begin("sit", paths, { notices: row.notices, known: await known() }));
  });
  api.get("/works/:id/answer", (request, response) => {
    response.json(works.answerOf(request.params.id));
  });
  api.post("/shots/:id/handover", json, async (request, response) => {
    const { id } = request.params;
    const { final, ...choice } = check(HandOverRequestSchema, request.body);
    const { shot } = await shots.open(id);
    const paths = final === null ? finals.pathsOfShot(shot) : await finals.pathsOf(final, shot);
    const kept = await shots.takeDocuments(id);
    const named = new Set([shot, ...kept.map((t) => t.document)].flatMap((own) => [...assetsOf(own)]));
    const files = Object.fromEntries([...named].filter((h) => assets.has(h)).map((h) => [h, assets.pathOf(h)]));
    response.status(201).json(
      await works.begin("handover", paths, {
        choice,
        document: shot,
        takes: kept,
        assets: files,
        known: await known(),
      }),
    );
  });
  api.get("/works/:id/files/:name", (request, response) => {
    const { id, name } = request.params;
    if (!works.stateOf(id).files.some((file) => file.name === name)) throw notFound("The file");
    response.attachment(name).sendFile(path.join(works.targetOf(id), name));
  });
  api.get("/works/:id/all.zip", async (request, response) => {
    const { id } = request.params;
    const { files } = works.stateOf(id);
    if (files.length === 0) throw notFound("The file");
    if (files.reduce((sum, { bytes }) => sum + bytes, 0) > MOST_ZIPPED)
      throw new ApiError(413, "too-large", "Together the files are more than a zip holds.", "Save them one by one.");
    const target = works.targetOf(id);
    const { as } = request.query;
    response.attachment(typeof as === "string" && as ? `${path.basename(as).slice(0, 200)}.zip` : "all.zip");
    await pipeline(zipOfFiles(files.map(({ name }) => ({ name, path: path.join(target, name) }))), response);
  });
  api.get("/works/:id", (request, response) => {
    response.json(works.stateOf(request.params.id));
  });
  api.post("/works/:id/cancel", (request, response) => {
    response.json(works.cancel(request.params.id));
  });
  api.get("/finals/:id/:file", async (request, response) => {
    const row = await finals.find(request.params.id);
    const { file } = request.params;
    const { name, ext } = path.parse(file);
    const hash = row.files && Object.hasOwn(row.files, name) ? row.files[name] : null;
    const type = ext === ".png" ? "png" : "image/x-exr";
    if (!hash || ![".png", ".exr"].includes(ext)) throw notFound("The file");
    const base = row.document.name.replace(/[^\p{L}\p{N}]+/gu, "-").replace(/^-|-$/g, "") || "shot";
    if (request.query.download !== undefined) response.attachment(`${base}-${row.percent}-${file}`);
    response.type(type).sendFile(assets.pathOf(hash));
  });
  api.use(() => {
    throw notFound("That address");
  });
  app.use("/api", api);

  app.get("/kernel.wasm", async (_request, response) => {
    const bytes = await kernelBytes().catch((error: Error) => {
      throw new ApiError(503, "not-built", error.message, "Then start the server again.");
    });
    response.type("application/wasm").set("Cache-Control", "no-cache").send(bytes);
  });
  app.use(express.static(webFolder, { index: false, maxAge: "1h" }));
  app.get("/{*path}", (_request, response) => {
    const page = path.join(webFolder, "index.html");
    if (!existsSync(page))
      throw new ApiError(
        503,
        "not-built",
        "The web application is not built.",
        "Run “npm run build”, or start with “npm start”.",
      );
    response.set("Cache-Control", "no-cache").sendFile(page);
  });
  app.use(errorHandler);
  return app;
}
