import { expect, test } from "@jest/globals";
import { testShot } from "../../testing/shots.ts";
import { newMatte } from "../comp/mattes/index.ts";
import { COPIED_PARTS, copySettings, settingChanges, untakeable } from "./copySettings.ts";
import { parseShot } from "./schema.ts";

const partOf = (id: string) => COPIED_PARTS.find((p) => p.id === id)!;

test("what would change is listed by name; what is taken over is that, and the document stays valid", () => {
  const [here, there] = [testShot(), testShot()];
  there.comp.grain.strength = 0.6;
  there.comp.look.saturation = 0.8;
  there.light.sun.elevationDeg = 12;
  there.comp.mattes = { m: newMatte("Bollard") };
  Object.assign(there.comp.props, { on: true, matte: "m" });
  expect(settingChanges(here, there, partOf("comp.grain"))).toEqual([{ name: "strength", from: "1", to: "0.6" }]);
  expect(settingChanges(here, there, partOf("light.sky"))).toEqual([]);
  expect(settingChanges(here, there, partOf("light.sun"))[0].name).toBe("elevation in °");
  copySettings(here, there, ["comp.grain", "comp.props", "light.sun"]);
  expect(here.comp.grain).toEqual(there.comp.grain);
  expect(here.light.sun).toEqual(there.light.sun);
  expect(here.comp.look).toEqual(testShot().comp.look);
  // Its matte stayed behind.
  expect(here.comp.props).toEqual({ ...there.comp.props, matte: null });
  expect(() => parseShot(here)).not.toThrow();
  copySettings(here, there, ["comp.mattes", "comp.props"]);
  expect(here.comp.props.matte).toBe("m");
});

test("the camera is among them only by name", () => {
  expect(COPIED_PARTS.filter((p) => p.onlyNamed).map((p) => p.id)).toEqual(["lens", "solved"]);
  const [here, there] = [testShot(), testShot()];
  there.lens.focalPx = 900;
  copySettings(
    here,
    there,
    COPIED_PARTS.filter((p) => !p.onlyNamed).map((p) => p.id),
  );
  expect(here.lens).toEqual(testShot().lens);
});

test("a camera of another frame is not taken, and it is said why: it would stretch the render", () => {
  const [here, there] = [testShot(), testShot()];
  there.lens.focalPx = 900;
  copySettings(here, there, ["lens"]);
  expect(here.lens.focalPx).toBe(900);
  there.plates.main.width *= 2;
  there.lens.focalPx = 1800;
  const { width, height } = here.plates.main;
  expect(untakeable(here, there, partOf("lens"))).toContain(`frame of another shape, ${2 * width} × ${height} px`);
  expect(untakeable(here, there, partOf("comp.look"))).toBeNull();
  copySettings(here, there, ["lens"]);
  expect(here.lens.focalPx).toBe(900);
});

test("of a frame of the same shape and another size, what counts pixels counts as many more", () => {
  const [here, there] = [testShot(960, 640), testShot(2400, 1600)];
  there.lens.focalPx = 2500;
  there.lens.principal = [1205, 790];
  there.comp.reflection.blurPx = 5;
  there.comp.look.saturation = 0.9;
  expect(untakeable(here, there, partOf("lens"))).toBeNull();
  expect(settingChanges(here, there, partOf("lens"))).toEqual([
    { name: "focal in px", from: "none", to: "1000" },
    { name: "principal", from: "none", to: "482 316" },
  ]);
  copySettings(here, there, ["lens", "comp.reflection", "comp.look"]);
  expect([here.lens.focalPx, here.lens.principal]).toEqual([1000, [482, 316]]);
  expect(here.comp.reflection.blurPx).toBeCloseTo(2, 12);
  expect(here.comp.look.saturation).toBe(0.9);
  expect([here.plates.main.width, there.lens.focalPx]).toEqual([960, 2500]);
});
