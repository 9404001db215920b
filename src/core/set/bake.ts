import type { Vec2, Vec3 } from "../math/vec3.ts";
import { sub } from "../math/vec3.ts";
import type { Camera, Frame } from "../optics/camera.ts";
import { projectPoint } from "../optics/camera.ts";
import { buildReference, referenceClosest } from "../trace/referenceBvh.ts";
import type { Picture } from "../trace/scene.ts";

/** The plate as a texture of a surface: every texel that the camera sees takes the plate's colour there. */

/** Triangles in the world with places in the texture: u to the right, v downwards, 0 to 1. */
export interface Unwrapped {
  positions: Float32Array;
  uvs: Float32Array;
  indices: Uint32Array;
}

export interface BakeOrder {
  mesh: Unwrapped;
  /** Side of the texture in texels. */
  size: number;
  camera: Camera;
  frame: Frame;
  /** Linear. */
  plate: Picture;
  /** Triangles that hide: all that the camera sees of the set, the surface itself as well. */
  before: { positions: Float32Array; indices: Uint32Array };
  /** What the camera does not see: the nearest colour that it does, or one colour. */
  fill: "stretch" | "colour";
  colour: Vec3;
  onProgress?: (share: number) => void;
}

/** What a texel is. */
export const TEXEL = { empty: 0, hidden: 1, seen: 2 } as const;

export interface Baked {
  size: number;
  /** Linear RGB, rows from the top. */
  pixels: Float32Array;
  /** TEXEL of each. */
  state: Uint8Array;
}

/** Sub-samples of a texel along each side: borders of what is seen are smooth, and the plate is not skipped over. */
const SUB = 3;
/** Distance before a point, relative to that from the camera, at which something hides it. */
const HIDES = 1e-4;

/** Linear interpolation of the plate at a pixel. */
function plateAt({ width, height, pixels }: Picture, [u, v]: Vec2, into: Vec3): void {
  const x = Math.min(width - 1, Math.max(0, u - 0.5));
  const y = Math.min(height - 1, Math.max(0, v - 0.5));
  const x0 = Math.floor(x);
  const y0 = Math.floor(y);
  const x1 = Math.min(width - 1, x0 + 1);
  const y1 = Math.min(height - 1, y0 + 1);
  const fx = x - x0;
  const fy = y - y0;
  for (let k = 0; k < 3; k++) {
    const top = pixels[(y0 * width + x0) * 3 + k] * (1 - fx) + pixels[(y0 * width + x1) * 3 + k] * fx;
    const bottom = pixels[(y1 * width + x0) * 3 + k] * (1 - fx) + pixels[(y1 * width + x1) * 3 + k] * fx;
    into[k] += top * (1 - fy) + bottom * fy;
  }
}

