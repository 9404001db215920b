import { readFile } from "node:fs/promises";
import { describe, expect, test } from "@jest/globals";
import * as opentype from "opentype.js";
import type { Mesh } from "../model.ts";
import { blanksOf, movedIn, ringsOfPath, roomIn } from "./contours.ts";
import type { Shape, ShapeName } from "./index.ts";
import { SHAPES, SHAPE_NAMES, shapeKind, shapeMesh } from "./index.ts";
import { layOut } from "./letters.ts";
import type { TextShape } from "./text.ts";
import { leastBevel } from "./text.ts";

/** Volumes and extents of shapes against closed forms; their polygons stand a little inside what is round. */

function volumeOf({ positions: p, indices }: Mesh): number {
  let six = 0;
  for (let t = 0; t < indices.length; t += 3) {
    const [a, b, c] = [indices[t] * 3, indices[t + 1] * 3, indices[t + 2] * 3];
    six +=
      p[a] * (p[b + 1] * p[c + 2] - p[b + 2] * p[c + 1]) +
      p[a + 1] * (p[b + 2] * p[c] - p[b] * p[c + 2]) +
      p[a + 2] * (p[b] * p[c + 1] - p[b + 1] * p[c]);
  }
  return six / 6;
}

function extentOf({ positions }: Mesh): number[][] {
  const of = (k: number) => positions.filter((_, i) => i % 3 === k);
  return [0, 1, 2].map((k) => [of(k).reduce((a, b) => Math.min(a, b)), of(k).reduce((a, b) => Math.max(a, b))]);
}

const { PI } = Math;
/** A polygon of 96 sides has this share of its circle's area. */
const DISC = Math.sin((2 * PI) / 96) / ((2 * PI) / 96);

test.each<[Shape, number, number[]]>([
  [{ kind: "box", size: [2, 3, 4], bevel: 0 }, 24, [2, 3, 4]],
  // A rounded box: its core, six slabs, twelve quarter cylinders, a sphere.
  [
    { kind: "box", size: [1, 1, 1], bevel: 0.2 },
    0.6 ** 3 + 6 * 0.6 ** 2 * 0.2 + 3 * 0.6 * PI * 0.04 + (4 / 3) * PI * 0.008,
    [1, 1, 1],
  ],
  [{ kind: "sphere", size: [2, 1, 3] }, (PI / 6) * 6, [2, 1, 3]],
  [{ kind: "cylinder", size: [1, 1, 2], bevel: 0 }, (PI / 4) * 2 * DISC, [1, 1, 2]],
  [{ kind: "cone", size: [1, 2, 3], top: 0 }, (PI / 12) * 6 * DISC, [1, 2, 3]],
  [{ kind: "cone", size: [2, 2, 3], top: 0.5 }, ((PI * 3) / 3) * (1 + 0.5 + 0.25) * DISC, [2, 2, 3]],
  [{ kind: "torus", size: [2, 2, 0.5] }, 2 * PI ** 2 * 0.75 * 0.25 ** 2, [2, 2, 0.5]],
  [{ kind: "capsule", diameter: 1, height: 3 }, (PI / 4) * 2 + PI / 6, [1, 1, 3]],
])("%j has the volume and the extent that it says, and stands on the ground", (shape, volume, size) => {
  const mesh = shapeMesh(shape);
  expect(Math.abs(volumeOf(mesh) / volume - 1)).toBeLessThan(0.006);
  extentOf(mesh).forEach(([low, high], k) => {
    expect(high - low).toBeCloseTo(size[k], 3);
    if (k === 2) expect(low).toBeCloseTo(0, 6);
    else expect(low + high).toBeCloseTo(0, 6);
  });
});

describe("every shape", () => {
  test.each(SHAPE_NAMES.filter((name) => name !== "text"))(
    "%s: fronts and normals agree, and its numbers change it",
    (name: ShapeName) => {
      const shape = SHAPES[name].start() as Shape;
      const { positions: p, normals: n, indices } = shapeMesh(shape);
      for (let t = 0; t < indices.length; t += 3) {
        const [a, b, c] = [indices[t] * 3, indices[t + 1] * 3, indices[t + 2] * 3];
        const u = [0, 1, 2].map((k) => p[b + k] - p[a + k]);
        const w = [0, 1, 2].map((k) => p[c + k] - p[a + k]);
        const f = [u[1] * w[2] - u[2] * w[1], u[2] * w[0] - u[0] * w[2], u[0] * w[1] - u[1] * w[0]];
        const mean = [0, 1, 2].map((k) => n[a + k] + n[b + k] + n[c + k]);
        expect(f[0] * mean[0] + f[1] * mean[1] + f[2] * mean[2]).toBeGreaterThanOrEqual(-1e-9);
      }
      for (const field of shapeKind(shape).fields(shape)) {
        const changed = structuredClone(shape);
        field.put(changed, Math.max(field.least, field.value * 0.5 + 0.01));
        expect(JSON.stringify(changed)).not.toBe(JSON.stringify(shape));
      }
    },
  );
});

