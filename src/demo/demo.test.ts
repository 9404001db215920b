import { execFile } from "node:child_process";
import { createHash } from "node:crypto";
import { promisify } from "node:util";
import { describe, expect, test } from "@jest/globals";
import validator from "gltf-validator";
import type { Vec3 } from "#core/math/vec3";
import { compositeCodes } from "#core/comp/composite";
import { ciede2000, linearToLab } from "#core/colour/difference";
import { srgbToLinear } from "#core/colour/srgb";
import { projectPoint } from "#core/optics/camera";
import { standing } from "#core/props/transform";
import { SOFT } from "#core/trace/filter";
import type { PlateInfo } from "#core/plate/schema";
import { openPlate } from "#node/plates";
import { readExr } from "#core/image/exrRead";
import { plateOf } from "#node/plateRows";
import { renderShot } from "#node/renderShot";
import { renderScene } from "#node/renderScene";
import { FILM_SAMPLES } from "#kernel/layout";
import type { InsertionFigures } from "../testing/insertion.ts";
import { GREY_CARD } from "./greyCard.ts";
import { netloft } from "./netloft.ts";
import type { Place } from "./photograph.ts";
import { netloftShot, slipwayShot } from "./otherShots.ts";
import * as quay from "./quay.ts";
import { ZENITH, boatPlace, slipway } from "./slipway.ts";
import { recipeHash } from "./recipe.ts";
import { demoFile, demoShot, quayTruth } from "./shot.ts";

const sha = (bytes: Uint8Array) => createHash("sha256").update(bytes).digest("hex");

/** A place's plate as the library would store it. */
async function plateInfo(place: string) {
  const jpeg = await demoFile("plate.jpg", place);
  const plate = await openPlate(jpeg, `${place}.jpg`);
  const info: PlateInfo = {
    asset: sha(jpeg),
    codes: sha(plate.codes as Uint8Array),
    fileName: `${place}.jpg`,
    width: plate.width,
    height: plate.height,
    encoding: plate.encoding,
    profile: null,
    exif: plate.exif,
    owner: "",
    licence: "",
    drawing: false,
  };
  return { info, plate };
}

async function quayShot() {
  const { info, plate } = await plateInfo("quay");
  const shot = await demoShot(info, plate.codes as Uint8Array, sha(await demoFile("buoy.glb")));
  return { shot, plate: plateOf(shot, plate.codes as Uint8Array), exif: plate.exif };
}

async function made(place: string) {
  if (place === "quay") return quayShot();
  const { info, plate } = await plateInfo(place);
  const none = "0".repeat(64);
  const shot =
    place === "netloft"
      ? await netloftShot(info, plate.codes as Uint8Array, { kettle: none, float: none })
      : await slipwayShot(info, plate.codes as Uint8Array, none, boatPlace);
  return { shot, plate: plateOf(shot, plate.codes as Uint8Array), exif: plate.exif };
}
const kept = new Map<string, ReturnType<typeof made>>();

/** The demo's shots with their plates, made once: their probes take long within the test runner. */
async function shotOf(place: string) {
  if (!kept.has(place)) kept.set(place, made(place));
  const { shot, ...rest } = await kept.get(place)!;
  return { shot: structuredClone(shot), ...rest };
}

