import { nonNegativeLeastSquares } from "../math/nnls.ts";
import { sizeOfCorrelation } from "./grain.ts";
import type { GrainModel } from "./schema.ts";
import type { Area } from "./stages/grain.ts";
import { FREQUENCIES } from "./stages/grain.ts";

/** The plate's grain, from flat patches that are found in it. */

/** What was measured beside the model. */
export interface MeasuredGrain {
  model: GrainModel;
  /** By brightness: mean linear light and standard deviation, by channel. */
  points: { light: [number, number, number]; sigma: [number, number, number] }[];
  /** Patches that it is measured on, and middles of some of them, plate pixels. */
  patches: number;
  shown: [number, number][];
}

/** Side of a patch, pixels. */
const SIDE = 16;
const MOST_PATCHES = 20_000;
/** Brightnesses are told apart by this factor: the dark, where grain is least, is seldom much of a plate. */
const BIN_RATIO = 1.3;
/** Fewest flat patches that tell of a brightness, and of a plate. */
const FEW_IN_BIN = 4;
const FEW_IN_ALL = 30;
/** A patch is flat where means of its quarters of quarters differ by no more than so many times what grain makes of them. */
const FLAT = 2.5;
/** The same in parts that somebody has chosen as flat: only what has an edge in it is left out. */
const FLAT_ENOUGH = 12;
/** What is never looked at: with JPEG's squares in it even a flat patch has structure. */
const FLAT_MOST = 40;
/** Of each bin's patches those with so little variance count. */
const QUIET = 0.25;
/** Fewest patches that tell, of those in chosen parts. */
const FEW = 6;
/** A patch with so many times the variance of the curve is texture as fine as grain: brick, cobbles, foliage. */
const TEXTURED = 2.5;
/** Variances within so much of one curve are of one grain. */
const NEAR = 1.25;
/** Fewest brightnesses that a curve is drawn through. */
const FEW_POINTS = 3;
/** Pixels a side of JPEG's squares. */
const BLOCK = FREQUENCIES;
/** Steps over their borders must be so many standard deviations of the other steps larger, and so much of the variance. */
const SURE_BLOCKS = 4;
const LEAST_BLOCKS = 0.03;
/** Light beyond which a camera clips, and below which codes are too coarse. */
const USABLE = { low: 0.002, high: 0.95 };

interface Patch {
  x: number;
  y: number;
  light: [number, number, number];
  variance: [number, number, number];
  /** Sums of products: with the right neighbour, the lower one, and between channels. */
  right: [number, number, number];
  below: [number, number, number];
  between: [number, number, number];
  /** Sixteen times the variance of means of 4 × 4 over the variance. */
  structure: number;
  /** Mean squared steps over the variance, from each column, and row, to the next: by the next one's number modulo `BLOCK`. */
  across: Float64Array;
  down: Float64Array;
  /** What is left of each channel without its slope. */
  rest: Float32Array[];
}

interface LinearPlate {
  width: number;
  height: number;
  linear: Float32Array;
}

/** Pixels to the next square's first. */
const toSquare = (by: number): number => ((by % BLOCK) + BLOCK) % BLOCK;

/** Patches of a part of the plate without hard edges, at most so many, in a raster of squares with a corner at `origin`. */
function patchesIn(
  plate: LinearPlate,
  [left, top, right, bottom]: Area,
  most: number,
  origin: [number, number],
): Patch[] {
  const [x0, y0] = [left, top].map((from, k) => {
    const first = Math.max(0, Math.ceil(from));
    return first + toSquare(origin[k] - first);
  });
  const across = Math.floor((Math.min(plate.width, right) - x0) / SIDE);
  const down = Math.floor((Math.min(plate.height, bottom) - y0) / SIDE);
  const step = Math.max(1, Math.ceil(Math.sqrt((across * down) / most)));
  const flat: Patch[] = [];
  for (let j = 0; j < down; j += step)
    for (let i = 0; i < across; i += step) {
      const patch = patchAt(plate, x0 + i * SIDE, y0 + j * SIDE);
      if (patch) flat.push(patch);
    }
  return flat;
}