describe("text", () => {
  const font = async () => {
    const bytes = await readFile("node_modules/@fontsource/ibm-plex-sans/files/ibm-plex-sans-latin-700-normal.woff");
    return opentype.parse(bytes.buffer.slice(bytes.byteOffset, bytes.byteOffset + bytes.byteLength) as ArrayBuffer);
  };
  const shaped = async (text: string, change: Partial<TextShape> = {}): Promise<TextShape> => {
    const shape: TextShape = { ...SHAPES.text.start(), text, ...change } as TextShape;
    return { ...shape, outline: layOut(await font(), shape) };
  };

  test("a capital is as high as it says, round letters hang below the line and rest on the ground", async () => {
    const flat = { bevel: 0, height: 0.4, depth: 0.1 };
    const h = extentOf(shapeMesh(await shaped("H", flat)));
    expect(h[2][1] - h[2][0]).toBeCloseTo(0.4, 4);
    expect(h[1][1] - h[1][0]).toBeCloseTo(0.1, 6);
    const o = extentOf(shapeMesh(await shaped("HO", flat)));
    expect(o[2][0]).toBeCloseTo(0, 6);
    expect(o[2][1]).toBeGreaterThan(0.405);
  });

  test("without bevel its volume is the outline's area times the depth; holes are holes", async () => {
    const shape = await shaped("B8&g", { bevel: 0, height: 1, depth: 0.25 });
    // The area by even-odd counting on a fine lattice: another way than triangles.
    const rings = ringsOfPath(shape.outline);
    const xs = rings.flat().map(([x]) => x);
    const ys = rings.flat().map(([, y]) => y);
    const [x0, x1, y0, y1] = [Math.min(...xs), Math.max(...xs), Math.min(...ys), Math.max(...ys)];
    const N = 400;
    let inside = 0;
    for (let j = 0; j < N; j++) {
      const y = y0 + ((y1 - y0) * (j + 0.5)) / N;
      const cuts = rings
        .flatMap((ring) =>
          ring.flatMap(([ax, ay], i) => {
            const [bx, by] = ring[(i + 1) % ring.length];
            return ay > y !== by > y ? [ax + ((y - ay) / (by - ay)) * (bx - ax)] : [];
          }),
        )
        .sort((a, b) => a - b);
      for (let k = 0; k + 1 < cuts.length; k += 2) inside += (cuts[k + 1] - cuts[k]) / (x1 - x0) / N;
    }
    const area = inside * (x1 - x0) * (y1 - y0);
    expect(volumeOf(shapeMesh(shape))).toBeCloseTo(area * 0.25, 3);
  });

  test("a bevel keeps the extent, takes volume off, and is held back where a stroke is too thin for it", async () => {
    const plain = await shaped("SLIP", { bevel: 0 });
    const round = await shaped("SLIP", { bevel: 0.01, profile: "round" });
    const flat = await shaped("SLIP", { bevel: 0.01, profile: "flat" });
    const [a, b, c] = [plain, round, flat].map((s) => volumeOf(shapeMesh(s)));
    expect(b).toBeLessThan(a);
    expect(c).toBeLessThan(b);
    extentOf(shapeMesh(round)).forEach(([low, high], k) => {
      const [l, h] = extentOf(shapeMesh(plain))[k];
      expect(high - low).toBeCloseTo(h - l, 4);
    });
    const thin = await shaped("i", { bevel: 0.2, height: 0.4, depth: 1 });
    // A stroke of a bold i is about a fifth of a capital wide: half of it is the most that there is.
    expect(leastBevel(thin)).toBeLessThan(0.05);
    expect(leastBevel(thin)).toBeGreaterThan(0.01);
  });

  test("lines, their gap and the room between letters", async () => {
    const one = extentOf(shapeMesh(await shaped("NET", { bevel: 0, height: 1 })));
    const wide = extentOf(shapeMesh(await shaped("NET", { bevel: 0, height: 1, spacing: 0.5 })));
    expect(wide[0][1] - wide[0][0] - (one[0][1] - one[0][0])).toBeCloseTo(2 * 0.5, 3);
    const two = extentOf(shapeMesh(await shaped("NET\nNET", { bevel: 0, height: 1, lineGap: 0.7 })));
    expect(two[2][1] - two[2][0]).toBeCloseTo(1 + 0.7 + 1, 3);
  });

  test("outlines: holes go to the smallest ring around them, and a square moves in by what is asked", () => {
    const path = "M0 0L10 0L10 10L0 10Z M2 2L2 8L8 8L8 2Z M4 4L6 4L6 6L4 6Z";
    const blanks = blanksOf(ringsOfPath(path));
    expect(blanks.map((b) => b.rings.length)).toEqual([2, 1]);
    expect(movedIn(blanks[1].rings[0], 0.5)).toEqual(
      [
        [4.5, 4.5],
        [5.5, 4.5],
        [5.5, 5.5],
        [4.5, 5.5],
      ].map((p) => p.map((x) => expect.closeTo(x, 9))),
    );
    // The island is 2 wide, the frame around it likewise: 1 is the most.
    for (const blank of blanks) expect(roomIn(blank, 5)).toBeCloseTo(1, 1);
  });
});