describe("the committed demo", () => {
  test.each(["quay", "netloft", "slipway"])("%s belongs to its recipe, file by file", async (place) => {
    const text = new TextDecoder().decode(await demoFile("recipe.json", place));
    const recipe = JSON.parse(text) as { recipe: string; files: Record<string, string> };
    expect(recipe.recipe).toBe(recipeHash(place));
    for (const [name, hash] of Object.entries(recipe.files))
      expect([name, sha(await demoFile(name, place))]).toEqual([name, hash]);
  });

  test.each([
    ["quay", "buoy.glb"],
    ["netloft", "kettle.glb"],
    ["netloft", "float.glb"],
    ["slipway", "boat.glb"],
  ])("%s: %s is a valid glTF file by the Khronos validator", async (place, name) => {
    const report = await validator.validateBytes(await demoFile(name, place));
    expect(report.issues.numErrors).toBe(0);
    expect(report.issues.numWarnings).toBe(0);
  });

  test("a part of the plate rendered again looks like the committed one", async () => {
    const committed = readExr(await demoFile("clean.exr"), 3);
    const region = { x0: 980, y0: 560, x1: 1300, y1: 640 };
    const film = await renderScene(
      {
        camera: quay.camera,
        frame: quay.frame,
        set: [],
        props: [{ model: quay.quayModel(), placement: standing() }],
        sun: quay.sun,
        sky: quay.sky,
        floor: null,
        plate: null,
        mask: null,
        backdrop: null, // the crop shows no sky
        picture: true,
      },
      { ...quay.frame, seed: 9, maxDepth: 8, filter: SOFT },
      { samples: 16, region },
    );
    let sum = 0;
    let n = 0;
    for (let y = region.y0; y < region.y1; y++) {
      for (let x = region.x0; x < region.x1; x++) {
        const i = y * quay.frame.width + x;
        const own = [0, 1, 2].map(
          (k) => film.pixels[i * film.layout.stride + k] / film.pixels[i * film.layout.stride + FILM_SAMPLES],
        ) as Vec3;
        const [r, g, b] = committed.pixels.subarray(i * 3, i * 3 + 3);
        sum += ciede2000(linearToLab(...own), linearToLab(r, g, b));
        n++;
      }
    }
    expect(sum / n).toBeLessThan(2);
  });

  test("its EXIF is read, and its equivalent agrees with the lens of the truth", async () => {
    const { exif } = await openPlate(await demoFile("plate.jpg"), "plate.jpg");
    expect(exif).toMatchObject({
      camera: "Skerry Optical SK-1",
      focalMm: 27.5,
      equivalentMm: 27,
      taken: "2026-06-18 09:42:10",
    });
    const diagonal = (quay.camera.focalPx * Math.hypot(36, 24)) / Math.hypot(1620, 1080);
    expect(Math.abs(diagonal - 27)).toBeLessThan(1);
  });
});

describe("the quay solved from its marks", () => {
  test("camera, sun, and a metre cube at the prop's place agree with the truth", async () => {
    const { shot } = await shotOf("quay");
    const { camera } = shot.solved!;
    expect(Math.abs(camera.focalPx / quay.camera.focalPx - 1)).toBeLessThan(0.01);
    expect(camera.distortion.k1).toBeCloseTo(quay.camera.distortion.k1, 2);
    const [x, y, z] = (await quayTruth()).buoy.position;
    for (let i = 0; i < 8; i++) {
      const corner: Vec3 = [x + (i & 1 ? 0.5 : -0.5), y + (i & 2 ? 0.5 : -0.5), z + (i & 4 ? 1 : 0)];
      const [a, b] = [projectPoint(camera, corner)!, projectPoint(quay.camera, corner)!];
      expect(Math.hypot(a[0] - b[0], a[1] - b[1])).toBeLessThan(3);
    }
    expect(Math.abs(shot.light.sun.elevationDeg - 37)).toBeLessThan(0.5);
    expect(Math.abs(shot.light.sun.azimuthDeg - 121)).toBeLessThan(1);
    // Four lit patches of different stones tell the level.
    const ratio = (a: readonly number[], b: readonly number[], k: number) => a[k] / b[k];
    const level = shot.light.sun.irradiance[1] / quay.sun.irradiance[1];
    expect(Math.abs(level - 1)).toBeLessThan(0.05);
    for (const k of [0, 2]) {
      expect(Math.abs(ratio(shot.light.sun.irradiance, quay.sun.irradiance, k) / level - 1)).toBeLessThan(0.1);
    }
    for (const k of [0, 1, 2]) {
      const sunToSky = shot.light.sun.irradiance[k] / shot.light.sky.radiance[k];
      expect(Math.abs(sunToSky / (quay.sun.irradiance[k] / quay.sky[k]) - 1)).toBeLessThan(0.05);
    }
  });

  test("ten lit and shaded places that were not probed, by their cosine to the sun and the share of sky that they see, get the light of the truth within 3 %", async () => {
    const { shot } = await shotOf("quay");
    const { sun, sky } = shot.light;
    // Lambert: sun by its cosine, sky by the share of it that is seen; the same geometry for both rigs.
    const places = [1, 0.9, 0.6, 0.3, 0.1, 0, 0, 0, 0, 0].map((cosine, i) => ({ cosine, open: 1 - 0.09 * i }));
    for (const { cosine, open } of places)
      for (const k of [0, 1, 2]) {
        const light = (e: number, l: number) => cosine * e + Math.PI * open * l;
        const off = light(sun.irradiance[k], sky.radiance[k]) / light(quay.sun.irradiance[k], quay.sky[k]) - 1;
        expect(Math.abs(off)).toBeLessThan(0.03);
      }
  });
});

