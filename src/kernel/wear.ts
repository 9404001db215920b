// Wear of props by procedure, in the model's own coordinates: dirt, rust, scratches. Shapes and amounts are common
// practice, no published source. Noise: values at the corners of a grid of cubes, mixed smoothly (Perlin 1985's lattice).

const ONE: f32 = 1;

function hash3(x: i32, y: i32, z: i32): f32 {
  let h: u32 = (<u32>x * 0x8da6b343) ^ (<u32>y * 0xd8163841) ^ (<u32>z * 0xcb1ab31f);
  h ^= h >> 15;
  h *= 0x2c1b3c6d;
  h ^= h >> 12;
  h *= 0x297a2d39;
  h ^= h >> 15;
  return <f32>(h >> 8) * <f32>(1.0 / 16777216.0);
}

// @ts-ignore: decorator
@inline
function mix(a: f32, b: f32, t: f32): f32 {
  return a + (b - a) * t;
}

export function smooth(a: f32, b: f32, x: f32): f32 {
  const t = min<f32>(ONE, max<f32>(0, (x - a) / (b - a)));
  return t * t * (3 - 2 * t);
}

function noise(x: f32, y: f32, z: f32): f32 {
  const fx = floor<f32>(x),
    fy = floor<f32>(y),
    fz = floor<f32>(z);
  const i = <i32>fx,
    j = <i32>fy,
    k = <i32>fz;
  let u = x - fx,
    v = y - fy,
    w = z - fz;
  u = u * u * (3 - 2 * u);
  v = v * v * (3 - 2 * v);
  w = w * w * (3 - 2 * w);
  const a = mix(mix(hash3(i, j, k), hash3(i + 1, j, k), u), mix(hash3(i, j + 1, k), hash3(i + 1, j + 1, k), u), v);
  const b = mix(
    mix(hash3(i, j, k + 1), hash3(i + 1, j, k + 1), u),
    mix(hash3(i, j + 1, k + 1), hash3(i + 1, j + 1, k + 1), u),
    v,
  );
  return mix(a, b, w);
}

/** Five octaves, from 0 to 1 and mostly about a half. */
export function grain(x: f32, y: f32, z: f32): f32 {
  let sum: f32 = 0,
    weight: f32 = 0.5,
    s: f32 = 1;
  for (let i = 0; i < 5; i++) {
    sum += weight * noise(x * s + <f32>i * <f32>7.3, y * s, z * s);
    weight *= <f32>0.5;
    s *= <f32>2.03;
  }
  return sum * <f32>(1.0 / 0.96875);
}

/** Share of dirt: near the ground, in hollows (`open` is the share of the sky that is seen there), and in patches. */
export function dirtAt(strength: f32, x: f32, y: f32, z: f32, size: f32, above: f32, open: f32): f32 {
  const patches = grain((x / size) * 7, (y / size) * 7, (z / size) * 7) - <f32>0.5;
  const ground = Mathf.exp(-above * 4);
  const hollow = min<f32>(ONE, max<f32>(0, (ONE - open) * <f32>1.5));
  const amount = <f32>0.75 * ground + <f32>0.85 * hollow + <f32>0.36 + <f32>1.1 * patches;
  return strength * smooth(<f32>0.3, <f32>1.0, amount);
}

/** Share of rust: patches that grow with the strength. */
export function rustAt(strength: f32, x: f32, y: f32, z: f32, size: f32): f32 {
  const n = (grain((x / size) * 5 + 31, (y / size) * 5, (z / size) * 5) - <f32>0.5) * <f32>1.9 + <f32>0.5;
  const border = <f32>1.02 - strength;
  return smooth(border - <f32>0.05, border + <f32>0.05, n);
}

/** Ways that scratches run in, and their pitch and half width as shares of the model's size. */
const WAYS = 7;
const PITCH: f32 = 0.07;
const HALF: f32 = 0.0007;

/**
 * Share of a footprint `width` wide that scratches cover: fine lines over the plane that the surface mostly faces along
 * (the model's axes), each with an end.
 */
export function scratchAt(
  strength: f32,
  x: f32,
  y: f32,
  z: f32,
  nx: f32,
  ny: f32,
  nz: f32,
  size: f32,
  width: f32,
): f32 {
  const ax = abs<f32>(nx),
    ay = abs<f32>(ny),
    az = abs<f32>(nz);
  const up = az >= ax && az >= ay;
  const a = (up || ay > ax ? x : y) / size,
    b = (up ? y : z) / size;
  const w = width / size;
  let most: f32 = 0;
  for (let k = 0; k < WAYS; k++) {
    const angle = <f32>k * <f32>2.4 + <f32>0.35 + <f32>0.4 * hash3(k, 3, 1);
    const c = Mathf.cos(angle),
      s = Mathf.sin(angle);
    const u = a * c + b * s,
      v = b * c - a * s;
    const cell = <i32>floor<f32>(v / PITCH);
    const long = <f32>0.1 + <f32>0.35 * hash3(cell, k, 11);
    const shifted = u / long + hash3(cell, k, 5) * 9;
    const piece = floor<f32>(shifted);
    const along = shifted - piece;
    const number = <i32>piece;
    if (hash3(cell, number, 40 + k) > strength * <f32>0.45) continue;
    const lean = (hash3(cell, number, 80 + k) - <f32>0.5) * <f32>0.9;
    const at = (<f32>cell + <f32>0.5 + lean * (along - <f32>0.4)) * PITCH;
    const half = HALF * (<f32>0.4 + hash3(cell, number, 20 + k));
    const soft = max<f32>(half, w);
    const across = ONE - smooth(half, half + soft, abs<f32>(v - at));
    const ends = smooth(0, <f32>0.12, along) * (ONE - smooth(<f32>0.6, 1, along));
    most = max<f32>(most, across * ends * min<f32>(ONE, (half + half) / max<f32>(w, half + half)));
  }
  return most;
}