/**
 * Measures a plate's grain: variance against brightness in each channel, how coarse it is, and how the channels go
 * together. All of the plate is searched for flat patches, of which the quietest count; where parts of it are given, every
 * flat patch in them counts. Null where there are too few.
 */
export function measureGrain(plate: LinearPlate, areas: readonly Area[] = []): MeasuredGrain | null {
  const chosen = areas.length > 0;
  const searched: readonly Area[] = chosen ? areas : [[0, 0, plate.width, plate.height]];
  const smoothIn = (origin: [number, number]) =>
    searched.flatMap((area) => patchesIn(plate, area, MOST_PATCHES / searched.length, origin));
  let smooth = smoothIn([0, 0]);
  const blocks = blocksOf(chosen ? smooth : quietest(smooth));
  if (blocks && (blocks.x !== 0 || blocks.y !== 0)) smooth = smoothIn([blocks.x, blocks.y]);
  const limit = (chosen ? FLAT_ENOUGH : FLAT) * Math.max(1, structureUnder(blocks?.part ?? 0) / 2);
  const flat = smooth.filter(({ structure }) => structure <= limit);
  if (flat.length < (chosen ? FEW : FEW_IN_ALL)) return null;
  const quiet: Patch[] = [];
  const points: MeasuredGrain["points"] = [];
  for (const bin of binned(flat, chosen ? 2 : FEW_IN_BIN)) {
    const counted = chosen ? bin : quietOf(bin);
    quiet.push(...counted);
    const mean = (of: (p: Patch) => number) => counted.reduce((sum, p) => sum + of(p), 0) / counted.length;
    points.push({
      light: [0, 1, 2].map((k) => mean((p) => p.light[k])) as [number, number, number],
      sigma: [0, 1, 2].map((k) => Math.sqrt(mean((p) => p.variance[k]) / (chosen ? 1 : SELECTED))) as [
        number,
        number,
        number,
      ],
    });
  }
  const grainy = chosen ? points : grainOnly(points);
  const curve = curveOf(grainy);
  const plain = chosen ? quiet : plainOf(quiet, curve);
  const model = { ...curve, from: grainy[0].light };
  return {
    model: withBlocks({ ...model, ...shapeOf(plain) }, plain, blocks),
    points,
    patches: plain.length,
    shown: plain
      .filter((_, i) => i % Math.ceil(plain.length / 60) === 0)
      .map(({ x, y }) => [x + SIDE / 2, y + SIDE / 2]),
  };
}

/** Structure of pure grain whose squares differ by `part`, as seen on noise under JPEG of qualities 75 to 98 (no published source). */
const structureUnder = (part: number): number => 1 + 2.3 * part;

/** The quietest patches of a brightness. */
function quietOf(bin: Patch[]): Patch[] {
  const total = (p: Patch) => p.variance[0] + p.variance[1] + p.variance[2];
  bin.sort((a, c) => total(a) - total(c));
  return bin.slice(0, Math.max(2, Math.floor(QUIET * bin.length)));
}

const quietest = (patches: readonly Patch[]): Patch[] => binned(patches, FEW_IN_BIN).flatMap(quietOf);

/** Patches by brightness, from dark to bright; what is too few in its bin goes with the next one. */
function binned(patches: readonly Patch[], few: number): Patch[][] {
  const lit = ({ light }: Patch) => (light[0] + light[1] + light[2]) / 3;
  const bins: Patch[][] = [];
  let upTo = 0;
  for (const patch of [...patches].sort((a, b) => lit(a) - lit(b))) {
    const last = bins.at(-1);
    if (last && (lit(patch) <= upTo || last.length < few)) last.push(patch);
    else {
      bins.push([patch]);
      upTo = lit(patch) * BIN_RATIO;
    }
  }
  // The brightest few go with those before.
  if (bins.length > 1 && bins.at(-1)!.length < few) bins.at(-2)!.push(...bins.pop()!);
  return bins;
}

