import { describe, expect, test } from "@jest/globals";
import { gaussian, seeded } from "../../testing/random.ts";
import { giveBack } from "./giveBack.ts";

/** A picture that a filter has made of two noisy halves, and how far it is from the truth. */
const [WIDTH, HEIGHT] = [60, 40];
const NOISE = 0.05;

function filtered(off: (x: number, y: number) => number, weight: (x: number, y: number) => number = () => 1) {
  const random = seeded(4);
  const n = WIDTH * HEIGHT;
  const at = (i: number): [number, number] => [i % WIDTH, Math.floor(i / WIDTH)];
  const truth = Float32Array.from({ length: n * 3 }, (_, i) => 0.5 + 0.1 * Math.sin(at(Math.floor(i / 3))[0] / 9));
  const half = () => truth.map((v) => v + NOISE * gaussian(random));
  const picture = {
    values: truth.map((v, i) => v + off(...at(Math.floor(i / 3)))),
    even: half(),
    odd: half(),
    stride: 3,
    weight: Float32Array.from({ length: n }, (_, i) => weight(...at(i))),
    least: 0,
  };
  const error = (x0: number, x1: number) => {
    let [sum, squares, count] = [0, 0, 0];
    for (let i = 0; i < n * 3; i++) {
      const [x] = at(Math.floor(i / 3));
      if (x < x0 || x >= x1) continue;
      const d = picture.values[i] - truth[i];
      sum += d;
      squares += d * d;
      count++;
    }
    return { mean: sum / count, rms: Math.sqrt(squares / count) };
  };
  const whole = [{ x0: 0, y0: 0, x1: WIDTH, y1: HEIGHT }];
  const run = (parts = whole) => {
    const before = picture.values.slice();
    for (const part of parts) giveBack(picture, before, WIDTH, HEIGHT, part);
  };
  return { picture, error, run };
}

describe("light that a filter has lost", () => {
  test("comes back where it is missing, with less noise than the halves have", () => {
    const { error, run } = filtered((x) => (x < 30 ? -0.08 : 0));
    run();
    expect(Math.abs(error(0, 24).mean)).toBeLessThan(0.004);
    // The mean of the halves has 0.035.
    expect(error(0, 24).rms).toBeLessThan(0.012);
  });

  test("is not looked for where nothing is missing: what noise makes up is less than the whole mean would bring", () => {
    const { error, run } = filtered(() => 0);
    run();
    expect(Math.abs(error(0, WIDTH).mean)).toBeLessThan(0.001);
    // Sums by the taps alone leave 1 / (2 sqrt(pi) 1.5) of the noise of the mean of two halves.
    const unshrunk = (NOISE * Math.SQRT1_2) / (2 * Math.sqrt(Math.PI) * 1.5);
    expect(error(0, WIDTH).rms).toBeLessThan(0.85 * unshrunk);
  });

  test("pixels that do not count stay as they are, and give their neighbours nothing", () => {
    const { picture, run } = filtered(
      (x) => (x < 30 ? 0.3 : 0),
      (x) => (x < 30 ? 0 : 1),
    );
    const before = picture.values.slice();
    run();
    for (let y = 0; y < HEIGHT; y++)
      for (let x = 0; x < WIDTH; x++) {
        const i = (y * WIDTH + x) * 3;
        if (x < 30) expect(picture.values[i]).toBe(before[i]);
        else expect(Math.abs(picture.values[i] - before[i])).toBeLessThan(0.04);
      }
  });

  test("is the same in parts as at once", () => {
    const [whole, parts] = [filtered((x) => 0.004 * x), filtered((x) => 0.004 * x)];
    whole.run();
    parts.run([
      { x0: 0, y0: 0, x1: 17, y1: HEIGHT },
      { x0: 17, y0: 0, x1: WIDTH, y1: 13 },
      { x0: 17, y0: 13, x1: WIDTH, y1: HEIGHT },
    ]);
    whole.picture.values.forEach((v, i) => expect(Math.abs(parts.picture.values[i] - v)).toBeLessThan(1e-6));
  });
});
