// Where an instance is at the sample's moment: rays into its model, points and normals out of it.
import { INSTANCE_END, INSTANCE_FLAGS, INSTANCE_FORWARD, INSTANCE_INVERSE, INSTANCE_MOVES } from "./layout";

const ONE: f32 = 1;

/** Moment of the sample within the shutter, 0 to 1. */
export let moment: f32 = 0;
export function setMoment(value: f32): void {
  moment = value;
}

export let lox: f32 = 0,
  loy: f32 = 0,
  loz: f32 = 0,
  ldx: f32 = 0,
  ldy: f32 = 0,
  ldz: f32 = 0;
// Model to world, at the moment.
let m0: f32 = 1,
  m1: f32 = 0,
  m2: f32 = 0,
  m3: f32 = 0,
  m4: f32 = 0,
  m5: f32 = 1,
  m6: f32 = 0,
  m7: f32 = 0,
  m8: f32 = 0,
  m9: f32 = 0,
  m10: f32 = 1,
  m11: f32 = 0;
// World to model, its linear part.
let n0: f32 = 1,
  n1: f32 = 0,
  n2: f32 = 0,
  n4: f32 = 0,
  n5: f32 = 1,
  n6: f32 = 0,
  n8: f32 = 0,
  n9: f32 = 0,
  n10: f32 = 1;

export let pointX: f32 = 0,
  pointY: f32 = 0,
  pointZ: f32 = 0;

// @ts-ignore: decorator
@inline
function between(instance: u32, offset: u32): f32 {
  const a = load<f32>(instance + offset, INSTANCE_FORWARD);
  return a + (load<f32>(instance + offset, INSTANCE_END) - a) * moment;
}

function interpolate(instance: u32): void {
  m0 = between(instance, 0);
  m1 = between(instance, 4);
  m2 = between(instance, 8);
  m3 = between(instance, 12);
  m4 = between(instance, 16);
  m5 = between(instance, 20);
  m6 = between(instance, 24);
  m7 = between(instance, 28);
  m8 = between(instance, 32);
  m9 = between(instance, 36);
  m10 = between(instance, 40);
  m11 = between(instance, 44);
  const a = m5 * m10 - m6 * m9,
    b = m6 * m8 - m4 * m10,
    c = m4 * m9 - m5 * m8;
  const s = ONE / (m0 * a + m1 * b + m2 * c);
  n0 = a * s;
  n1 = (m2 * m9 - m1 * m10) * s;
  n2 = (m1 * m6 - m2 * m5) * s;
  n4 = b * s;
  n5 = (m0 * m10 - m2 * m8) * s;
  n6 = (m2 * m4 - m0 * m6) * s;
  n8 = c * s;
  n9 = (m1 * m8 - m0 * m9) * s;
  n10 = (m0 * m5 - m1 * m4) * s;
}

/** The ray in the instance's model: `lox` to `ldz`. Distances along it stay those of the world. */
export function rayIntoModel(instance: u32, ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32): void {
  if (load<u32>(instance, INSTANCE_FLAGS) & INSTANCE_MOVES) {
    interpolate(instance);
    const x = ox - m3,
      y = oy - m7,
      z = oz - m11;
    lox = n0 * x + n1 * y + n2 * z;
    loy = n4 * x + n5 * y + n6 * z;
    loz = n8 * x + n9 * y + n10 * z;
    ldx = n0 * dx + n1 * dy + n2 * dz;
    ldy = n4 * dx + n5 * dy + n6 * dz;
    ldz = n8 * dx + n9 * dy + n10 * dz;
    return;
  }
  const i = instance + INSTANCE_INVERSE;
  const a = load<f32>(i),
    b = load<f32>(i, 4),
    c = load<f32>(i, 8),
    d = load<f32>(i, 16),
    e = load<f32>(i, 20),
    f = load<f32>(i, 24);
  const g = load<f32>(i, 32),
    h = load<f32>(i, 36),
    k = load<f32>(i, 40);
  lox = a * ox + b * oy + c * oz + load<f32>(i, 12);
  loy = d * ox + e * oy + f * oz + load<f32>(i, 28);
  loz = g * ox + h * oy + k * oz + load<f32>(i, 44);
  ldx = a * dx + b * dy + c * dz;
  ldy = d * dx + e * dy + f * dz;
  ldz = g * dx + h * dy + k * dz;
}

/** Takes the instance's matrices for `pointOut`, `directionOut` and `normalOut`. */
export function holdInstance(instance: u32): void {
  if (load<u32>(instance, INSTANCE_FLAGS) & INSTANCE_MOVES) {
    interpolate(instance);
    return;
  }
  const f = instance + INSTANCE_FORWARD,
    i = instance + INSTANCE_INVERSE;
  m0 = load<f32>(f);
  m1 = load<f32>(f, 4);
  m2 = load<f32>(f, 8);
  m3 = load<f32>(f, 12);
  m4 = load<f32>(f, 16);
  m5 = load<f32>(f, 20);
  m6 = load<f32>(f, 24);
  m7 = load<f32>(f, 28);
  m8 = load<f32>(f, 32);
  m9 = load<f32>(f, 36);
  m10 = load<f32>(f, 40);
  m11 = load<f32>(f, 44);
  n0 = load<f32>(i);
  n1 = load<f32>(i, 4);
  n2 = load<f32>(i, 8);
  n4 = load<f32>(i, 16);
  n5 = load<f32>(i, 20);
  n6 = load<f32>(i, 24);
  n8 = load<f32>(i, 32);
  n9 = load<f32>(i, 36);
  n10 = load<f32>(i, 40);
}

/** A point of the held instance in the world: `pointX` to `pointZ`. */
export function pointOut(x: f32, y: f32, z: f32): void {
  pointX = m0 * x + m1 * y + m2 * z + m3;
  pointY = m4 * x + m5 * y + m6 * z + m7;
  pointZ = m8 * x + m9 * y + m10 * z + m11;
}
/** The same for a difference of points. */
export function directionOut(x: f32, y: f32, z: f32): void {
  pointX = m0 * x + m1 * y + m2 * z;
  pointY = m4 * x + m5 * y + m6 * z;
  pointZ = m8 * x + m9 * y + m10 * z;
}
/** The same for a normal, by the inverse transpose; not of length 1. */
export function normalOut(x: f32, y: f32, z: f32): void {
  pointX = n0 * x + n4 * y + n8 * z;
  pointY = n1 * x + n5 * y + n9 * z;
  pointZ = n2 * x + n6 * y + n10 * z;
}
