import { existsSync } from "node:fs";
import path from "node:path";
import { fileURLToPath } from "node:url";
import express from "express";
import type { Express, Request } from "express";
import sharp from "sharp";
import { ModelError, importGlb } from "#core/exchange/gltf";
import { modelBounds, triangleCount } from "#core/props/model";
import { LensKitSchema } from "#core/optics/lensKit";
import {
  FinalRequestSchema,
  QUEUE_MOVES,
  RenameSchema,
  SaveSchema,
  TakeSchema,
  YardsticksSchema,
} from "#core/shot/api";
import type { ModelAsset, NewShot, PictureAsset } from "#core/shot/api";
import { HashSchema, newShot } from "#core/shot/schema";
import type { PlateInfo } from "#core/shot/schema";
import { decodeTexture } from "#node/images";
import { PlateError, openPlate } from "#node/plates";
import type { OpenedPlate } from "#node/plates";
import { kernelBytes } from "#node/kernelFile";
import type { AssetStore } from "./assets.ts";
import type { Database } from "./db/open.ts";
import { ApiError, check, errorHandler, notFound } from "./errors.ts";
import type { FinalQueue } from "./finals.ts";
import { deleteKit, keepKit, keepYardsticks, listKits, openYardsticks } from "./library.ts";
import {
  createShot,
  deleteShot,
  deleteTake,
  keepTake,
  listShots,
  listTakes,
  openShot,
  openTake,
  renameTake,
  saveSteps,
} from "./shots.ts";

export interface Services {
  db: Database;
  assets: AssetStore;
  finals: FinalQueue;
}

const webFolder = fileURLToPath(new URL("../../dist/web", import.meta.url));

const MB = 1024 * 1024;
const bytesOf = (limit: number) => express.raw({ type: () => true, limit });

function body(request: Request): Uint8Array {
  if (!Buffer.isBuffer(request.body) || request.body.length === 0) {
    throw new ApiError(400, "empty", "The file is empty.", "Choose the file again.");
  }
  return new Uint8Array(request.body);
}

const fileName = (request: Request): string => {
  const name = decodeURIComponent(request.header("x-file-name") ?? "");
  return name.slice(0, 200) || "untitled";
};

/** Stores a decoded plate and describes it for the shot document. */
export async function storePlate(
  assets: AssetStore,
  bytes: Uint8Array,
  name: string,
  plate: OpenedPlate,
): Promise<PlateInfo> {
  const { codes } = plate;
  return {
    asset: await assets.put(bytes),
    codes: await assets.put(new Uint8Array(codes.buffer, codes.byteOffset, codes.byteLength)),
    fileName: name,
    width: plate.width,
    height: plate.height,
    encoding: plate.encoding,
    profile: plate.profile ? await assets.put(plate.profile) : null,
    exif: plate.exif,
    owner: "",
    licence: "",
    drawing: false,
  };
}

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

