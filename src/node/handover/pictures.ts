import type { Sharp } from "sharp";
import sharp from "sharp";
import { codeStack } from "#core/comp/codeStack";
import { codesOver } from "#core/comp/composite";
import { mergeLayers } from "#core/comp/finish";
import { linearToCode, luminance } from "#core/colour/srgb";
import { isFloat, pixelEncoder, shownEncoding, shownLight } from "#core/image/profile";
import { readExrChannels } from "#core/image/exrRead";
import { readFile } from "node:fs/promises";
import { reencoded } from "../finishRowsJob.ts";
import { writePng } from "../png.ts";
import type { Exporter, HandOver } from "./exporter.ts";
import type { FinishedPicture } from "./finished.ts";
import { cutOf, sizedPicture } from "./sized.ts";
import { storedZip } from "./zip.ts";

/** Cut to the region and brought to the size that is asked for. */
function sized(image: Sharp, { choice }: HandOver, size: { width: number; height: number }): Sharp {
  const { to, ...box } = cutOf(choice, size);
  const cut = choice.region ? image.extract(box) : image;
  return choice.percent === 100 ? cut : cut.resize(to.width, to.height, { kernel: "lanczos3", fit: "fill" });
}

/** What a picture says of itself: software, date, and the plate's owner and licence. */
const exif = ({ shot, now }: HandOver) => {
  const { owner, licence } = shot.plates.main;
  const date = now.toISOString().slice(0, 19).replace("T", " ").replaceAll("-", ":");
  const focal = shot.solved ? `, focal length ${shot.solved.camera.focalPx.toFixed(1)} px` : "";
  return {
    IFD0: {
      Software: "Red Harbor",
      DateTime: date,
      ImageDescription: `${shot.name}${focal}`,
      ...(owner || licence ? { Copyright: [owner, licence].filter(Boolean).join(", ") } : {}),
    },
  };
};

/** The picture's codes as a file holds them: those of a plate of floats as sRGB of 16 bits. */
function shownCodes(picture: FinishedPicture): Uint8Array | Uint16Array {
  const { encoding } = picture.plate;
  return isFloat(encoding) ? reencoded(picture.codes, encoding, shownEncoding(encoding)) : picture.codes;
}

/** As 8 bits, in the plate's curve. */
const eight = (codes: Uint8Array | Uint16Array): Uint8Array =>
  codes instanceof Uint8Array ? codes : Uint8Array.from(codes, (c) => Math.round(c / 257));
const sixteen = (codes: Uint8Array | Uint16Array): Uint16Array =>
  codes instanceof Uint16Array ? codes : Uint16Array.from(codes, (c) => c * 257);

const raw = (codes: Uint8Array | Uint16Array, { width, height }: FinishedPicture) =>
  sharp(codes, { raw: { width, height, channels: 3 } });

export const png: Exporter = {
  write: async (over, sink) => {
    const picture = await over.picture();
    const codes = over.choice.bits === 16 ? sixteen(shownCodes(picture)) : eight(shownCodes(picture));
    const { region, percent } = over.choice;
    if (!region && percent === 100) {
      // Bit for bit the delivered picture, in its own profile.
      await sink.put("picture", "png", await writePng(codes, picture.width, picture.height, 3, over.profile));
      return;
    }
    const image = sized(raw(codes, picture), over, picture);
    const { data, info } = await (over.choice.bits === 16 ? image.toColourspace("rgb16") : image)
      .raw(over.choice.bits === 16 ? { depth: "ushort" } : {})
      .toBuffer({ resolveWithObject: true });
    const own =
      over.choice.bits === 16 ? new Uint16Array(data.buffer, data.byteOffset, data.length / 2) : new Uint8Array(data);
    await sink.put("picture", "png", await writePng(own, info.width, info.height, 3, over.profile));
  },
};

export const jpeg: Exporter = {
  write: async (over, sink) => {
    const picture = await over.picture();
    const bytes = await sized(raw(eight(shownCodes(picture)), picture), over, picture)
      .withExif(exif(over))
      .jpeg({ quality: over.choice.quality, chromaSubsampling: "4:4:4", mozjpeg: false })
      .toBuffer();
    await sink.put("picture", "jpg", new Uint8Array(bytes));
  },
};

export const tiff: Exporter = {
  write: async (over, sink) => {
    const picture = await over.picture();
    const bytes = await sized(raw(sixteen(shownCodes(picture)), picture), over, picture)
      .toColourspace("rgb16")
      .withExif(exif(over))
      .tiff({ compression: "deflate", predictor: "horizontal" })
      .toBuffer();
    await sink.put("picture", "tif", new Uint8Array(bytes));
  },
};

