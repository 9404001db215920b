import { describe, expect, test } from "@jest/globals";
import { gaussian, seeded } from "../../../testing/random.ts";
import { crossed, steepness } from "./barrier.ts";
import { matteHalo, matteOver, newMatte } from "./index.ts";

const [WIDTH, HEIGHT] = [80, 100];

/** A plate whose tone runs from dark to bright down it, with a grain of 2 codes, and a thin dark seam at x = 45. */
function seamed(): Float32Array {
  const random = seeded(4);
  const linear = new Float32Array(WIDTH * HEIGHT * 3);
  for (let y = 0; y < HEIGHT; y++)
    for (let x = 0; x < WIDTH; x++) {
      const code = (Math.abs(x - 45) < 1.5 ? 0.12 : 0.3 + (0.5 * y) / HEIGHT) + (2 / 255) * gaussian(random);
      linear.fill(Math.max(0, code) ** 2.2, (y * WIDTH + x) * 3, (y * WIDTH + x) * 3 + 3);
    }
  return linear;
}
const stroke = (stop: number, edge = 0) => ({
  ...newMatte("m"),
  shapes: [
    {
      shape: {
        kind: "brush" as const,
        points: [
          [34, 20],
          [36, 50],
          [34, 80],
        ] as [number, number][],
        radius: 16,
        hardness: 0.9,
        edge,
        stop,
      },
      way: "add" as const,
      inverted: false,
    },
  ],
});
const over = (stop: number, edge = 0, from = 0, to = HEIGHT) =>
  matteOver(stroke(stop, edge), {
    width: WIDTH,
    height: to - from,
    y0: from,
    scale: 1,
    plate: seamed().slice(from * WIDTH * 3, to * WIDTH * 3),
    place: () => null,
  });

describe("a brush that stops at edges", () => {
  test("stays on its side of a seam, whatever the tone, where one that keeps to colours crosses it", () => {
    const [stopped, coloured] = [over(30), over(0, 20)];
    for (let y = 25; y < 75; y += 5) {
      expect(stopped[y * WIDTH + 41]).toBeGreaterThan(0.99);
      expect(stopped[y * WIDTH + 48]).toBe(0);
      expect(coloured[y * WIDTH + 48]).toBeGreaterThan(0.9);
    }
    expect(over(0)[50 * WIDTH + 48]).toBeGreaterThan(0.99);
  });

  test("goes around the end of an edge only within its own width", () => {
    const [width, height] = [41, 41];
    const steep = new Float32Array(width * height);
    // A wall with a gap at its lower end.
    for (let y = 0; y < 36; y++) steep[y * width + 20] = 90;
    const round = crossed(steep, width, () => true, [20 * width + 10]);
    expect(round[20 * width + 30]).toBe(0);
    const disc = (i: number) => Math.hypot((i % width) - 20, Math.floor(i / width) - 20) < 14;
    expect(crossed(steep, width, disc, [20 * width + 10])[20 * width + 30]).toBe(90);
  });

  test("finds the least steep way: as flooding at every level does", () => {
    const random = seeded(8);
    const [width, height] = [14, 11];
    const steep = Float32Array.from({ length: width * height }, () => Math.floor(random() * 12));
    const found = crossed(steep, width, () => true, [5]);
    for (let level = 0; level < 12; level++) {
      const wet = new Set([5]);
      for (const i of wet) {
        const x = i % width;
        for (const n of [x > 0 ? i - 1 : -1, x < width - 1 ? i + 1 : -1, i - width, i + width])
          if (n >= 0 && n < steep.length && steep[n] <= level) wet.add(n);
      }
      for (let i = 0; i < steep.length; i++) expect(found[i] <= level).toBe(wet.has(i));
    }
  });

  test("steepness of a ramp is its step over two pixels, and of an edge its height", () => {
    const window = { x0: 0, y0: 0, width: 9, height: 5 };
    const ramp = steepness(window, (x) => [(3 * x) / 255, 0, 0]);
    expect(ramp[2 * 9 + 4]).toBeCloseTo(6, 4);
    const edge = steepness(window, (_, y) => [0, y > 2 ? 80 / 255 : 0, 0]);
    expect(edge[2 * 9 + 4]).toBeCloseTo(80, 4);
  });

  test("rows by themselves, with the halo, are those of the whole to the bit", () => {
    const whole = over(30);
    const halo = matteHalo(stroke(30), 1);
    const [from, to] = [60, 70];
    const own = over(30, 0, from - halo < 0 ? 0 : from - halo, Math.min(HEIGHT, to + halo));
    const first = Math.max(0, from - halo);
    expect(first).toBeGreaterThan(0);
    expect(own.slice((from - first) * WIDTH, (to - first) * WIDTH)).toEqual(whole.slice(from * WIDTH, to * WIDTH));
  });
});
