import { expect, test } from "@jest/globals";
import { seeded } from "../../testing/random.ts";
import { testShot } from "../../testing/shots.ts";
import type { Passes } from "../trace/film.ts";
import { emptyPasses } from "../trace/film.ts";
import { finishRows } from "./finish.ts";
import { FinishAgain } from "./finishAgain.ts";
import { FinishShare, sharesOf } from "./finishShare.ts";
import type { StageName } from "./stages/index.ts";
import { STAGE_NAMES } from "./stages/index.ts";

const [WIDTH, HEIGHT] = [48, 110];
const SCALE = 0.5;

/** Passes of a prop with a shadow and a reflection, noise everywhere. */
function passesOf(random: () => number): Passes {
  const passes = emptyPasses(WIDTH, HEIGHT);
  for (let i = 0; i < WIDTH * HEIGHT; i++) {
    const [x, y] = [i % WIDTH, Math.floor(i / WIDTH)];
    const off = Math.hypot(x - 20, y - 14);
    if (off < 7) {
      const alpha = off < 6 ? 1 : 0.5;
      for (let k = 0; k < 3; k++) passes.prop[i * 4 + k] = alpha * random();
      passes.prop[i * 4 + 3] = alpha;
      passes.depth[i] = 4 + random();
    } else if (off < 13)
      for (let k = 0; k < 3; k++) {
        passes.ratio[i * 3 + k] = 0.4 + off / 20;
        passes.added[i * 3 + k] = 0.05 * random();
      }
  }
  return passes;
}

const copyOf = (passes: Passes): Passes => ({
  ...passes,
  prop: passes.prop.slice(),
  ratio: passes.ratio.slice(),
  added: passes.added.slice(),
  depth: passes.depth.slice(),
});

test("settings changed one after the other give the bits of finishing afresh, whatever was kept, also dealt out in rows", () => {
  const random = seeded(11);
  const passes = passesOf(random);
  const linear = Float32Array.from({ length: WIDTH * HEIGHT * 3 }, () => 0.1 + 0.5 * random());
  const plate = { width: WIDTH, height: HEIGHT, linear };
  const given = { full: { width: WIDTH, height: HEIGHT }, scale: SCALE, y0: 0, renderedSigma: 0.5 };
  const shot = testShot(WIDTH / SCALE, HEIGHT / SCALE);
  const { comp } = shot;
  comp.grain.model = {
    read: [0.01, 0.01, 0.012],
    shot: [0.001, 0.001, 0.001],
    size: 0.6,
    joined: [0.2, 0.1, 0.2],
    from: [0, 0, 0],
  };
  comp.sharpness.sigmaPx = 2;
  /** What a slider of each stage does. */
  const slides: Record<StageName, (to: number) => void> = {
    shadow: (to) => (comp.shadow.density = 0.5 + to),
    reflection: (to) => (comp.reflection.level = to),
    props: (to) => (comp.props.exposure = to),
    foreground: (to) => (comp.foreground.strength = to),
    sharpness: (to) => (comp.sharpness.sigmaPx = 1.2 + 2 * to),
    lens: (to) => (comp.lens.vignette = 0.4 * to),
    glow: (to) => (comp.glow.amount = to),
    grain: (to) => (comp.grain.strength = to),
    look: (to) => (comp.look.contrast = 0.8 + to),
  };
  for (const name of STAGE_NAMES) comp[name].on = true;
  const again = new FinishAgain(plate, passes, given);
  const { prop, ratio, added, depth } = passes;
  const layers = { prop, ratio, added, depth, occlusion: null, plate: linear };
  const size = { width: WIDTH, height: HEIGHT, scale: SCALE, renderedSigma: 0.5, layers };
  const shares = sharesOf(HEIGHT, 3).map((share) => new FinishShare(size, share));
  const before = JSON.stringify([...passes.prop, ...passes.ratio]);
  for (let turn = 0; turn < 80; turn++) {
    // A slider is mostly moved again and again; now and then another is taken up, switched, or left out.
    const name = STAGE_NAMES[Math.floor((turn / 4) * 7) % STAGE_NAMES.length];
    slides[name](random());
    if (random() < 0.15) comp[name].on = !comp[name].on;
    const without = random() < 0.15 ? STAGE_NAMES[Math.floor(random() * STAGE_NAMES.length)] : null;
    const fresh = finishRows(shot, plate, copyOf(passes), { ...given, without });
    const own = again.finish(shot, without);
    expect(Buffer.from(own.linear.buffer).equals(Buffer.from(fresh.linear.buffer))).toBe(true);
    expect(own.touched).toEqual(fresh.touched);
    const dealt = shares.map((share) => share.finish(shot, without));
    const bytes = ({ linear: of }: { linear: Float32Array }) => Buffer.from(of.buffer, of.byteOffset, of.byteLength);
    expect(Buffer.concat(dealt.map(bytes)).equals(bytes(fresh))).toBe(true);
    expect(Buffer.concat(dealt.map((rows) => rows.touched)).equals(fresh.touched)).toBe(true);
    expect(Buffer.from(own.grained.buffer).equals(Buffer.from(fresh.grained.buffer))).toBe(true);
  }
  // The passes themselves stay as they were.
  expect(JSON.stringify([...passes.prop, ...passes.ratio])).toBe(before);
});

test("rows are dealt out whole and in order, also of pictures lower than there are workers", () => {
  for (const height of [1, 7, 20, 33, 426])
    for (const count of [1, 2, 3, 4]) {
      const shares = sharesOf(height, count);
      const rows = shares.flatMap(({ from, to }) => Array.from({ length: to - from }, (_, i) => from + i));
      expect(rows).toEqual(Array.from({ length: height }, (_, y) => y));
    }
});