/**
 * Mean variance of the quietest quarter of patches of pure grain over the mean of all: a variance of 253 independent
 * values has a relative standard deviation of 0.089, and the lower quarter of normal deviates a mean of -1.271. Quiet is
 * judged by all channels together: 0.935 where they are independent, 0.887 where they are one; between them.
 */
const SELECTED = 0.91;

/** A patch without its own slope; null where it clips or has structure. */
function patchAt({ width, linear }: LinearPlate, x0: number, y0: number): Patch | null {
  const n = SIDE * SIDE;
  const middle = (SIDE - 1) / 2;
  const slope = (n * (SIDE * SIDE - 1)) / 12;
  const rest = [0, 1, 2].map(() => new Float64Array(n));
  const light: [number, number, number] = [0, 0, 0];
  const variance: [number, number, number] = [0, 0, 0];
  for (let k = 0; k < 3; k++) {
    let [sum, sx, sy] = [0, 0, 0];
    for (let y = 0; y < SIDE; y++)
      for (let x = 0; x < SIDE; x++) {
        const value = linear[((y0 + y) * width + x0 + x) * 3 + k];
        if (!(value >= USABLE.low && value <= USABLE.high)) return null;
        sum += value;
        sx += (x - middle) * value;
        sy += (y - middle) * value;
      }
    light[k] = sum / n;
    for (let y = 0; y < SIDE; y++)
      for (let x = 0; x < SIDE; x++) {
        const fitted = light[k] + ((x - middle) * sx + (y - middle) * sy) / slope;
        const value = linear[((y0 + y) * width + x0 + x) * 3 + k] - fitted;
        rest[k][y * SIDE + x] = value;
        variance[k] += value * value;
      }
    variance[k] /= n - 3;
    if (!(variance[k] > 0)) return null;
  }
  const structure = structureOf(rest[1]) / variance[1];
  if (structure > FLAT_MOST) return null;
  const product = (a: Float64Array, b: Float64Array, dx: number, dy: number) => {
    let sum = 0;
    for (let y = 0; y < SIDE - dy; y++)
      for (let x = 0; x < SIDE - dx; x++) sum += a[y * SIDE + x] * b[(y + dy) * SIDE + x + dx];
    return sum / ((SIDE - dx) * (SIDE - dy));
  };
  const three = (of: (k: number) => number): [number, number, number] => [of(0), of(1), of(2)];
  return {
    x: x0,
    y: y0,
    light,
    variance,
    right: three((k) => product(rest[k], rest[k], 1, 0)),
    below: three((k) => product(rest[k], rest[k], 0, 1)),
    between: [product(rest[0], rest[1], 0, 0), product(rest[0], rest[2], 0, 0), product(rest[1], rest[2], 0, 0)],
    structure,
    across: stepsOf((x, y, k) => linear[((y0 + y) * width + x0 + x) * 3 + k], x0, variance),
    down: stepsOf((x, y, k) => linear[((y0 + x) * width + x0 + y) * 3 + k], y0, variance),
    rest: rest.map((values) => Float32Array.from(values)),
  };
}

/** Mean squared steps along x over the variance, by where they end modulo `BLOCK`; `first` is the number of x = 0. */
function stepsOf(value: (x: number, y: number, k: number) => number, first: number, variance: number[]): Float64Array {
  const sums = new Float64Array(BLOCK);
  const counts = new Float64Array(BLOCK);
  for (let x = 1; x < SIDE; x++) {
    const at = (first + x) % BLOCK;
    counts[at] += SIDE * 3;
    for (let y = 0; y < SIDE; y++)
      for (let k = 0; k < 3; k++) sums[at] += (value(x, y, k) - value(x - 1, y, k)) ** 2 / variance[k];
  }
  return sums.map((sum, i) => sum / counts[i]);
}