export function createApp({ db, assets, finals }: Services): Express {
  const app = express();
  app.disable("x-powered-by");
  app.use((_request, response, next) => {
    response.set(SECURITY);
    next();
  });

  const api = express.Router();
  const json = express.json({ limit: 32 * MB });

  api.get("/health", (_request, response) => {
    response.json({ ready: true });
  });

  api.get("/shots", async (_request, response) => {
    response.json(await listShots(db));
  });
  api.post("/shots", bytesOf(256 * MB), async (request, response) => {
    const name = fileName(request);
    const bytes = body(request);
    let plate: OpenedPlate;
    try {
      plate = await openPlate(bytes, name);
    } catch (error) {
      if (error instanceof PlateError) throw new ApiError(422, "plate-refused", error.message, error.hint);
      throw error;
    }
    const info = await storePlate(assets, bytes, name, plate);
    const title = name.replace(/\.[^.]*$/, "") || name;
    const answer: NewShot = { id: await createShot(db, newShot(title, info)), notices: plate.notices };
    response.status(201).json(answer);
  });
  api.get("/shots/:id", async (request, response) => {
    response.json(await openShot(db, request.params.id));
  });
  api.delete("/shots/:id", async (request, response) => {
    for (const final of await finals.list(request.params.id)) await finals.cancel(final.id);
    await deleteShot(db, request.params.id);
    response.status(204).end();
  });
  api.post("/shots/:id/steps", json, async (request, response) => {
    response.json(await saveSteps(db, request.params.id, check(SaveSchema, request.body)));
  });
  api.get("/shots/:id/thumbnail", async (request, response) => {
    const { shot } = await openShot(db, request.params.id);
    const image = await sharp(await assets.get(shot.plate.asset))
      .rotate()
      .resize(640, 420, { fit: "inside" })
      .jpeg({ quality: 82 })
      .toBuffer();
    response.type("jpeg").set("Cache-Control", "private, max-age=3600").send(image);
  });
  api.get("/shots/:id/takes", async (request, response) => {
    response.json(await listTakes(db, request.params.id));
  });
  api.post("/shots/:id/takes", json, async (request, response) => {
    const { name, shot, thumbnail } = check(TakeSchema, request.body);
    response.status(201).json(await keepTake(db, request.params.id, name, shot, thumbnail));
  });
  api.post("/takes/:id/name", json, async (request, response) => {
    response.json(await renameTake(db, request.params.id, check(RenameSchema, request.body).name));
  });
  api.delete("/takes/:id", async (request, response) => {
    await deleteTake(db, request.params.id);
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

  api.post("/pictures", bytesOf(64 * MB), async (request, response) => {
    const bytes = body(request);
    const name = fileName(request);
    let size: { width?: number; height?: number };
    try {
      const image = sharp(bytes, { limitInputPixels: 120_000_000 });
      size = await image.metadata();
      await image.resize(64, 64, { fit: "inside" }).toBuffer();
    } catch {
      throw new ApiError(
        422,
        "picture-refused",
        `“${name}” is not a picture that can be read.`,
        "Save it as JPEG, PNG, WebP or TIFF and drop it again.",
      );
    }
    const answer: PictureAsset = {
      hash: await assets.put(bytes),
      name,
      width: size.width ?? 0,
      height: size.height ?? 0,
    };
    response.status(201).json(answer);
  });
  api.get("/pictures/:hash", async (request, response) => {
    const hash = check(HashSchema, request.params.hash);
    if (!assets.has(hash)) throw notFound("The picture");
    const image = await sharp(await assets.get(hash))
      .rotate()
      .resize(1600, 1600, { fit: "inside", withoutEnlargement: true })
      .jpeg({ quality: 86 })
      .toBuffer();
    response.type("jpeg").set("Cache-Control", "private, max-age=31536000, immutable").send(image);
  });
  api.get("/takes/:id", async (request, response) => {
    response.json(await openTake(db, request.params.id));
  });

  api.post("/models", bytesOf(512 * MB), async (request, response) => {
    const name = fileName(request);
    const bytes = body(request);
    try {
      const { model, notices } = await importGlb(bytes, decodeTexture);
      const { low, high } = modelBounds(model);
      const answer: ModelAsset = {
        hash: await assets.put(bytes),
        fileName: name,
        triangles: triangleCount(model),
        size: [high[0] - low[0], high[1] - low[1], high[2] - low[2]],
        notices,
      };
      response.status(201).json(answer);
    } catch (error) {
      if (error instanceof ModelError) {
        throw new ApiError(
          422,
          "model-refused",
          `“${name}”: ${error.message}`,
          "Nothing was changed; drop the mended file again.",
        );
      }
      throw error;
    }
  });
  api.get("/assets/:hash", async (request, response) => {
    const hash = check(HashSchema, request.params.hash);
    if (!assets.has(hash)) throw notFound("The file");
    response
      .type("application/octet-stream")
      .set("Cache-Control", "private, max-age=31536000, immutable")
      .sendFile(assets.pathOf(hash));
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
    const small = sharp(assets.pathOf(files.picture))
      .resize(480, 320, { fit: "inside", withoutEnlargement: true })
      .jpeg({ quality: 82 });
    response
      .type("jpeg")
      .set("Cache-Control", "private, max-age=3600")
      .send(await small.toBuffer());
  });
  api.get("/finals/:id/:file", async (request, response) => {
    const row = await finals.find(request.params.id);
    const { file } = request.params;
    const hash = row.files?.[path.parse(file).name];
    const type = file.endsWith(".png") ? "png" : "image/x-exr";
    if (!hash || !/^[a-z]+\.(png|exr)$/.test(file)) throw notFound("The file");
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
