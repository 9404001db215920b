import { srgbEncoding } from "#core/image/profile";
import type { PlateInfo } from "#core/plate/schema";
import type { Vec3 } from "#core/math/vec3";
import type { Prop } from "#core/props/schema";
import { plainProp } from "#core/props/schema";
import type { Shot } from "#core/shot/schema";
import { newShot } from "#core/shot/schema";
import { NO_EXIF } from "#node/exif";

/** A plate without a file behind it. */
export const testPlate = (width: number, height: number): PlateInfo => ({
  asset: "0".repeat(64),
  codes: "0".repeat(64),
  fileName: "a.png",
  width,
  height,
  encoding: srgbEncoding(8),
  profile: null,
  exif: { ...NO_EXIF },
  owner: "",
  licence: "",
  drawing: false,
});

export const testShot = (width = 640, height = 480): Shot => newShot("Test", testPlate(width, height));

/** A matt grey box of a metre. */
export const boxProp = (position: Vec3, turnDeg = 0): Prop => ({
  id: "prop-1",
  name: "Box",
  source: {
    kind: "shape",
    shape: { kind: "box", size: [1, 1, 1], bevel: 0 },
    colour: [0.5, 0.5, 0.5],
    roughness: 1,
    metallic: 0,
  },
  placement: { position, turnDeg, leanDeg: [0, 0], scale: [1, 1, 1] },
  keeps: "metres",
  ...plainProp(),
});