/**
 * JPEG keeps the mean of every square of 8 × 8 pixels (ITU-T T.81) and loses what is finer: where steps over the borders of
 * squares are larger than all others. `part` is half of the excess over the variance; null where they cannot be told.
 */
function blocksOf(patches: readonly Patch[]): { part: number; x: number; y: number } | null {
  if (patches.length < FEW) return null;
  const along = (of: (p: Patch) => Float64Array) => {
    const means = Array.from(
      { length: BLOCK },
      (_, i) => patches.reduce((sum, p) => sum + of(p)[i], 0) / patches.length,
    );
    const at = means.indexOf(Math.max(...means));
    const others = means.filter((_, i) => i !== at);
    const mean = others.reduce((sum, v) => sum + v, 0) / others.length;
    const spread = Math.sqrt(others.reduce((sum, v) => sum + (v - mean) ** 2, 0) / (others.length - 1));
    const excess = means[at] - mean;
    return { at, half: excess > SURE_BLOCKS * spread ? excess / 2 : 0 };
  };
  const [across, down] = [along((p) => p.across), along((p) => p.down)];
  const part = (across.half + down.half) / 2;
  if (across.half === 0 || down.half === 0 || part < LEAST_BLOCKS) return null;
  return { part, x: across.at, y: down.at };
}

/**
 * The model with what JPEG left in each frequency of its squares. A patch without its slope shows a quarter of what the
 * means of its four squares vary by: four times as much is taken, and the whole is as much more.
 */
function withBlocks(model: GrainModel, patches: readonly Patch[], at: { x: number; y: number } | null): GrainModel {
  if (!at) return model;
  const sums = new Float64Array(FREQUENCIES * FREQUENCIES);
  let count = 0;
  for (const { rest, variance } of patches) {
    for (let j = 0; j < SIDE; j += BLOCK)
      for (let i = 0; i < SIDE; i += BLOCK)
        for (let k = 0; k < 3; k++, count++)
          transformed(rest[k], i, j).forEach((c, f) => (sums[f] += (c * c) / variance[k]));
  }
  if (count === 0) return model;
  sums[0] *= 4;
  const all = sums.reduce((sum, s) => sum + s, 0);
  const more = all / count / (BLOCK * BLOCK);
  return {
    ...model,
    read: model.read.map((r) => r * Math.sqrt(more)) as GrainModel["read"],
    shot: model.shot.map((s) => s * more) as GrainModel["shot"],
    blocks: { on: true, side: BLOCK, ...at, spectrum: Array.from(sums, (s) => s / all) },
  };
}

const COSINES = Array.from({ length: BLOCK }, (_, f) =>
  Array.from(
    { length: BLOCK },
    (_, x) => Math.sqrt((f === 0 ? 1 : 2) / BLOCK) * Math.cos((Math.PI * f * (x + 0.5)) / BLOCK),
  ),
);

/** Amplitudes of the cosines of a square of a patch (DCT-II, orthonormal), those across first to change. */
function transformed(rest: Float32Array, x0: number, y0: number): number[] {
  const across = Array.from({ length: BLOCK }, (_, y) =>
    COSINES.map((cosine) => cosine.reduce((sum, c, x) => sum + c * rest[(y0 + y) * SIDE + x0 + x], 0)),
  );
  return COSINES.flatMap((cosine) => COSINES.map((_, u) => cosine.reduce((sum, c, y) => sum + c * across[y][u], 0)));
}

