import { createHash } from "node:crypto";
import { mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { fileURLToPath } from "node:url";
import path from "node:path";
import sharp from "sharp";
import { colourChannels, writeExr } from "#core/image/exr";
import { anglesFromDirection } from "#core/light/sun";
import { groundPlane, orientationDegrees, pixelOnPlane, projectPoint } from "#core/optics/camera";
import { toDegrees } from "#core/math/vec3";
import type { Vec3 } from "#core/math/vec3";
import { standing } from "#core/props/transform";
import { renderScene } from "#node/renderScene";
import { FILM_FLOATS, FILM_SAMPLES } from "#kernel/layout";
import { buoyGlb, buoyModel } from "./buoy.ts";
import { NOISE, SHOULDER, SOFTNESS, despeckle, develop } from "./develop.ts";
import * as quay from "./quay.ts";
import { recipeHash } from "./recipe.ts";

/** Makes the demo again: `npm run demo:build [-- SAMPLES]`. About 20 minutes on two cores at 320 samples. */

const samples = Number(process.argv[2] ?? 320);
const out = fileURLToPath(new URL("../../demo/quay/", import.meta.url));
mkdirSync(out, { recursive: true });
const { width, height } = quay.frame;

const glb = await buoyGlb();
writeFileSync(path.join(out, "buoy.glb"), glb);
const town = { model: quay.quayModel(), placement: standing() };
const buoy = {
  model: await buoyModel(),
  placement: { ...standing(quay.buoyPlace.position), turn: quay.buoyPlace.turn },
};

async function photograph(name: string, props: (typeof town)[]): Promise<Float32Array> {
  const film = await renderScene(
    {
      camera: quay.camera,
      frame: quay.frame,
      set: [],
      props,
      sun: quay.sun,
      sky: quay.sky,
      floor: null,
      plate: null,
      mask: null,
      backdrop: quay.backdrop(),
      picture: true,
    },
    { width, height, seed: 1, maxDepth: 8, filterWidth: 1 },
    {
      samples,
      onProgress: (p) => process.stdout.write(`\r${name}: ${p.samples}/${samples}, ${Math.round(p.secondsLeft)} s left   `),
    },
  );
  process.stdout.write("\n");
  const pixels = new Float32Array(width * height * 3);
  for (let i = 0; i < width * height; i++) {
    const n = film[i * FILM_FLOATS + FILM_SAMPLES];
    for (let k = 0; k < 3; k++) pixels[i * 3 + k] = film[i * FILM_FLOATS + k] / n;
  }
  despeckle(pixels, width, height);
  return pixels;
}

async function saveJpeg(name: string, clean: Float32Array, seed: number): Promise<void> {
  const codes = develop(clean, width, height, seed);
  const jpeg = await sharp(codes, { raw: { width, height, channels: 3 } })
    .withExif({
      IFD0: { Make: "Skerry Optical", Model: "SK-1", Software: "demo:build" },
      IFD2: {
        DateTimeOriginal: "2026:06:18 09:42:10",
        FocalLength: "275/10",
        FocalLengthIn35mmFilm: "27",
        FNumber: "8/1",
        ExposureTime: "1/320",
        ISOSpeedRatings: "200",
        LensModel: "SK 27.5 mm f/2.8",
      },
    })
    .jpeg({ quality: 93, chromaSubsampling: "4:4:4" })
    .toBuffer();
  writeFileSync(path.join(out, name), jpeg);
}

/** Eight bits of mantissa: a fifth of a per cent, below the render's own noise, and a third smaller once packed. */
function saveClean(name: string, clean: Float32Array): void {
  const bits = new Uint32Array(clean.slice().buffer);
  for (let i = 0; i < bits.length; i++) bits[i] = ((bits[i] + 0x4000) & 0xffff8000) >>> 0;
  writeFileSync(path.join(out, name), writeExr(width, height, colourChannels(new Float32Array(bits.buffer), 3)));
}

const empty = await photograph("plate", [town]);
saveClean("clean.exr", empty);
await saveJpeg("plate.jpg", empty, 11);
const withBuoy = await photograph("with the buoy", [town, buoy]);
saveClean("clean-with-buoy.exr", withBuoy);
await saveJpeg("with-buoy.jpg", withBuoy, 12);

const pixel = (p: Vec3) => projectPoint(quay.camera, p);
const sighting = quay.sightingTruth();
const sunAngles = anglesFromDirection(quay.sun.direction);
const orientation = orientationDegrees(quay.camera.rotation);
const truth = {
  frame: quay.frame,
  samples,
  camera: { ...quay.camera, tiltDeg: orientation.tilt, rollDeg: orientation.roll, headingDeg: orientation.heading },
  sun: { ...quay.sun, azimuthDeg: toDegrees(sunAngles.azimuth), elevationDeg: toDegrees(sunAngles.elevation) },
  sky: quay.sky,
  response: { curve: "sRGB (IEC 61966-2-1) after a shoulder", shoulderFrom: SHOULDER, softnessPx: SOFTNESS, noise: NOISE },
  materials: town.model.materials.map((m) => ({ name: m.name, baseColor: m.baseColor, roughness: m.roughness, f0: m.f0 })),
  edges: quay.straightEdges.map((e) => ({ ...e, points: [pixel(e.from), pixel(e.to)] })),
  origin: pixel([0, 0, 0]),
  length: { ...quay.doorHeight, points: [pixel(quay.doorHeight.from), pixel(quay.doorHeight.to)] },
  sighting: { ...sighting, footPixel: pixel(sighting.foot), topPixel: pixel(sighting.top), tipPixel: pixel(sighting.tip) },
  ground: quay.groundPixels.map((p) => ({ pixel: p, world: pixelOnPlane(quay.camera, p, groundPlane()) })),
  probes: { lit: pixel(quay.probes.lit), shaded: pixel(quay.probes.shaded) },
  buoy: { position: quay.buoyPlace.position, turnDeg: toDegrees(quay.buoyPlace.turn) },
};
writeFileSync(path.join(out, "truth.json"), JSON.stringify(truth, null, 1));

const files = ["plate.jpg", "with-buoy.jpg", "clean.exr", "clean-with-buoy.exr", "buoy.glb", "truth.json"];
const hashes = Object.fromEntries(
  files.map((f) => [f, createHash("sha256").update(readFileSync(path.join(out, f))).digest("hex")]),
);
writeFileSync(path.join(out, "recipe.json"), JSON.stringify({ recipe: recipeHash(), samples, files: hashes }, null, 1));
