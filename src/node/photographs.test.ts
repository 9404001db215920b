import { existsSync } from "node:fs";
import { readFile } from "node:fs/promises";
import { describe, expect, test } from "@jest/globals";
import sharp from "sharp";
import { SURE, proposeEdges } from "#core/detect/propose";
import { toneOf } from "#core/detect/tone";
import { decodeCodes } from "#core/image/profile";
import type { SolveAnswer } from "#core/match/request";
import { solve } from "#core/match/solve";
import { MARK_SIGMA } from "#core/match/schema";
import { chessboardCorners } from "../testing/chessboard.ts";
import { openPlate } from "./plates.ts";

/** Photographs of Debian's package opencv-doc, which `npm test` installs. */
const FOLDER = "/usr/share/doc/opencv-doc/examples/data";
const VIEWS = [1, 2, 3, 4, 5, 6, 7, 8, 9, 11, 12, 13, 14].map((n) => `left${String(n).padStart(2, "0")}.jpg`);

/**
 * Calibration of the camera of left01.jpg to left14.jpg, from all views together (OpenCV's tutorial "Camera Calibration"):
 * focal length, centre (of pixels that are whole numbers at their middles) and distortion.
 */
const PUBLISHED = { focalPx: 535.9, principal: [342.3, 235.6] as const, k1: -0.266 };

test("the photographs are there", () => {
  if (!existsSync(`${FOLDER}/left01.jpg`)) throw new Error("Install Debian's opencv-doc, or run “npm test”.");
});

describe("a real camera of known lens, one view at a time, from the corners of a board that it shows", () => {
  async function cornersOf(name: string) {
    const { data, info } = await sharp(await readFile(`${FOLDER}/${name}`))
      .greyscale()
      .raw()
      .toBuffer({ resolveWithObject: true });
    const corners = chessboardCorners({ ...info, values: Float32Array.from(data, (v) => v / 255) }, 9, 6);
    if (!corners) throw new Error(`The board of ${name} was not found.`);
    return corners.map(({ pixel, place: [x, y] }, i) => ({
      id: `t${i}`,
      pixel,
      // Squares of 25 mm.
      world: [x * 0.025, y * 0.025, 0] as [number, number, number],
      sigmaPx: MARK_SIGMA,
    }));
  }
  type Lens = NonNullable<Parameters<typeof solve>[0]["lens"]>;
  const answers = (lens: Lens): Promise<SolveAnswer[]> =>
    Promise.all(
      VIEWS.map(async (name) => solve({ plate: { width: 640, height: 480 }, lens, tiePoints: await cornersOf(name) })),
    );
  const off = (a: SolveAnswer) => a.camera!.focalPx / PUBLISHED.focalPx - 1;
  const holds = (a: SolveAnswer) => Math.abs(a.camera!.focalPx - PUBLISHED.focalPx) < 1.96 * a.sigmaWidened!.focalPx;

  test("with the published centre and distortion the focal length is within 4 %, and its ± holds", async () => {
    const [u, v] = PUBLISHED.principal;
    const found = await answers({ solve: ["focal"], principal: [u + 0.5, v + 0.5], distortion: { k1: PUBLISHED.k1 } });
    for (const a of found) expect(Math.abs(off(a))).toBeLessThan(0.04);
    expect(found.filter(holds).length).toBeGreaterThanOrEqual(Math.ceil(0.9 * VIEWS.length));
    for (const a of found) expect(a.rmsPx!).toBeLessThan(0.6);
  });

  test("with the distortion solved from the same single view it is within 6 %, and its ± holds", async () => {
    const found = await answers({ solve: ["focal", "k1", "k2"] });
    for (const a of found) expect(Math.abs(off(a))).toBeLessThan(0.06);
    expect(found.filter(holds).length).toBeGreaterThanOrEqual(Math.ceil(0.9 * VIEWS.length));
    for (const a of found) expect(a.camera!.distortion.k1).toBeLessThan(-0.1);
  });
});

test("a real facade: uprights and level headings are read, and the lens is not said to be sure", async () => {
  const plate = await openPlate(new Uint8Array(await readFile(`${FOLDER}/building.jpg`)), "building.jpg");
  const tone = toneOf(decodeCodes(plate.codes, plate.encoding), plate.width, plate.height);
  const { edges, lens } = proposeEdges(tone);
  const sure = edges.filter((e) => e.sure >= SURE);
  const uprights = sure.filter((e) => e.axis === "z");
  expect(uprights.length).toBeGreaterThanOrEqual(8);
  // The photographer looked up: uprights lean together towards the top.
  const upper = (e: (typeof sure)[number]) => [...e.points].sort((a, b) => a[1] - b[1]);
  const leans = uprights.filter((e) => {
    const [top, foot] = upper(e);
    return (foot[0] - plate.width / 2) * (foot[0] - top[0]) >= 0;
  });
  expect(leans.length / uprights.length).toBeGreaterThan(0.8);
  expect(new Set(sure.map((e) => e.axis)).size).toBeGreaterThanOrEqual(2);
  const answer = solve({
    plate: { width: plate.width, height: plate.height },
    lens: { solve: ["focal"] },
    edges: sure.map((e, i) => ({ id: `e${i}`, axis: e.axis, points: e.points, sigmaPx: MARK_SIGMA })),
    tolerance: { deg: 0.25 },
  });
  // Nothing is known of its lens: what found edges and solver say must agree within what both say of themselves.
  const apart = Math.abs(Math.log(answer.camera!.focalPx / lens!.focalPx));
  expect(apart).toBeLessThan(2 * Math.hypot(lens!.relative, answer.sigmaWidened!.focalPx / answer.camera!.focalPx));
  expect(lens!.lensSure).toBe(false);
});