describe("light recovered by its probes", () => {
  test("slipway: the overcast sky from two patches of masonry", async () => {
    const { shot } = await shotOf("slipway");
    // 7/9 of the zenith on level ground (Moon and Spencer); the truth's clouds take 1.6 % of it. The stones of both
    // patches together are as bright as the masonry's mean within 1 %.
    shot.light.sky.radiance.forEach((c, k) => expect(Math.abs(c / ((ZENITH[k] * 7) / 9) - 1)).toBeLessThan(0.03));
  });

  test("net loft: its windows from five patches of wood", async () => {
    const { shot } = await shotOf("netloft");
    const panes = netloft()
      .pieces.flatMap(({ model }) => model.materials)
      .find(({ name }) => name === "panes")!;
    Object.values(shot.light.lamps).forEach(({ colour, level }) => {
      expect(Math.abs((colour[1] * level) / panes.emissive[1] - 1)).toBeLessThan(0.05);
    });
  });
});

describe("without a prop", () => {
  test.each(["quay", "netloft", "slipway"])("%s: the composite equals the plate in every value", async (place) => {
    const { shot, plate } = await shotOf(place);
    const bare = { ...shot, props: {}, light: { ...shot.light, density: 1.5 } };
    for (const material of Object.values(bare.materials)) material.gloss = 1;
    const passes = await renderShot(bare, plate, new Map(), { percent: 100, samples: 1 });
    expect(Buffer.from(compositeCodes(plate, passes)).equals(Buffer.from(plate.codes))).toBe(true);
  });
});

/** Figures of a case, from a process of its own: numeric code is slow within the test runner. */
async function insertionFigures(name: string, samples: number): Promise<InsertionFigures> {
  const { stdout } = await promisify(execFile)(process.execPath, [
    "--import",
    "./scripts/typescript.mjs",
    "src/testing/insertionRun.ts",
    name,
    String(samples),
  ]);
  console.log(`${name}, ${samples} samples, denoised:`, stdout);
  return JSON.parse(stdout) as InsertionFigures;
}

describe("insertion figures: the documents as they ship, on the clean plates", () => {
  // Limits a third above what is seen with so few samples.
  test.each([
    ["quay", 24, { mean: 0.44, percentile95: 1.8, contact: 1.25, lightness: 0.25 }],
    ["slipway", 12, { mean: 0.42, percentile95: 1.5, contact: 1.2, lightness: 0.54 }],
    // Glass is slower to calm than the rest.
    ["netloft", 16, { mean: 0.53, percentile95: 2.1, contact: 3.5, lightness: 0.7 }],
    ["shade-region", 24, { mean: 0.46, percentile95: 1.96, contact: 1.52, lightness: 0.25 }],
  ])(
    "%s",
    async (name, samples, limits) => {
      const figures = await insertionFigures(name, samples);
      expect(figures.mean).toBeLessThan(limits.mean);
      expect(figures.percentile95).toBeLessThan(limits.percentile95);
      expect(figures.contactMean).toBeLessThan(limits.contact);
      expect(Math.abs(figures.propLightness)).toBeLessThan(limits.lightness);
    },
    300_000,
  );
});

test("grey-card readings are the mean reflectances of what was photographed", () => {
  const meanOf = (place: Place, named: string): Vec3 => {
    const model = place.pieces.map((p) => p.model).find((m) => m.materials.some(({ name }) => name === named))!;
    const { baseColor, baseTexture } = model.materials.find(({ name }) => name === named)!;
    if (baseTexture === null) return baseColor.slice(0, 3) as Vec3;
    const { texels } = model.textures[baseTexture];
    const sums: Vec3 = [0, 0, 0];
    for (let i = 0; i < texels.length; i += 4) for (let k = 0; k < 3; k++) sums[k] += srgbToLinear(texels[i + k] / 255);
    return sums.map((sum, k) => (sum / (texels.length / 4)) * baseColor[k]) as Vec3;
  };
  const places = { quay: quay.quay(), loft: netloft(), slip: slipway() };
  const wears: [keyof typeof GREY_CARD, Place, string][] = [
    ["paving", places.quay, "paving"],
    ["wallBoards", places.loft, "wall"],
    ["floorBoards", places.loft, "floor"],
    ["benchTop", places.loft, "bench"],
    ["tieBeams", places.loft, "beams"],
    ["paintedFrames", places.loft, "frames"],
    ["barrelStaves", places.loft, "barrel"],
    ["masonry", places.slip, "wall"],
    ["concrete", places.slip, "ramp"],
  ];
  expect(wears.map(([name]) => name).sort()).toEqual(Object.keys(GREY_CARD).sort());
  for (const [name, place, material] of wears)
    meanOf(place, material).forEach((mean, k) => expect(Math.abs(GREY_CARD[name][k] / mean - 1)).toBeLessThan(0.005));
});
