import { readFile } from "node:fs/promises";
import { beforeAll, describe, expect, test } from "@jest/globals";
import { openPlate } from "#node/plates";
import { decodeCodes } from "../image/profile.ts";
import { solve } from "../match/solve.ts";
import type { Vec2, Vec3 } from "../math/vec3.ts";
import { rotationAngleBetween, toDegrees } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { projectPoint, rotationFromAngles } from "../optics/camera.ts";
import { noDistortion } from "../optics/distortion.ts";
import { camera as quayCamera } from "../../demo/quay.ts";
import type { QuayTruth } from "../../demo/shot.ts";
import { demoFolder, quayTruth } from "../../demo/shot.ts";
import { between, gaussian, seeded } from "../../testing/random.ts";
import { groupLines } from "./groups.ts";
import { SURE, proposeEdges } from "./propose.ts";
import { findSegments } from "./segments.ts";
import { stickEdge } from "./stick.ts";
import type { Tone } from "./tone.ts";
import { halved, sampleTone, toneOf } from "./tone.ts";

/** A made picture: a bright half plane behind the line n . p = c, its edge softened as a lens does, with noise. */
function halfPlane(
  width: number,
  height: number,
  angle: number,
  through: Vec2,
  noise: number,
  random: () => number,
): Tone {
  const values = new Float32Array(width * height);
  const [nx, ny] = [-Math.sin(angle), Math.cos(angle)];
  for (let y = 0; y < height; y++) {
    for (let x = 0; x < width; x++) {
      const d = (x + 0.5 - through[0]) * nx + (y + 0.5 - through[1]) * ny;
      values[y * width + x] = 0.5 + 0.15 * Math.tanh(d / 0.9) + noise * gaussian(random);
    }
  }
  return { width, height, values };
}
const offLine = (p: Vec2, angle: number, through: Vec2) =>
  Math.abs((p[0] - through[0]) * -Math.sin(angle) + (p[1] - through[1]) * Math.cos(angle));

describe("sticking a mark to the edge under it", () => {
  test("made edges at any angle are met to a tenth of a pixel from 3 px off, under noise", () => {
    const random = seeded(3);
    for (let i = 0; i < 40; i++) {
      const angle = between(random, 0, Math.PI);
      const through: Vec2 = [80 + random(), 60 + random()];
      const tone = halfPlane(160, 120, angle, through, 0.015, random);
      const [ux, uy] = [Math.cos(angle), Math.sin(angle)];
      const set = (t: number): Vec2 => [
        through[0] + ux * t - uy * between(random, -3, 3),
        through[1] + uy * t + ux * between(random, -3, 3),
      ];
      const stuck = stickEdge(tone, set(-45), set(45))!;
      expect(stuck).not.toBeNull();
      expect(offLine(stuck.from, angle, through)).toBeLessThan(0.12);
      expect(offLine(stuck.to, angle, through)).toBeLessThan(0.12);
    }
  });

  test("an even patch has no edge to stick to, and a mark of a few pixels is left alone", () => {
    const random = seeded(5);
    const values = Float32Array.from({ length: 160 * 120 }, () => 0.5 + 0.015 * gaussian(random));
    const flat: Tone = { width: 160, height: 120, values };
    let held = 0;
    for (let i = 0; i < 20; i++) if (stickEdge(flat, [20, 20 + 4 * i], [140, 24 + 4 * i])) held++;
    expect(held).toBeLessThanOrEqual(2);
    expect(stickEdge(flat, [10, 10], [14, 12])).toBeNull();
  });
});

describe("tone", () => {
  test("is 1 for white, halves by means, and is read between pixel centres", () => {
    const tone = toneOf([1, 1, 1, 0, 0, 0, 0.25, 0.25, 0.25, 0, 0, 0], 2, 2);
    expect([...tone.values]).toEqual([1, 0, 0.5, 0]);
    expect(halved(tone).values[0]).toBeCloseTo(0.375, 6);
    expect(sampleTone(tone, 1, 0.5)).toBeCloseTo(0.5, 2);
  });
});

describe("straight segments", () => {
  test("one edge is found once, along its whole length; noise alone gives none", () => {
    const random = seeded(9);
    const through: Vec2 = [300, 200];
    const found = findSegments(halfPlane(600, 400, 0.3, through, 0.01, random));
    expect(found).toHaveLength(1);
    expect(Math.hypot(found[0].to[0] - found[0].from[0], found[0].to[1] - found[0].from[1])).toBeGreaterThan(500);
    expect(offLine(found[0].from, 0.3, through)).toBeLessThan(0.6);
    const values = Float32Array.from({ length: 600 * 400 }, () => 0.5 + 0.02 * gaussian(random));
    expect(findSegments({ width: 600, height: 400, values })).toEqual([]);
  });
});