/** Sixteen times the variance of the means of 4 × 4 pixels: of white grain its own variance. */
function structureOf(rest: Float64Array): number {
  const cells = SIDE / 4;
  let sum = 0;
  for (let j = 0; j < cells; j++)
    for (let i = 0; i < cells; i++) {
      let mean = 0;
      for (let y = 0; y < 4; y++) for (let x = 0; x < 4; x++) mean += rest[(j * 4 + y) * SIDE + i * 4 + x];
      sum += (mean / 16) ** 2;
    }
  return (16 * sum) / (cells * cells - 3);
}

/** Grain in the dark and what light adds, by weighed least squares that keeps both from going below nothing. */
function curveOf(points: MeasuredGrain["points"]): Curve {
  const by = [0, 1, 2].map((k) => {
    const rows = points.map(({ light, sigma }) => {
      const w = 1 / Math.max(1e-12, sigma[k] ** 2);
      return { row: [w, w * light[k]], right: 1 };
    });
    const { x } = nonNegativeLeastSquares(
      rows.map(({ row }) => row),
      rows.map(({ right }) => right),
    );
    return { read: Math.sqrt(x[0]), shot: x[1] };
  });
  const three = (of: (k: number) => number): [number, number, number] => [of(0), of(1), of(2)];
  return { read: three((k) => by[k].read), shot: three((k) => by[k].shot) };
}

type Curve = Pick<GrainModel, "read" | "shot">;

/** Each channel's variance over what a curve says of its light. */
const overCurve = (curve: Curve, light: readonly number[], variance: readonly number[]): number[] =>
  variance.map((v, k) => v / Math.max(1e-12, curve.read[k] ** 2 + curve.shot[k] * light[k]));

/**
 * The brightnesses that are grain: where all that is so bright is textured, even its quietest patches are not, and would
 * make the grain strong, coarse and of one colour. Texture only adds, so it is the curve through two of them that most of
 * the others lie on and none far below.
 */
function grainOnly(points: MeasuredGrain["points"]): MeasuredGrain["points"] {
  let best = points;
  let most = -Infinity;
  points.forEach((a, i) =>
    points.slice(i + 1).forEach((b) => {
      const curve = curveOf([a, b]);
      const ratios = points.map(({ light, sigma }) =>
        overCurve(
          curve,
          light,
          sigma.map((s) => s * s),
        ),
      );
      const on = points.filter((_, n) => ratios[n].every((r) => r < NEAR && r > 1 / NEAR));
      const below = ratios.filter((of) => of.some((r) => r <= 1 / NEAR)).length;
      if (on.length - 2 * below <= most) return;
      most = on.length - 2 * below;
      best = on;
    }),
  );
  return best.length >= FEW_POINTS ? best : points;
}

/** The patches that lie on a curve, or all of them where those are too few to tell a shape. */
function plainOf(patches: readonly Patch[], curve: Curve): readonly Patch[] {
  const plain = patches.filter(({ light, variance }) => overCurve(curve, light, variance).every((r) => r <= TEXTURED));
  return plain.length >= FEW ? plain : patches;
}

/** How coarse the grain is, and how its channels go together: each patch weighed alike. */
function shapeOf(patches: readonly Patch[]): Pick<GrainModel, "size" | "joined"> {
  let neighbours = 0;
  const joined = [0, 0, 0];
  const pairs = [
    [0, 1],
    [0, 2],
    [1, 2],
  ];
  for (const { variance, right, below, between } of patches) {
    for (let k = 0; k < 3; k++) neighbours += (right[k] + below[k]) / (6 * variance[k]);
    pairs.forEach(([a, b], i) => (joined[i] += between[i] / Math.sqrt(variance[a] * variance[b])));
  }
  const n = patches.length;
  const within = (x: number) => Math.min(0.98, Math.max(-0.98, x));
  // Taking out each patch's slope takes some of the correlation along: three of its values, spread over all.
  const correlation = neighbours / n + 3 / (SIDE * SIDE);
  return {
    size: sizeOfCorrelation(Math.max(0, correlation)),
    joined: [within(joined[0] / n), within(joined[1] / n), within(joined[2] / n)],
  };
}