export function bakePlate(order: BakeOrder): Baked {
  const { mesh, size, camera, frame, plate, before } = order;
  const pixels = new Float32Array(size * size * 3);
  const state = new Uint8Array(size * size);
  const seen = new Uint16Array(size * size);
  const hides = buildReference(before.positions, before.indices);
  const eye = camera.position;

  /** True if the camera sees a point of the surface that faces it. */
  const sees = (p: Vec3, normal: Vec3, pixel: Vec2): boolean => {
    const way = sub(p, eye);
    if (way[0] * normal[0] + way[1] * normal[1] + way[2] * normal[2] >= 0) return false;
    if (pixel[0] < 0 || pixel[1] < 0 || pixel[0] > frame.width || pixel[1] > frame.height) return false;
    const met = referenceClosest(hides, eye[0], eye[1], eye[2], way[0], way[1], way[2]);
    return met === null || met.distance > 1 - HIDES;
  };

  const { positions, uvs, indices } = mesh;
  const colour: Vec3 = [0, 0, 0];
  for (let t = 0; t < indices.length; t += 3) {
    if (t % 300 === 0) order.onProgress?.(t / indices.length);
    const corners = [0, 1, 2].map((k) => indices[t + k]);
    const [a, b, c] = corners.map((i): Vec2 => [uvs[i * 2] * size, uvs[i * 2 + 1] * size]);
    const [p, q, r] = corners.map((i): Vec3 => [positions[i * 3], positions[i * 3 + 1], positions[i * 3 + 2]]);
    const double = (b[0] - a[0]) * (c[1] - a[1]) - (b[1] - a[1]) * (c[0] - a[0]);
    if (Math.abs(double) < 1e-12) continue;
    const e = sub(q, p);
    const f = sub(r, p);
    let normal: Vec3 = [e[1] * f[2] - e[2] * f[1], e[2] * f[0] - e[0] * f[2], e[0] * f[1] - e[1] * f[0]];
    // A sheet is seen from either side.
    if ((eye[0] - p[0]) * normal[0] + (eye[1] - p[1]) * normal[1] + (eye[2] - p[2]) * normal[2] < 0)
      normal = [-normal[0], -normal[1], -normal[2]];
    const range = (k: 0 | 1): [number, number] => [
      Math.max(0, Math.floor(Math.min(a[k], b[k], c[k]))),
      Math.min(size - 1, Math.ceil(Math.max(a[k], b[k], c[k]))),
    ];
    const [[x0, x1], [y0, y1]] = [range(0), range(1)];
    // Shares of the second and third corner are linear in the place in the texture.
    const [bu, bv] = [(c[1] - a[1]) / double, -(c[0] - a[0]) / double];
    const [cu, cv] = [-(b[1] - a[1]) / double, (b[0] - a[0]) / double];
    const shareB = (u: number, v: number): number => (u - a[0]) * bu + (v - a[1]) * bv;
    const shareC = (u: number, v: number): number => (u - a[0]) * cu + (v - a[1]) * cv;
    const [reachB, reachC] = [(Math.abs(bu) + Math.abs(bv)) / 2, (Math.abs(cu) + Math.abs(cv)) / 2];
    const pointAt = (wb: number, wc: number): Vec3 => [
      p[0] + wb * e[0] + wc * f[0],
      p[1] + wb * e[1] + wc * f[1],
      p[2] + wb * e[2] + wc * f[2],
    ];
    // Whether a texel's middle is seen, asked once; only where its neighbours differ is every sub-sample asked.
    const across = x1 - x0 + 3;
    const middles = new Int8Array(across * (y1 - y0 + 3)).fill(-1);
    const middleSeen = (x: number, y: number): number => {
      const at = (y - y0 + 1) * across + x - x0 + 1;
      if (middles[at] < 0) {
        const point = pointAt(shareB(x + 0.5, y + 0.5), shareC(x + 0.5, y + 0.5));
        const pixel = projectPoint(camera, point);
        middles[at] = pixel && sees(point, normal, pixel) ? 1 : 0;
      }
      return middles[at];
    };
    for (let y = y0; y <= y1; y++) {
      for (let x = x0; x <= x1; x++) {
        const at = y * size + x;
        const [wb, wc] = [shareB(x + 0.5, y + 0.5), shareC(x + 0.5, y + 0.5)];
        if (wb < -reachB || wc < -reachC || wb + wc > 1 + reachB + reachC) continue;
        let alike: number | null | undefined;
        for (let s = 0; s < SUB * SUB; s++) {
          const u = x + ((s % SUB) + 0.5) / SUB;
          const v = y + (Math.floor(s / SUB) + 0.5) / SUB;
          const [wb, wc] = [shareB(u, v), shareC(u, v)];
          if (wb < 0 || wc < 0 || wb + wc > 1) continue;
          if (state[at] === TEXEL.empty) state[at] = TEXEL.hidden;
          if (alike === undefined) {
            alike = middleSeen(x, y);
            if (
              middleSeen(x - 1, y) !== alike ||
              middleSeen(x + 1, y) !== alike ||
              middleSeen(x, y - 1) !== alike ||
              middleSeen(x, y + 1) !== alike
            )
              alike = null;
          }
          if (alike === 0) continue;
          const point = pointAt(wb, wc);
          const pixel = projectPoint(camera, point);
          if (!pixel || (alike === null && !sees(point, normal, pixel))) continue;
          colour.fill(0);
          plateAt(plate, pixel, colour);
          for (let k = 0; k < 3; k++) pixels[at * 3 + k] += colour[k];
          seen[at]++;
        }
      }
    }
  }
  for (let i = 0; i < seen.length; i++) {
    if (seen[i] === 0) continue;
    state[i] = TEXEL.seen;
    for (let k = 0; k < 3; k++) pixels[i * 3 + k] /= seen[i];
  }
  order.onProgress?.(1);
  if (order.fill === "colour") {
    for (let i = 0; i < state.length; i++) if (state[i] === TEXEL.hidden) pixels.set(order.colour, i * 3);
    bleed(
      pixels,
      state,
      size,
      (s) => s !== TEXEL.empty,
      (s) => s === TEXEL.empty,
    );
  } else if (seen.some((n) => n > 0))
    bleed(
      pixels,
      state,
      size,
      (s) => s === TEXEL.seen,
      (s) => s !== TEXEL.seen,
    );
  return { size, pixels, state };
}

/** Spreads the colours of some texels over others, ring by ring, so that no filter ever meets an empty one. */
function bleed(
  pixels: Float32Array,
  state: Uint8Array,
  size: number,
  from: (state: number) => boolean,
  into: (state: number) => boolean,
): void {
  const known = Uint8Array.from(state, (s) => (from(s) ? 1 : 0));
  const neighbours = [0, 0, 0, 0];
  /** How many texels lie beside one; which ones, in `neighbours`. */
  const around = (i: number): number => {
    const x = i % size;
    let n = 0;
    if (x > 0) neighbours[n++] = i - 1;
    if (x < size - 1) neighbours[n++] = i + 1;
    if (i >= size) neighbours[n++] = i - size;
    if (i + size < known.length) neighbours[n++] = i + size;
    return n;
  };
  const queued = new Uint8Array(known.length);
  /** Those beside a known texel that are to be filled and wait in no ring yet. */
  const queue = (i: number, ring: number[]) => {
    const n = around(i);
    for (let m = 0; m < n; m++) {
      const j = neighbours[m];
      if (known[j] || queued[j] || !into(state[j])) continue;
      queued[j] = 1;
      ring.push(j);
    }
  };
  let ring: number[] = [];
  for (let i = 0; i < known.length; i++) if (known[i]) queue(i, ring);
  while (ring.length > 0) {
    for (const i of ring) {
      const n = around(i);
      let count = 0;
      for (let m = 0; m < n; m++) {
        const j = neighbours[m];
        if (!known[j]) continue;
        count++;
        for (let k = 0; k < 3; k++) pixels[i * 3 + k] += pixels[j * 3 + k];
      }
      for (let k = 0; k < 3; k++) pixels[i * 3 + k] /= count;
    }
    for (const i of ring) known[i] = 1;
    const next: number[] = [];
    for (const i of ring) queue(i, next);
    ring = next;
  }
}
