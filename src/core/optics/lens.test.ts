import { readFileSync } from "node:fs";
import { describe, expect, test } from "@jest/globals";
import { fieldsOfView } from "./camera.ts";
import { equivalents35mm, focalFromEquivalent } from "./camera.ts";
import { distort, noDistortion } from "./distortion.ts";
import type { LensFigure } from "./lens.ts";
import { focalFromFigure, lensFigures, principalOfCrop, sensorFromCrop } from "./lens.ts";
import type { LensDatabase } from "./lensDatabase.ts";
import { cameraName, cropOf, databaseDistortion, lensName, search } from "./lensDatabase.ts";
import { kitEntry, kitLens, withEntry } from "./lensKit.ts";
import { toDegrees } from "../math/vec3.ts";

const database = JSON.parse(
  readFileSync(new URL("../../web/public/lens-database.json", import.meta.url), "utf8"),
) as LensDatabase;
const APS = { width: 5184, height: 3456 };

describe("lens figures", () => {
  test("55 mm on a sensor 22.3 mm wide sees 22.9° across, at any size of the picture", () => {
    // Common practice, no published source (docs/design.md section 13).
    const focalPx = focalFromFigure("mm", 55, APS, 22.3)!;
    expect(Math.round(focalPx)).toBe(12786);
    expect(toDegrees(fieldsOfView({ focalPx, principal: [2592, 1728] }, APS).horizontal)).toBeCloseTo(22.9, 1);
    expect(lensFigures(focalPx, APS, 22.3).horizontal).toBeCloseTo(22.9, 1);
    const quarter = { width: 1296, height: 864 };
    expect(Math.round(focalFromFigure("mm", 55, quarter, 22.3)!)).toBe(3196);
  });

  test("a full 36 × 24 frame keeps its focal length by diagonal and by width; 4:3 tells them apart", () => {
    // CIPA DC-008 (EXIF 2.3) counts FocalLengthIn35mmFilm by the diagonal of 43.27 mm.
    const full = { width: 6000, height: 4000 };
    const figures = lensFigures(focalFromFigure("mm", 50, full, 36)!, full, 36);
    expect(figures.eqDiagonal).toBeCloseTo(50, 6);
    expect(figures.eqWidth).toBeCloseTo(50, 6);
    expect(Math.hypot(36, 24)).toBeCloseTo(43.27, 2);
    const square = { width: 4000, height: 3000 };
    const f = focalFromEquivalent(28, square);
    expect(equivalents35mm(f, square).diagonal).toBeCloseTo(28, 9);
    expect(equivalents35mm(f, square).width).toBeCloseTo((28 * 36 * 5) / (4 * Math.hypot(36, 24)), 6);
  });

  test("every figure drives the others back to itself, upright plates too", () => {
    for (const frame of [APS, { width: 3456, height: 5184 }]) {
      const figures = lensFigures(4321, frame, 23.5);
      for (const [figure, value] of Object.entries(figures))
        expect(focalFromFigure(figure as LensFigure, value!, frame, 23.5)).toBeCloseTo(4321, 6);
    }
    // 36 × 24 mm film with a 50 mm lens: 2 atan(18/50), 2 atan(12/50) and 2 atan(21.63/50).
    const film = lensFigures(
      focalFromFigure("mm", 50, { width: 3600, height: 2400 }, 36)!,
      { width: 3600, height: 2400 },
      36,
    );
    expect(film.horizontal).toBeCloseTo(39.6, 1);
    expect(film.vertical).toBeCloseTo(27.0, 1);
    expect(film.diagonal).toBeCloseTo(46.8, 1);
  });

  test("what cannot be is null: millimetres without a sensor, half a turn of view", () => {
    expect(focalFromFigure("mm", 50, APS, null)).toBeNull();
    expect(focalFromFigure("horizontal", 180, APS, 22.3)).toBeNull();
    expect(focalFromFigure("eqWidth", 0, APS, 22.3)).toBeNull();
    expect(lensFigures(1000, APS, null).mm).toBeNull();
  });

  test("the principal point of a crop is the whole picture's middle", () => {
    expect(principalOfCrop({ width: 6000, height: 4000, left: 1000, top: 500 })).toEqual([2000, 1500]);
  });
});

