import { describe, expect, test } from "@jest/globals";
import { seeded } from "../../../testing/random.ts";
import { lookAt } from "../../../testing/render.ts";
import { testShot } from "../../../testing/shots.ts";
import { finishRows, mergeLayers } from "../../comp/finish.ts";
import type { Comp } from "../../comp/schema.ts";
import type { Probe } from "../../light/schema.ts";
import type { Shot } from "../../shot/schema.ts";
import type { Passes } from "../../trace/film.ts";
import { emptyPasses } from "../../trace/film.ts";
import type { SitCheck, SitScene } from "../scene.ts";
import { unkept } from "../scene.ts";
import { catcher, tone } from "./shadow.ts";
import { black, cast, clipping, saturation, white } from "./tone.ts";

/**
 * Every fault is made by the comp's own stages, as a user would make it: a ball in reds from dark to bright before a plate
 * with an even shadow beside it.
 */
const [WIDTH, HEIGHT] = [120, 90];
const RATIO = 0.4;

function passesOf(): Passes {
  const passes = emptyPasses(WIDTH, HEIGHT);
  for (let y = 0, i = 0; y < HEIGHT; y++)
    for (let x = 0; x < WIDTH; x++, i++) {
      const [u, v] = [(x - 60) / 22, (y - 40) / 22];
      if (u * u + v * v < 1) {
        const light = 0.04 + 0.5 * Math.max(0, (1 - u - v) / 2.5) ** 2;
        passes.prop.set([light, 0.35 * light, 0.25 * light, 1], i * 4);
        passes.depth[i] = 5;
      } else if (Math.abs(y - 70) < 6 && x > 60 && x < 110) passes.ratio.set([RATIO, RATIO, RATIO], i * 3);
    }
  return passes;
}

/** Light of the plate's four stripes, from its black to its white. */
const STRIPES = [0.01, 0.15, 0.3, 0.9];
const plateLight = (x: number) => STRIPES[Math.floor((4 * x) / WIDTH)];

function sceneOf(change: (comp: Comp, shot: Shot) => void = () => undefined): SitScene {
  const shot = testShot(WIDTH, HEIGHT);
  change(shot.comp, shot);
  const random = seeded(9);
  const linear = Float32Array.from(
    { length: WIDTH * HEIGHT * 3 },
    (_, i) => plateLight(Math.floor(i / 3) % WIDTH) * (1 + 0.02 * (random() - 0.5)),
  );
  const plate = { width: WIDTH, height: HEIGHT, linear };
  const full = { width: WIDTH, height: HEIGHT };
  const { layers, grained } = finishRows(shot, plate, passesOf(), { full, scale: 1, y0: 0, renderedSigma: 0.5 });
  return {
    shot,
    models: new Map(),
    plate,
    ...full,
    scale: 1,
    behind: linear,
    rendered: passesOf(),
    layers,
    grained,
    merged: mergeLayers(layers),
    renderedSigma: 0.5,
    notices: [],
    known: unkept,
  };
}
const props = (settings: Partial<Comp["props"]>) => sceneOf((c) => Object.assign(c.props, { on: true, ...settings }));
const CHECKS: Record<string, SitCheck> = { black, white, saturation, cast, clipping, tone };

test("of a picture as it was rendered all is well", () => {
  for (const [name, check] of Object.entries(CHECKS))
    expect([name, check.look(sceneOf())!.score! <= 1]).toEqual([name, true]);
});

describe("what the comp does to the props is named by its own check, and by its direction", () => {
  test.each<[keyof typeof CHECKS & string, Partial<Comp["props"]>, string]>([
    ["black", { black: [0.03, 0.03, 0.03] }, "blacks are lifted"],
    ["black", { black: [-0.08, -0.08, -0.08] }, "blacks are crushed"],
    ["white", { exposure: -1 }, "duller than light makes them"],
    ["saturation", { saturation: 1.5 }, "more colourful"],
    ["saturation", { saturation: 0.4 }, "less colourful"],
    ["cast", { green: 0.5 }, "another cast"],
    ["clipping", { exposure: 2.5 }, "clip where the plate does not"],
  ])("%s by %j: %s", (name, settings, words) => {
    const line = CHECKS[name].look(props(settings))!;
    expect(line.score).toBeGreaterThan(1);
    expect(line.words).toContain(words);
    // Its picture shows the ball.
    const { x, y, width, height } = line.spot!;
    expect([x < 60 && x + width > 60, y < 40 && y + height > 40]).toEqual([true, true]);
  });
});

describe("tone of the shadow", () => {
  const shadow = (settings: Partial<Comp["shadow"]>, more: (shot: Shot) => void = () => undefined) =>
    tone.look(sceneOf((c, shot) => (Object.assign(c.shadow, { on: true, ...settings }), more(shot))))!;

  test("stops off the rig's are those of the density", () => {
    // Light T to the power of 1.6 is 0.6 lg2 T stops below T, of 0.22 that are allowed.
    expect(shadow({ density: 1.6 }).score).toBeCloseTo((-0.6 * Math.log2(RATIO)) / 0.22, 4);
    expect(shadow({ density: 1.6 }).words).toContain("too dark");
    // Half of the shadow leaves 1 - 0.6 / 2 of the light.
    expect(shadow({ density: 0.5 }).score).toBeCloseTo(Math.log2(0.7 / RATIO) / 0.22, 4);
    expect(shadow({ density: 0.5 }).words).toContain("too bright");
    expect(shadow({ density: 1.05 }).score).toBeLessThan(1);
  });

  test("where sun and shade of one face were probed, those tell what is right", () => {
    const probe = (id: string, u: number, sun: "lit" | "shaded"): Probe =>
      ({ id, pixel: [u, 12], radius: 4, sun, muted: false }) as unknown as Probe;
    const probed = (shot: Shot) => {
      const camera = { ...lookAt([0, -8, 2], [0, 0, 0.5], 120), principal: [60, 45] as [number, number] };
      shot.solved = { camera } as Shot["solved"];
      // Stripes of light 0.3 and 0.15: real shades leave half of it.
      const all = [probe("a", 70, "lit"), probe("b", 40, "shaded"), probe("c", 80, "lit"), probe("d", 50, "shaded")];
      shot.light.probes = Object.fromEntries(all.map((p) => [p.id, p]));
    };
    const line = shadow({ density: 1 }, probed);
    expect(line.tolerance).toMatch(/^50 %/);
    expect(line.score).toBeCloseTo(Math.log2(0.5 / RATIO) / 0.22, 1);
    expect(line.words).toContain("too dark: bring it to the real ones");
    // Brought to them: 1 - d 0.6 = 0.5.
    const mended = shadow({ density: 0.5 / 0.6 }, probed);
    expect(mended.score).toBeLessThan(0.1);
    expect(mended.words).toBe("The shadow is as dark as the real ones.");
  });
});

test("an edge of the catcher that the render noticed is told with where it is", () => {
  const camera = { ...lookAt([0, -8, 2], [0, 0, 0.5], 120), principal: [60, 45] as [number, number] };
  const scene = sceneOf((_, shot) => (shot.solved = { camera } as Shot["solved"]));
  expect(catcher.look(scene)!.score).toBe(0);
  const notice = "A catcher ends where the shadow is still 9 % strong, worst at 30, 40 of the plate: draw it out.";
  const line = catcher.look({ ...scene, notices: [notice] })!;
  expect(line.score).toBeGreaterThan(1);
  expect(line.value).toBe("A catcher ends where the shadow is still 9 % strong, worst at 30, 40 of the plate");
});
