// Owen-scrambled Sobol points by hashing, padded from two-dimensional sets: Burley 2020, "Practical Hash-based Owen
// Scrambling", JCGT 9(4). Every pair of dimensions of every pixel has its own scramble, so pixels are decorrelated
// and a picture depends on the seed only, never on which thread drew it.

let sampleIndex: u32 = 0;
let reversedIndex: u32 = 0;
let pixelSeed: u32 = 0;
let pair: u32 = 0;
let first: f32 = 0;
let second: f32 = 0;

// @ts-ignore: decorator
@inline
function hash(value: u32): u32 {
  let x = value;
  x ^= x >> 16;
  x *= 0x7feb352d;
  x ^= x >> 15;
  x *= 0x846ca68b;
  return x ^ (x >> 16);
}

// @ts-ignore: decorator
@inline
function reverseBits(value: u32): u32 {
  let x = value;
  x = (x << 16) | (x >> 16);
  x = ((x & 0x00ff00ff) << 8) | ((x & 0xff00ff00) >> 8);
  x = ((x & 0x0f0f0f0f) << 4) | ((x & 0xf0f0f0f0) >> 4);
  x = ((x & 0x33333333) << 2) | ((x & 0xcccccccc) >> 2);
  return ((x & 0x55555555) << 1) | ((x & 0xaaaaaaaa) >> 1);
}

/** Laine and Karras permutation: a nested uniform scramble of bit-reversed input. */
// @ts-ignore: decorator
@inline
function scrambleReversed(value: u32, seed: u32): u32 {
  let x = value;
  x += seed;
  x ^= x * 0x6c50b47c;
  x ^= x * 0xb82f1e52;
  x ^= x * 0xc7afe638;
  return x ^ (x * 0x8d22f6e6);
}

/**
 * Second Sobol dimension of the index whose bits are already shuffled, with its own bits reversed. Its i-th column is
 * (1 + S)^i of the first, S a shift by one bit: the index's bits are coefficients of powers of 1 + S, and are brought to
 * powers of S by halves, since (1 + S)^16 = 1 + S^16 over two elements.
 */
// @ts-ignore: decorator
@inline
function sobolSecondReversed(index: u32): u32 {
  let x = index;
  x ^= x >> 16;
  x ^= (x >> 8) & 0x00ff00ff;
  x ^= (x >> 4) & 0x0f0f0f0f;
  x ^= (x >> 2) & 0x33333333;
  return x ^ ((x >> 1) & 0x55555555);
}

// @ts-ignore: decorator
@inline
function toUnit(x: u32): f32 {
  return <f32>(x >> 8) * <f32>5.9604644775390625e-8;
}

/** Starts sample `index` of the pixel; dimensions are then drawn in order. */
export function startSample(pixel: u32, index: u32, seed: u32): void {
  sampleIndex = index;
  reversedIndex = reverseBits(index);
  pixelSeed = hash(pixel + hash(seed + 0x9e3779b9));
  pair = 0;
}

/** Jumps to a numbered run of dimensions, so that two evaluations of one sample can use the same numbers. */
export function seekDimension(dimension: u32): void {
  pair = dimension;
}

/** Draws the next point of the unit square: `draw1` and `draw2`. */
export function draw(): void {
  const seed = hash(pixelSeed ^ (pair * 0x9e3779b9 + 0x85ebca6b));
  pair++;
  const index = reverseBits(scrambleReversed(reversedIndex, seed));
  first = toUnit(reverseBits(scrambleReversed(index, hash(seed ^ 0x68bc21eb))));
  second = toUnit(reverseBits(scrambleReversed(sobolSecondReversed(index), hash(seed ^ 0x02e5be93))));
}
// @ts-ignore: decorator
@inline
export function draw1(): f32 {
  return first;
}
// @ts-ignore: decorator
@inline
export function draw2(): f32 {
  return second;
}

/** A number of [0, 1) that belongs to the sample and to `what` alone, outside the sequence. */
export function coin(what: u32): f32 {
  return toUnit(hash(hash(pixelSeed ^ (sampleIndex * 0x9e3779b9)) ^ (what * 0x85ebca6b)));
}

/** Batch for tests: `count` points of dimension pair `p`, two f32 each. */
export function samplePoints(pixel: u32, seed: u32, p: u32, count: u32, out: u32): void {
  for (let i: u32 = 0; i < count; i++) {
    startSample(pixel, i, seed);
    seekDimension(p);
    draw();
    store<f32>(out + (i << 3), first);
    store<f32>(out + (i << 3), second, 4);
  }
}