describe("the lens database", () => {
  test("cameras are found by the name in EXIF, and their sensors come out at the makers' size", () => {
    expect(database.cameras.length).toBeGreaterThan(800);
    // Maker's specification: 22.3 × 14.9 mm.
    const crop = cropOf(database, "Canon EOS 600D")!;
    expect(sensorFromCrop(crop, APS)).toBeCloseTo(22.3, 1);
    expect(sensorFromCrop(crop, { width: 3456, height: 5184 })).toBeCloseTo(22.3, 1);
    expect(cropOf(database, "No such camera")).toBeNull();
    expect(search(database.cameras, cameraName, "eos 600d")[0][1]).toBe("Canon EOS 600D");
  });

  test("a calibration becomes Brown-Conrady coefficients that follow its own polynomial", () => {
    const lens = search(database.lenses, lensName, "Canon EF 16-35mm f/2.8L II")[0];
    expect(lens.model).toContain("16-35mm");
    const frame = { width: 5760, height: 3840 };
    const [focal, a, b, c] = lens.distortion[0];
    const fitted = databaseDistortion(lens, focal, 36, frame)!;
    expect(fitted.misfitPx).toBeLessThan(4);
    // The database's own polynomial: r' = r (a r³ + b r² + c r + 1 − a − b − c), r = 1 at 12 mm from the middle.
    const mm = 20;
    const r = mm / 12;
    const bent = 12 * r * (a * r ** 3 + b * r ** 2 + c * r + 1 - a - b - c);
    const tangent = mm / focal;
    const [x] = distort(fitted.distortion, [tangent, 0]);
    expect(x * focal * fitted.focalScale).toBeCloseTo(bent, 1);
    expect(databaseDistortion(lens, 70, 36, frame)).toBeNull();
  });
});

describe("lens kits", () => {
  const frame = { width: 6000, height: 4000 };
  const camera = (focalPx: number, k1: number) => ({
    focalPx,
    principal: [3010, 1990] as [number, number],
    distortion: { ...noDistortion(), k1 },
    rotation: [
      [1, 0, 0],
      [0, 0, -1],
      [0, 1, 0],
    ] as [[number, number, number], [number, number, number], [number, number, number]],
    position: [0, 0, 1] as [number, number, number],
  });

  test("a prime serves plates of any size with its own shift and bend", () => {
    const kit = { name: "35 mm", sensorMm: 36, entries: [kitEntry(camera(5900, -0.03), frame, 35, 0.002)] };
    const half = kitLens(kit, { width: 3000, height: 2000 }, null)!;
    expect(half.focalPx).toBeCloseTo(2950, 9);
    expect(half.sigmaPx).toBeCloseTo(5.9, 9);
    expect(half.principal).toEqual([1505, 995]);
    expect(half.distortion.k1).toBe(-0.03);
  });

  test("a zoom goes through its entries, between them by ratio, and needs to know its focal length", () => {
    let kit = { name: "Zoom", sensorMm: 36, entries: [kitEntry(camera(4100, -0.05), frame, 24, 0.004)] };
    kit = withEntry(kit, kitEntry(camera(12000, 0.01), frame, 70, 0.002)) as typeof kit;
    expect(kit.entries.map((e) => e.focalMm)).toEqual([24, 70]);
    expect(kitLens(kit, frame, 24)!.focalPx).toBeCloseTo(4100, 6);
    expect(kitLens(kit, frame, 70)!.focalPx).toBeCloseTo(12000, 6);
    const between = kitLens(kit, frame, 40)!;
    // 24 mm is 170.8 px a millimetre here, 70 mm is 171.4: 40 mm lies between them.
    expect(between.focalPx / 40).toBeGreaterThan(4100 / 24);
    expect(between.focalPx / 40).toBeLessThan(12000 / 70);
    expect(between.distortion.k1).toBeGreaterThan(-0.05);
    expect(between.distortion.k1).toBeLessThan(0.01);
    expect(kitLens(kit, frame, null)).toBeNull();
    expect(withEntry(kit, kitEntry(camera(4200, -0.04), frame, 24.05, 0.003)).entries).toHaveLength(2);
  });
});
