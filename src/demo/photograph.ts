import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { createHash } from "node:crypto";
import path from "node:path";
import { fileURLToPath } from "node:url";
import sharp from "sharp";
import { colourChannels, writeExr } from "#core/image/exr";
import type { Camera, Frame } from "#core/optics/camera";
import type { PropPiece, TraceScene } from "#core/trace/scene";
import { SOFT } from "#core/trace/filter";
import type { Region } from "#core/trace/tiles";
import { renderScene } from "#node/renderScene";
import * as L from "#kernel/layout";
import { despeckle, develop } from "./develop.ts";
import { recipeHash } from "./recipe.ts";

/** A made-up place: what its photographs are taken of and with. */
export interface Place {
  name: string;
  frame: Frame;
  camera: Camera;
  light: Pick<TraceScene, "sun" | "sky" | "environment" | "backdrop">;
  /** Everything that stands there, in the world. */
  pieces: PropPiece[];
  exif: { taken: string; focal: string; equivalent: string; stop: string; exposure: string; speed: string };
}

export const folderOf = (name: string): string => fileURLToPath(new URL(`../../demo/${name}/`, import.meta.url));

/** Path-traces the place with some props in it: linear light, through the lens. */
export async function photograph(
  place: Place,
  what: string,
  props: PropPiece[],
  samples: number,
  region?: Region,
): Promise<Float32Array> {
  const { width, height } = place.frame;
  const film = await renderScene(
    {
      camera: place.camera,
      frame: place.frame,
      set: [],
      props: [...place.pieces, ...props],
      floor: null,
      plate: null,
      mask: null,
      picture: true,
      ...place.light,
    },
    { width, height, seed: 1, maxDepth: 10, filter: SOFT, limit: 20 },
    {
      samples,
      region,
      onProgress: (p) =>
        process.stdout.write(
          `\r${place.name}, ${what}: ${p.samples}/${samples}, ${Math.round(p.secondsLeft)} s left   `,
        ),
    },
  );
  process.stdout.write("\n");
  const pixels = new Float32Array(width * height * 3);
  for (let i = 0, f = 0; i < width * height; i++, f += film.layout.stride) {
    for (let k = 0; k < 3; k++) pixels[i * 3 + k] = film.pixels[f + k] / Math.max(1, film.pixels[f + L.FILM_SAMPLES]);
  }
  despeckle(pixels, width, height);
  return pixels;
}

/** Collects the files of one place and writes them with their hashes. */
export class DemoFolder {
  private readonly folder: string;
  private readonly written: string[] = [];

  constructor(private readonly place: Place) {
    this.folder = folderOf(place.name);
    mkdirSync(this.folder, { recursive: true });
  }

  write(name: string, bytes: Uint8Array | string): void {
    writeFileSync(path.join(this.folder, name), bytes);
    this.written.push(name);
  }

  /** Linear light as EXR, a part of it if a region is given. Eight bits of mantissa: a fifth of a per cent, below the render's own noise, and a third smaller once packed. */
  clean(name: string, pixels: Float32Array, region?: Region): void {
    const bits = new Uint32Array(pixels.slice().buffer);
    for (let i = 0; i < bits.length; i++) bits[i] = ((bits[i] + 0x4000) & 0xffff8000) >>> 0;
    const { width, height } = this.place.frame;
    const { x0, y0, x1, y1 } = region ?? { x0: 0, y0: 0, x1: width, y1: height };
    const all = new Float32Array(bits.buffer);
    const part = new Float32Array((x1 - x0) * (y1 - y0) * 3);
    for (let y = y0; y < y1; y++)
      part.set(all.subarray((y * width + x0) * 3, (y * width + x1) * 3), (y - y0) * (x1 - x0) * 3);
    this.write(name, writeExr(x1 - x0, y1 - y0, colourChannels(part, 3)));
  }

  async jpeg(name: string, pixels: Float32Array, seed: number): Promise<void> {
    const { width, height } = this.place.frame;
    const codes = develop(pixels, width, height, seed);
    const { exif } = this.place;
    const jpeg = await sharp(codes, { raw: { width, height, channels: 3 } })
      .withExif({
        IFD0: { Make: "Skerry Optical", Model: "SK-1", Software: "demo:build" },
        IFD2: {
          DateTimeOriginal: exif.taken,
          FocalLength: exif.focal,
          FocalLengthIn35mmFilm: exif.equivalent,
          FNumber: exif.stop,
          ExposureTime: exif.exposure,
          ISOSpeedRatings: exif.speed,
          LensModel: "SK 27.5 mm f/2.8",
        },
      })
      .jpeg({ quality: 93, chromaSubsampling: "4:4:4" })
      .toBuffer();
    this.write(name, jpeg);
  }

  /** Writes the list of all files with what they were made from. */
  finish(samples: number): void {
    const hash = (f: string) =>
      createHash("sha256")
        .update(readFileSync(path.join(this.folder, f)))
        .digest("hex");
    const files = Object.fromEntries(this.written.map((f) => [f, hash(f)]));
    writeFileSync(
      path.join(this.folder, "recipe.json"),
      JSON.stringify({ recipe: recipeHash(this.place.name), samples, files }, null, 1),
    );
  }
}
