import { mkdtemp, mkdir, readFile, rm, writeFile } from "node:fs/promises";
import { tmpdir } from "node:os";
import path from "node:path";
import sharp from "sharp";
import { ciede2000, linearToLab } from "#core/colour/difference";
import type { Lab } from "#core/colour/difference";
import { linearToSrgb, srgbToLinear } from "#core/colour/srgb";
import type { Vec2 } from "#core/math/vec3";
import { cameraOf } from "#core/render/scene";
import { modelOf, placementOf } from "#core/props/placed";
import { BandFolder } from "#node/bandFolder";
import { writeFinal } from "#node/finalFiles";
import { renderIntoFolder } from "#node/renderShot";
import type { DemoPlace } from "../demo/documents.ts";
import { DEMO_PLACES, documentOf } from "../demo/documents.ts";
import { CASES, truthOf } from "../demo/insertions.ts";
import { demoFile } from "../demo/shot.ts";
import { readExr } from "#core/image/exrRead";
import { contactsOf } from "./insert.ts";

/**
 * The figure that counts: the finished picture that a user gets of each demo document, against the photograph in which
 * its props really stood.
 */
export interface Believable {
  /** Pixels that prop and shadow really change. */
  pixels: number;
  /** Mean CIEDE2000 of single pixels; grain against grain is in it. */
  mean: number;
  /** CIEDE2000 of 5 × 5 means: what is seen at a glance. */
  tone: { mean: number; percentile95: number };
  /** Of the tone, signed: lighter and more colourful than the photograph are positive. */
  lightness: number;
  chroma: number;
  /** Mean CIEDE2000 of the tone by what is there. */
  prop: number;
  shadow: number;
  contact: number;
}

export interface Photographs {
  width: number;
  height: number;
  /** Without grain: linear Rec. 709 without and with the props. */
  clean: Float32Array;
  cleanWith: Float32Array;
  /** sRGB codes of 8 bits. */
  photograph: Uint8Array;
  picture: Uint8Array;
  /** Coverage of the props, 0 to 1. */
  alpha: Float32Array;
  contacts: Vec2[];
}

const RADIUS = 2;
/** Change of a 5 × 5 mean, in codes of 8 bits, from which a pixel is one that the props change. */
const CHANGED = 6;
/** Pixels from where a prop touches what it stands on. */
const CONTACT = 12;

/** The figure over the pixels whose 5 × 5 means the props change by more than 6/255; nothing is grown. */
export function believableFigures(p: Photographs): Believable {
  const { width, height } = p;
  const code = (linear: Float32Array) => (i: number) => 255 * linearToSrgb(linear[i]);
  const [without, withProps] = [code(p.clean), code(p.cleanWith)];
  const linearOf = (codes: Uint8Array) => (i: number) => srgbToLinear(codes[i] / 255);
  const [photograph, picture] = [linearOf(p.photograph), linearOf(p.picture)];
  const meanOf = (value: (i: number) => number, x: number, y: number): Lab => {
    const sum: Lab = [0, 0, 0];
    for (let dy = -RADIUS; dy <= RADIUS; dy++)
      for (let dx = -RADIUS; dx <= RADIUS; dx++)
        for (let k = 0; k < 3; k++) sum[k] += value(((y + dy) * width + x + dx) * 3 + k);
    return sum.map((s) => s / (2 * RADIUS + 1) ** 2) as Lab;
  };
  const single: number[] = [];
  const tone: number[] = [];
  const parts = { prop: [] as number[], shadow: [] as number[], contact: [] as number[] };
  let [lightness, chroma] = [0, 0];
  for (let y = RADIUS; y < height - RADIUS; y++) {
    for (let x = RADIUS; x < width - RADIUS; x++) {
      const [a, b] = [meanOf(without, x, y), meanOf(withProps, x, y)];
      if (!(Math.max(...a.map((v, k) => Math.abs(v - b[k]))) > CHANGED)) continue;
      const at = y * width + x;
      const lab = (value: (i: number) => number) => linearToLab(value(at * 3), value(at * 3 + 1), value(at * 3 + 2));
      single.push(ciede2000(lab(photograph), lab(picture)));
      const [t, c] = [linearToLab(...meanOf(photograph, x, y)), linearToLab(...meanOf(picture, x, y))];
      const off = ciede2000(t, c);
      tone.push(off);
      lightness += c[0] - t[0];
      chroma += Math.hypot(c[1], c[2]) - Math.hypot(t[1], t[2]);
      if (p.alpha[at] > 0.99) parts.prop.push(off);
      else if (p.alpha[at] < 0.01) parts.shadow.push(off);
      if (p.contacts.some(([u, v]) => Math.hypot(u - x - 0.5, v - y - 0.5) <= CONTACT)) parts.contact.push(off);
    }
  }
  const mean = (list: number[]) => list.reduce((s, v) => s + v, 0) / list.length;
  const sorted = [...tone].sort((a, b) => a - b);
  return {
    pixels: single.length,
    mean: mean(single),
    tone: { mean: mean(tone), percentile95: sorted[Math.floor(0.95 * sorted.length)] },
    lightness: lightness / tone.length,
    chroma: chroma / tone.length,
    prop: mean(parts.prop),
    shadow: mean(parts.shadow),
    contact: mean(parts.contact),
  };
}

/**
 * Renders a demo document as a final with so many samples, or with its own for null, and compares its picture with the
 * photograph of its props.
 */
export async function believable(place: DemoPlace, samples: number | null, keep?: string): Promise<Believable> {
  const { shot, plate, models } = await documentOf(place);
  const folder = await mkdtemp(path.join(tmpdir(), "harbor-believable-"));
  try {
    const choice = { ...shot.render, percent: 100, samples: samples ?? shot.render.samples, denoise: true };
    const bands = new BandFolder(path.join(folder, "bands"), place);
    const layout = await renderIntoFolder(shot, plate, models, choice, bands);
    await mkdir(path.join(folder, "files"));
    const { files } = await writeFinal(path.join(folder, "files"), shot, plate, null, choice, layout, bands);
    const file = (name: string) => path.join(folder, "files", files[name]);
    const codes = async (source: string | Uint8Array) =>
      new Uint8Array(await sharp(source).toColourspace("srgb").removeAlpha().raw().toBuffer());
    const prop = await sharp(file("prop")).extractChannel(3).raw({ depth: "uchar" }).toBuffer();
    const clean = readExr(await demoFile("clean.exr", place), 3);
    const c = CASES[place];
    const camera = cameraOf(shot)!;
    const pieces = Object.values(shot.props).map((p) => ({ model: modelOf(p, models)!, placement: placementOf(p) }));
    if (keep) {
      await mkdir(keep, { recursive: true });
      await writeFile(path.join(keep, `${place}.png`), await readFile(file("picture")));
    }
    return believableFigures({
      width: plate.width,
      height: plate.height,
      clean: clean.pixels,
      cleanWith: await truthOf(c, clean),
      photograph: await codes(await demoFile(DEMO_PLACES[place], place)),
      picture: await codes(file("picture")),
      alpha: Float32Array.from(prop, (v) => v / 255),
      contacts: contactsOf(pieces, camera),
    });
  } finally {
    await rm(folder, { recursive: true, force: true });
  }
}
