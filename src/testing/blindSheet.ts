import { readFile, writeFile } from "node:fs/promises";
import path from "node:path";
import sharp from "sharp";
import { DEMO_PLACES } from "../demo/documents.ts";
import type { DemoPlace } from "../demo/documents.ts";
import { demoFile } from "../demo/shot.ts";
import { seeded } from "./random.ts";

/**
 * npm run sheet:blind -- FOLDER: twelve crops without a label, six of the photographs in which the props really stood and six
 * of composites (FOLDER has the pictures that `npm run bench:believable -- 64 FOLDER` kept). The key lies in a file of its own.
 */
const folder = process.argv[2];
if (!folder) throw new Error("Name the folder with the pictures: npm run sheet:blind -- FOLDER");
const [WIDTH, HEIGHT, GAP, COLUMNS] = [400, 300, 6, 4];
/** Middles of what is looked at, as shares of the frame: the prop, its foot, its shadow, its reflection. */
const SPOTS: Record<DemoPlace, [number, number][]> = {
  quay: [
    [0.49, 0.5],
    [0.42, 0.66],
    [0.5, 0.4],
    [0.36, 0.64],
  ],
  netloft: [
    [0.45, 0.55],
    [0.55, 0.6],
    [0.4, 0.6],
    [0.5, 0.5],
  ],
  slipway: [
    [0.5, 0.6],
    [0.4, 0.65],
    [0.6, 0.6],
    [0.5, 0.7],
  ],
};
const random = seeded(20261129);
const crops: { place: DemoPlace; real: boolean; bytes: Buffer }[] = [];
for (const place of Object.keys(DEMO_PLACES) as DemoPlace[]) {
  const real = await demoFile(DEMO_PLACES[place], place);
  const made = await readFile(path.join(folder, `${place}.png`));
  const { width, height } = await sharp(made).metadata();
  for (const [i, [u, v]] of SPOTS[place].entries()) {
    const isReal = i % 2 === 0;
    const left = Math.round(Math.min(width - WIDTH, Math.max(0, u * width - WIDTH / 2)));
    const top = Math.round(Math.min(height - HEIGHT, Math.max(0, v * height - HEIGHT / 2)));
    const bytes = await sharp(isReal ? Buffer.from(real) : made)
      .extract({ left, top, width: WIDTH, height: HEIGHT })
      .png()
      .toBuffer();
    crops.push({ place, real: isReal, bytes });
  }
}
for (let i = crops.length - 1; i > 0; i--) {
  const j = Math.floor(random() * (i + 1));
  [crops[i], crops[j]] = [crops[j], crops[i]];
}
const rows = Math.ceil(crops.length / COLUMNS);
await sharp({
  create: {
    width: COLUMNS * (WIDTH + GAP) + GAP,
    height: rows * (HEIGHT + GAP) + GAP,
    channels: 3,
    background: "#767472",
  },
})
  .composite(
    crops.map(({ bytes }, i) => ({
      input: bytes,
      left: GAP + (i % COLUMNS) * (WIDTH + GAP),
      top: GAP + Math.floor(i / COLUMNS) * (HEIGHT + GAP),
    })),
  )
  .jpeg({ quality: 94, chromaSubsampling: "4:4:4" })
  .toFile("docs/blind-sheet.jpg");
const key = crops.map(({ place, real }, i) => `${i + 1}. ${place}: ${real ? "photograph" : "composite"}`);
await writeFile("docs/blind-key.md", `# Key of blind-sheet.jpg\n\nFrom the left, row by row.\n\n${key.join("\n")}\n`);
process.stdout.write("docs/blind-sheet.jpg, docs/blind-key.md\n");
