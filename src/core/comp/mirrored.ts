import type { Layers, Where } from "./layers.ts";

/** Rows of the plate above a pixel in which the foot of what it mirrors is looked for. */
export const LOOKS_UP = 400;
/** Most that a mirrored thing is spread by, standard deviation in pixels of the plate. */
export const MOST_SPREAD = 32;
/** Share of the distance by which a foot may lie off the plane of the pixel that mirrors it. */
const OFF_PLANE = 0.05;

/** How surfaces that face up in the picture mirror what stands on them; 0 in every array where nothing is known. */
export interface Mirrored {
  /** Metres over the surface of what a pixel mirrors. */
  height: Float32Array;
  /** Cosine of the angle between the line of sight and the surface's normal. */
  cosine: Float32Array;
  /** Pixels, down the picture and across it, by which a microfacet slope of one spreads what is mirrored. */
  down: Float32Array;
  across: Float32Array;
}

/**
 * What every pixel mirrors, from where the prop above it meets the surface: the ray goes on below the plane as if to a
 * mirror image, until it stands under that foot. With the eye H over the plane, the foot D along it and the pixel d, the
 * image is H (D / d − 1) deep, which is the height that is mirrored. A slope turns the mirrored ray by twice its angle in
 * the plane of incidence and by twice its cosine across it. Null without a camera.
 */
export function mirrored({ prop, width, height: rows, y0 }: Layers, where: Where): Mirrored | null {
  const rays = where.rays();
  const depth = where.setDepth();
  if (!rays || !depth || where.focal === null) return null;
  const { focal, scale } = where;
  const size = width * rows;
  const out: Mirrored = {
    height: new Float32Array(size),
    cosine: new Float32Array(size),
    down: new Float32Array(size),
    across: new Float32Array(size),
  };
  const look = Math.ceil(LOOKS_UP * scale);
  const point = (i: number): [number, number, number] => [rays[i * 2] * depth[i], rays[i * 2 + 1] * depth[i], depth[i]];
  for (let x = 1; x < width - 1; x++) {
    let last = -Infinity;
    for (let y = 1; y < rows - 1; y++) {
      const i = y * width + x;
      if (prop[i * 4 + 3] > 0.5) last = y;
      const foot = Math.max(last, y - look);
      if (foot < 0 || foot + y0 < 0 || depth[i] <= 0) continue;
      const at = foot * width + x;
      if (depth[at] <= 0) continue;
      const neighbours = [i - 1, i + 1, i - width, i + width];
      if (neighbours.some((n) => depth[n] <= 0)) continue;
      const p = point(i);
      const [l, r, u, d] = neighbours.map(point);
      const [ax, ay, az] = [r[0] - l[0], r[1] - l[1], r[2] - l[2]];
      const [bx, by, bz] = [d[0] - u[0], d[1] - u[1], d[2] - u[2]];
      // Towards the eye: across the picture times down it points away.
      const [nx, ny, nz] = [by * az - ay * bz, bz * ax - az * bx, bx * ay - ax * by];
      const length = Math.hypot(nx, ny, nz);
      // Down the picture is +y: what faces up has a normal with y below 0.
      if (!(length > 0) || -ny < 0.5 * length) continue;
      const eye = -(nx * p[0] + ny * p[1] + nz * p[2]) / length;
      const q = point(at);
      const off = (nx * (q[0] - p[0]) + ny * (q[1] - p[1]) + nz * (q[2] - p[2])) / length;
      const distance = Math.hypot(p[0], p[1], p[2]);
      if (!(eye > 0) || Math.abs(off) > OFF_PLANE * distance) continue;
      const along = (v: [number, number, number]) =>
        Math.hypot(v[0] + (eye * nx) / length, v[1] + (eye * ny) / length, v[2] + (eye * nz) / length);
      const near = along(p);
      const t = near > 0 ? along(q) / near : 1;
      out.cosine[i] = eye / distance;
      if (!(t > 1)) continue;
      out.height[i] = eye * (t - 1);
      out.down[i] = 2 * focal * (1 - 1 / t);
      out.across[i] = out.down[i] * out.cosine[i];
    }
  }
  return out;
}

/**
 * Spreads the reflection as a rough surface would: each pixel by a Gaussian of its own, longer down the picture than across.
 * `slope` is the standard deviation of the surface's slopes along one direction.
 */
export function spreadMirrored({ added, width, height }: Layers, mirror: Mirrored, slope: number, most: number): void {
  const reachOfMost = Math.ceil(3 * most);
  for (const [sigmas, dx, dy] of [
    [mirror.down, 0, 1],
    [mirror.across, 1, 0],
  ] as const) {
    const source = added.slice();
    const loud = loudRows(source, width, height);
    for (let y = 0; y < height; y++) {
      const rows = dy * reachOfMost;
      if (!loud.subarray(Math.max(0, y - rows), Math.min(height, y + rows + 1)).includes(1)) continue;
      for (let x = 0; x < width; x++) {
        const pixel = y * width + x;
        const sigma = Math.min(most, slope * sigmas[pixel]);
        if (!(sigma > 0.2)) continue;
        const reach = Math.ceil(3 * sigma);
        const over = -1 / (2 * sigma * sigma);
        let [r, g, b, weights] = [0, 0, 0, 0];
        for (let t = -reach; t <= reach; t++) {
          const u = Math.min(width - 1, Math.max(0, x + dx * t));
          const v = Math.min(height - 1, Math.max(0, y + dy * t));
          const weight = Math.exp(t * t * over);
          const i = (v * width + u) * 3;
          r += weight * source[i];
          g += weight * source[i + 1];
          b += weight * source[i + 2];
          weights += weight;
        }
        added[pixel * 3] = r / weights;
        added[pixel * 3 + 1] = g / weights;
        added[pixel * 3 + 2] = b / weights;
      }
    }
  }
}

function loudRows(pixels: Float32Array, width: number, height: number): Uint8Array {
  const row = width * 3;
  return Uint8Array.from({ length: height }, (_, y) => {
    for (let i = y * row, end = i + row; i < end; i++) if (pixels[i] !== 0) return 1;
    return 0;
  });
}
