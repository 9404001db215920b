import { describe, expect, test } from "@jest/globals";
import { noDistortion } from "../optics/distortion.ts";
import {
  chooseFocal,
  clearDistortion,
  putCoefficient,
  putCrop,
  putFocal,
  putKit,
  putPrincipal,
  putSensor,
} from "./lensEdits.ts";
import { newMatch } from "./schema.ts";

const newLens = () => newMatch().lens;

describe("what is said of the lens", () => {
  test("a given focal length counts within its tolerance, and one that was held stays held", () => {
    const lens = newLens();
    putFocal(lens, { focalPx: 1200, source: "typed", as: "px", tolerance: 3 });
    expect(lens).toMatchObject({ focal: "tolerant", focalPx: 1200, source: "typed", givenAs: "px", tolerance: 1 });
    lens.focal = "hold";
    putFocal(lens, { focalPx: 1300, source: "EXIF", as: null });
    expect(lens).toMatchObject({ focal: "hold", focalPx: 1300, tolerance: 1, givenAs: null });
  });

  test("holding takes a first value only where there is none", () => {
    const lens = newLens();
    chooseFocal(lens, "hold", { focalPx: 900, source: "as solved" });
    expect(lens).toMatchObject({ focal: "hold", focalPx: 900, source: "as solved" });
    chooseFocal(lens, "tolerant", { focalPx: 1, source: "EXIF" });
    expect(lens).toMatchObject({ focal: "tolerant", focalPx: 900, source: "as solved" });
  });

  test("with another sensor, millimetres stay and pixels change (focal length in pixels is millimetres over the pitch)", () => {
    const lens = { ...newLens(), sensorMm: 36, focalPx: 1000, givenAs: "mm" as const };
    putSensor(lens, 24, true);
    expect(lens).toMatchObject({ sensorMm: 24, focalPx: 1500 });
    putSensor(lens, 36, false);
    expect(lens.focalPx).toBe(1500);
    const typed = { ...newLens(), sensorMm: 36, focalPx: 1000, givenAs: "horizontal" as const };
    putSensor(typed, 24, true);
    expect(typed.focalPx).toBe(1000);
  });

  test("a typed coefficient is not solved any more, and no distortion is none of five", () => {
    const lens = { ...newLens(), solveK1: true, solveK2: true };
    putCoefficient(lens, "k2", 0.03);
    expect([lens.solveK1, lens.solveK2]).toEqual([true, false]);
    clearDistortion(lens);
    expect(lens).toMatchObject({ solveK1: false, distortion: noDistortion(), distortionSource: "" });
  });

  test("one typed coordinate keeps the other, and a crop begins in the middle", () => {
    const lens = { ...newLens(), solvePrincipal: true };
    putPrincipal(lens, [400, 300], 1, 310);
    expect(lens).toMatchObject({ principal: [400, 310], solvePrincipal: false });
    putCrop(lens, { width: 800, height: 600 });
    expect(lens).toMatchObject({ principal: null, crop: { width: 800, height: 600, left: 0, top: 0 } });
    putCrop(lens, null);
    expect(lens.crop).toBeNull();
  });

  test("a kit says all of the lens, with what it leaves open as tolerance", () => {
    const lens = { ...newLens(), solveK1: true, solvePrincipal: true, sensorMm: 23.5 };
    const kit = { name: "Harbour wide", sensorMm: null, entries: [] };
    const distortion = { ...noDistortion(), k1: -0.02 };
    putKit(lens, kit, { focalPx: 1000, sigmaPx: 10, distortion, principal: [1, 2] } as never);
    expect(lens).toMatchObject({
      focal: "tolerant",
      focalPx: 1000,
      tolerance: 0.01,
      sensorMm: 23.5,
      distortion,
      principal: [1, 2],
      solveK1: false,
      solvePrincipal: false,
      source: "lens kit “Harbour wide”",
    });
  });
});