describe("grouping by where lines meet", () => {
  const frame = { width: 1920, height: 1280 };
  test("random cameras' edges go to their own directions, strays are left over", () => {
    const random = seeded(31);
    let [right, total] = [0, 0];
    for (let i = 0; i < 25; i++) {
      const camera: Camera = {
        focalPx: between(random, 1100, 2200),
        principal: [960, 640],
        distortion: noDistortion(),
        rotation: rotationFromAngles({
          heading: between(random, 0.45, 1.1),
          tilt: between(random, -0.25, 0.1),
          roll: between(random, -0.04, 0.04),
        }),
        position: [0, 0, 1.6],
      };
      const lines: { from: Vec2; to: Vec2; axis: string }[] = [];
      for (const [k, axis] of ["x", "y", "z"].entries()) {
        for (let tries = 0, count = 0; count < 8 && tries < 4000; tries++) {
          const at: Vec3 = [between(random, 0, 12), between(random, 0, 12), between(random, 0, 4)];
          const end = [...at] as Vec3;
          end[k] += between(random, 1, 3);
          const [from, to] = [projectPoint(camera, at), projectPoint(camera, end)];
          const inside = (p: Vec2 | null) => p && p[0] > 0 && p[1] > 0 && p[0] < 1920 && p[1] < 1280;
          if (!inside(from) || !inside(to) || Math.hypot(from![0] - to![0], from![1] - to![1]) < 120) continue;
          lines.push({ from: from!, to: to!, axis });
          count++;
        }
      }
      for (const group of groupLines(lines, frame))
        for (const j of group.lines) if (lines[j].axis === group.axis) right++;
      total += lines.length;
    }
    expect(right / total).toBeGreaterThan(0.9);
  });

  test("no lines, one line, or lines without a common direction give no group of their own", () => {
    expect(groupLines([], frame)).toEqual([]);
    expect(groupLines([{ from: [0, 0], to: [100, 100] }], frame)).toEqual([]);
  });
});

describe("the quay", () => {
  let tone: Tone;
  let truth: QuayTruth;
  beforeAll(async () => {
    const plate = await openPlate(new Uint8Array(await readFile(`${demoFolder}plate.jpg`)), "plate.jpg");
    tone = toneOf(decodeCodes(plate.codes as Uint8Array, plate.encoding), plate.width, plate.height);
    truth = await quayTruth();
  });

  test("accepting the sure ones of the proposed edges and nothing else gives the lens within 4 % and the rotation within 1°", () => {
    const proposals = proposeEdges(tone).edges.filter((p) => p.sure >= SURE);
    const axes = new Set(proposals.map((p) => p.axis));
    for (const axis of ["x", "y", "z"]) expect(axes).toContain(axis);
    for (const solveFor of [["focal"], ["focal", "k1"]] as ("focal" | "k1")[][]) {
      const { camera } = solve({
        plate: { width: tone.width, height: tone.height },
        lens: { solve: solveFor },
        edges: proposals.map((p, i) => ({ id: `p${i}`, axis: p.axis, points: p.points, sigmaPx: 0.7 })),
      });
      expect(Math.abs(camera!.focalPx / quayCamera.focalPx - 1)).toBeLessThan(0.04);
      expect(toDegrees(rotationAngleBetween(camera!.rotation, quayCamera.rotation))).toBeLessThan(1);
    }
  });

  test("marks set 3 px off stick to the true edge within 0.5 px in 80 % of cases", () => {
    // Lines whose visible edge is where the truth says: corners and arrises. The truth's paving joints, the round rail
    // and the worn coping name lines beside the steps that are seen, and serve directions only.
    const seen = [
      "lintel",
      "plinth front",
      "plinth side",
      "house corner",
      "door jamb",
      "chapel corner",
      "second post",
      "eaves",
    ];
    const random = seeded(4);
    let [good, all] = [0, 0];
    for (const { points } of truth.edges.filter((e) => seen.includes(e.id))) {
      const [p, q] = points;
      const l = Math.hypot(q[0] - p[0], q[1] - p[1]);
      const normal: Vec2 = [-(q[1] - p[1]) / l, (q[0] - p[0]) / l];
      for (let i = 0; i < 12; i++) {
        const off = ([u, v]: Vec2): Vec2 => {
          const s = random() < 0.5 ? 3 : -3;
          return [u + normal[0] * s, v + normal[1] * s];
        };
        const stuck = stickEdge(tone, off(p), off(q));
        const away = (x: Vec2) => Math.abs((x[0] - p[0]) * normal[0] + (x[1] - p[1]) * normal[1]);
        all++;
        if (stuck && away(stuck.from) < 0.5 && away(stuck.to) < 0.5) good++;
      }
    }
    expect(all).toBe(96);
    expect(good / all).toBeGreaterThanOrEqual(0.8);
  });
});