export const object: Exporter = {
  write: async (over, sink) => {
    const picture = await over.picture();
    const { width, height, layers } = picture;
    const shown = shownLight(picture.plate.encoding);
    const n = width * height;
    const rgba = (of: (i: number) => [number, number, number, number]) => {
      const out = new Uint8Array(n * 4);
      for (let i = 0; i < n; i++) {
        const [r, g, b, a] = of(i);
        out.set([r, g, b, Math.round(255 * Math.min(1, Math.max(0, a)))], i * 4);
      }
      return out;
    };
    const put = async (what: string, codes: Uint8Array, channels: 1 | 3 | 4) => {
      const image = sized(sharp(codes, { raw: { width, height, channels } }), over, picture);
      await sink.put(what, "png", new Uint8Array(await image.png({ compressionLevel: 6 }).toBuffer()));
    };
    const code = (light: number) => linearToCode(shown(light), 8);
    await put(
      "object",
      rgba((i) => {
        const a = layers.prop[i * 4 + 3];
        if (a <= 0) return [0, 0, 0, 0];
        return [code(layers.prop[i * 4] / a), code(layers.prop[i * 4 + 1] / a), code(layers.prop[i * 4 + 2] / a), a];
      }),
      4,
    );
    // Black that covers as much as the shadow takes.
    await put(
      "shadow",
      rgba((i) => [0, 0, 0, 1 - luminance(layers.ratio[i * 3], layers.ratio[i * 3 + 1], layers.ratio[i * 3 + 2])]),
      4,
    );
    await put(
      "reflection",
      rgba((i) => {
        const light = [0, 1, 2].map((k) => Math.max(0, layers.added[i * 3 + k]));
        const most = Math.min(1, Math.max(...light));
        return most > 0 ? [code(light[0] / most), code(light[1] / most), code(light[2] / most), most] : [0, 0, 0, 0];
      }),
      4,
    );
    if (!over.files.layers) return;
    const { channels } = readExrChannels(new Uint8Array(await readFile(over.files.layers)));
    for (const [name, values] of channels) {
      if (!name.startsWith("matte_")) continue;
      const grey = Uint8Array.from(values, (v) => Math.round(255 * Math.min(1, Math.max(0, v))));
      await put(name.replace(/\.A$/, "").replaceAll("_", "-"), grey, 1);
    }
  },
};

/** Layers from the bottom up, as they lie in the file. */
const STACK = [
  { file: "plate", name: "plate", mode: "svg:src-over" },
  { file: "shadow", name: "shadow", mode: "svg:multiply" },
  { file: "light", name: "reflection and bounce", mode: "svg:plus" },
  { file: "object", name: "object", mode: "svg:src-over" },
  { file: "darker", name: "grain and look, darker", mode: "svg:multiply" },
  { file: "lighter", name: "grain and look, lighter", mode: "svg:plus" },
] as const;

export const ora: Exporter = {
  write: async (over, sink) => {
    const picture = sizedPicture(await over.picture(), over.choice);
    const { width, height, layers, plate } = picture;
    const shown = shownEncoding(plate.encoding);
    const encode = pixelEncoder({ ...shown, bits: 8 });
    const own = eight(isFloat(plate.encoding) ? reencoded(plate.codes, plate.encoding, shown) : plate.codes);
    const behindLinear = mergeLayers({
      ...layers,
      prop: new Float32Array(layers.prop.length),
      cover: null,
      glow: null,
    });
    const behind = codesOver(
      { codes: own, encoding: { ...shown, bits: 8 } },
      behindLinear,
      picture.touched,
      encode,
    ) as Uint8Array;
    const finished = eight(shownCodes(picture));
    const alpha = Float32Array.from({ length: width * height }, (_, i) => layers.prop[i * 4 + 3]);
    const stack = { plate: own, ...codeStack(own, behind, finished, alpha) };
    const pngOf = (codes: Uint8Array, channels: 3 | 4) => writePng(codes, width, height, channels, over.profile);
    const xml = [
      '<?xml version="1.0" encoding="UTF-8"?>',
      `<image version="0.0.5" w="${width}" h="${height}">`,
      " <stack>",
      ...[...STACK]
        .reverse()
        .map(
          ({ file, name, mode }) =>
            `  <layer name="${name}" src="data/${file}.png" x="0" y="0" opacity="1.0" visibility="visible" composite-op="${mode}"/>`,
        ),
      " </stack>",
      "</image>",
      "",
    ].join("\n");
    const thumbnail = await sharp(finished, { raw: { width, height, channels: 3 } })
      .resize(256, 256, { fit: "inside" })
      .png()
      .toBuffer();
    const text = (s: string) => new TextEncoder().encode(s);
    const entries: [string, Uint8Array][] = [
      ["mimetype", text("image/openraster")],
      ["stack.xml", text(xml)],
    ];
    for (const { file } of STACK)
      entries.push([`data/${file}.png`, await pngOf(stack[file], file === "object" ? 4 : 3)]);
    entries.push(
      ["mergedimage.png", await pngOf(finished, 3)],
      ["Thumbnails/thumbnail.png", new Uint8Array(thumbnail)],
    );
    await sink.put("layers", "ora", storedZip(entries));
  },
};
