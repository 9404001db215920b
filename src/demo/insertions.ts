import { readExr } from "#core/image/exrRead";
import type { ShadedRegion } from "#core/light/casters";
import type { Vec2 } from "#core/math/vec3";
import { toDegrees } from "#core/math/vec3";
import { MAIN_PLATE } from "#core/plate/schema";
import { traceSceneOf } from "#core/render/scene";
import type { Shot } from "#core/shot/schema";
import type { Picture, TraceScene } from "#core/trace/scene";
import type { Region } from "#core/trace/tiles";
import type { DemoPlace } from "./documents.ts";
import { documentOf } from "./documents.ts";
import * as quay from "./quay.ts";
import { demoFile } from "./shot.ts";

/**
 * The demo documents' props inserted into the clean plates, through the same function as finals: what a document says,
 * without grain, softness and JPEG.
 */

/** What is inserted where, and what the picture with it really there is. */
export interface InsertionCase {
  place: DemoPlace;
  /** File of the truth, and the part of the plate that it covers if it is not the whole. */
  truth: string;
  part?: Region;
  region: Region;
  /** What the case changes of the document. */
  change?: (shot: Shot) => void;
}

/** The border of the house's shadow as a user clicks around it on the plate, half-way between dark and lit; then along the house. */
function markedShade(): Pick<ShadedRegion, "points" | "feather"> {
  const points: Vec2[] = [
    // The corner's line, the notch of the verge, the eaves, the ridge.
    [1103.7, 597],
    [704.5, 582.2],
    [691.5, 586.6],
    [683.5, 586.6],
    [649, 521.8],
    [676, 515.3],
    [700, 514.5],
    [905, 513.2],
    // The foot of the wall.
    [906, 532],
    [1099, 592.5],
  ];
  return { points, feather: 1 };
}

/** The quay's buoy half in the ice house's shadow. */
const inShade = (change?: (shot: Shot) => void): InsertionCase => ({
  place: "quay",
  truth: "clean-with-buoy-in-shade.exr",
  part: quay.SHADE_REGION,
  region: quay.SHADE_REGION,
  change: (shot) => {
    const { position, turn, lean, scale } = quay.shadePlacement;
    const leanDeg: [number, number] = [toDegrees(lean[0]), toDegrees(lean[1])];
    shot.props["prop-1"].placement = { position, turnDeg: toDegrees(turn), leanDeg, scale };
    change?.(shot);
  },
});

export const CASES: Record<string, InsertionCase> = {
  quay: { place: "quay", truth: "clean-with-buoy.exr", region: { x0: 330, y0: 300, x1: 1010, y1: 800 } },
  "shade-blocker": inShade(),
  "shade-region": inShade((shot) => {
    delete shot.set["block-1"];
    shot.light.shadows["shade-1"] = { id: "shade-1", plate: MAIN_PLATE, hidesSky: 1, ...markedShade() };
  }),
  netloft: { place: "netloft", truth: "clean-with-props.exr", region: { x0: 120, y0: 330, x1: 900, y1: 680 } },
  slipway: { place: "slipway", truth: "clean-with-boat.exr", region: { x0: 220, y0: 270, x1: 900, y1: 690 } },
};

/** The scene of a case with its clean plate. */
export async function prepare(c: InsertionCase): Promise<{ scene: TraceScene; without: Picture }> {
  const without = readExr(await demoFile("clean.exr", c.place), 3);
  const { shot, models } = await documentOf(c.place);
  c.change?.(shot);
  return { scene: traceSceneOf(shot, without, models), without };
}

/** The scene of a case, and the part of the plate that its props touch. */
export async function sceneOf(name: string): Promise<{ scene: TraceScene; region: Region }> {
  const c = CASES[name];
  return { scene: (await prepare(c)).scene, region: c.region };
}

/** The picture in which a case's props really stood there. */
export async function truthOf(c: InsertionCase, without: Picture): Promise<Float32Array> {
  return laid(readExr(await demoFile(c.truth, c.place), 3), c.part, without);
}

/** The whole picture with a part of it laid over the plate. */
function laid(
  picture: { width: number; pixels: Float32Array },
  part: Region | undefined,
  without: { width: number; pixels: Float32Array },
): Float32Array {
  if (!part) return picture.pixels;
  const whole = without.pixels.slice();
  // Its outermost pixels had no neighbours when specks were taken out.
  for (let y = part.y0 + 1; y < part.y1 - 1; y++) {
    const from = ((y - part.y0) * picture.width + 1) * 3;
    const row = picture.pixels.subarray(from, from + (picture.width - 2) * 3);
    whole.set(row, (y * without.width + part.x0 + 1) * 3);
  }
  return whole;
}
