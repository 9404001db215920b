import { describe, expect, test } from "@jest/globals";
import { FILTER_CELLS } from "../../kernel/layout.ts";
import { environmentTables } from "./environment.ts";
import { BOX, SOFT, filterTable } from "./filter.ts";
import { lampRows } from "./lamps.ts";
import { halve, levelSizes } from "./smaller.ts";
import { TILE_SIZE, tilesOf } from "./tiles.ts";

describe("pixel filter", () => {
  test("a box spreads samples evenly over the pixel", () => {
    const table = filterTable(BOX);
    for (let i = 0; i <= FILTER_CELLS; i++) expect(table[i]).toBeCloseTo(i / FILTER_CELLS - 0.5, 3);
  });

  test("Blackman-Harris: symmetric, and its spread is that of the window", () => {
    const table = filterTable(SOFT);
    const half = FILTER_CELLS / 2;
    for (let i = 0; i <= half; i++) expect(table[half + i]).toBeCloseTo(-table[half - i], 2);
    // Between its entries the table is read linearly.
    let sum = 0;
    for (let i = 0; i < FILTER_CELLS; i++) {
      const [a, b] = [table[i] / SOFT.width, table[i + 1] / SOFT.width];
      sum += (a * a + a * b + b * b) / 3;
    }
    const exact = windowVariance([0.35875, 0.48829, 0.14128, 0.01168]);
    // The window falls off so softly that straight pieces widen its ends a little.
    expect(Math.abs(sum / FILTER_CELLS / exact - 1)).toBeLessThan(0.02);
  });
});

/** Variance of the window Σ (-1)^k a_k cos(2πkx) over [0, 1], by hand: ∫ (x - 1/2)² cos(2πkx) dx = 1 / (2π²k²). */
function windowVariance(a: number[]): number {
  return (
    (a[0] / 12 +
      a.slice(1).reduce((s, v, i) => s + ((i % 2 === 0 ? -1 : 1) * v) / (2 * Math.PI ** 2 * (i + 1) ** 2), 0)) /
    a[0]
  );
}

describe("environment", () => {
  test("the alias table draws each pixel by its light and its solid angle", () => {
    const [width, height] = [8, 4];
    const pixels = new Float32Array(width * height * 3).fill(1);
    pixels.fill(50, (width + 3) * 3, (width + 4) * 3);
    const { alias, weight } = environmentTables({ width, height, pixels });
    const n = width * height;
    const drawn = new Float64Array(n);
    for (let i = 0; i < n; i++) {
      drawn[i] += alias.keep[i] / n;
      drawn[alias.other[i]] += (1 - alias.keep[i]) / n;
    }
    for (let i = 0; i < n; i++) expect(drawn[i]).toBeCloseTo(weight[i] / n, 5);
    expect(drawn.reduce((a, v) => a + v, 0)).toBeCloseTo(1, 6);
    // Of an even sky a row has the share of its band of the sphere: sine of its polar angle.
    const even = environmentTables({ width, height, pixels: new Float32Array(n * 3).fill(2) }).weight;
    expect(even[0] / even[width]).toBeCloseTo(Math.sin(Math.PI / 8) / Math.sin((3 * Math.PI) / 8), 4);
    // Nothing that shines may be out of reach: the lamp's neighbours are read together with it.
    expect(Math.min(...weight)).toBeGreaterThan(0);
  });
});

describe("lamps", () => {
  test("are drawn by luminance times area, shares adding up to one", () => {
    const base = { facing: [0, 0, -1], across: [1, 0, 0], position: [0, 0, 1] } as const;
    const table = lampRows(
      [
        { ...base, name: "a", kind: "rectangle", size: [2, 1], radiance: [3, 3, 3] },
        { ...base, name: "b", kind: "disc", size: [2, 2], radiance: [1, 1, 1] },
      ] as unknown as Parameters<typeof lampRows>[0],
      [],
    );
    expect(table.count).toBe(2);
    expect(table.proper).toBe(2);
    expect(table.power).toBeCloseTo(3 * 2 + Math.PI, 4);
  });
});

describe("smaller copies of textures", () => {
  test("halve down to one texel, odd sizes too", () => {
    expect(levelSizes(8, 2)).toEqual([[8, 2], [4, 1], [2, 1], [1, 1]]); // prettier-ignore
    expect(levelSizes(5, 3)).toEqual([[5, 3], [2, 1], [1, 1]]); // prettier-ignore
  });

  test("colours are averaged as light, data as numbers", () => {
    // Half black, half white: IEC 61966-2-1 codes a linear 0.5 as 188.
    const texels = new Uint8Array([0, 0, 0, 255, 255, 255, 255, 255, 0, 0, 0, 255, 255, 255, 255, 255]);
    const out = new Uint8Array(4);
    halve(texels, 2, 2, true, out, [1, 1]);
    expect([...out]).toEqual([188, 188, 188, 255]);
    halve(texels, 2, 2, false, out, [1, 1]);
    expect([...out]).toEqual([128, 128, 128, 255]);
  });
});

test("tiles cover a region once and stay within it", () => {
  const region = { x0: 5, y0: 7, x1: 5 + 2 * TILE_SIZE + 3, y1: 7 + TILE_SIZE };
  const seen = new Map<string, number>();
  for (const tile of tilesOf({ width: 400, height: 300, tileSize: TILE_SIZE, region })) {
    for (let y = tile.y0; y < tile.y1; y++) {
      for (let x = tile.x0; x < tile.x1; x++) {
        expect(x >= region.x0 && x < region.x1 && y >= region.y0 && y < region.y1).toBe(true);
        seen.set(`${x},${y}`, (seen.get(`${x},${y}`) ?? 0) + 1);
      }
    }
  }
  expect(seen.size).toBe((2 * TILE_SIZE + 3) * TILE_SIZE);
  expect([...seen.values()].every((n) => n === 1)).toBe(true);
});
