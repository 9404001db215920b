import { loudRows } from "./blur.ts";
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
export function mirrored({ prop, added, width, height: rows }: Layers, where: Where): Mirrored | null {
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
  const near = nearAdded(added, width, rows, Math.ceil(3 * MOST_SPREAD * scale));
  for (let x = Math.max(1, near.left); x < Math.min(width - 1, near.right); x++) {
    let last = -Infinity;
    for (let y = 1; y < Math.min(rows - 1, near.foot); y++) {
      const i = y * width + x;
      if (prop[i * 4 + 3] > 0.5) last = y;
      const foot = Math.max(last, y - look);
      if (y < near.top || foot < 0 || depth[i] <= 0) continue;
      const at = foot * width + x;
      const [l, r, u, d] = [depth[i - 1], depth[i + 1], depth[i - width], depth[i + width]];
      if (depth[at] <= 0 || l <= 0 || r <= 0 || u <= 0 || d <= 0) continue;
      // Steps of the surface across the picture and down it.
      const ax = rays[i * 2 + 2] * r - rays[i * 2 - 2] * l;
      const ay = rays[i * 2 + 3] * r - rays[i * 2 - 1] * l;
      const az = r - l;
      const [above, below] = [(i - width) * 2, (i + width) * 2];
      const bx = rays[below] * d - rays[above] * u;
      const by = rays[below + 1] * d - rays[above + 1] * u;
      const bz = d - u;
      // Towards the eye: across the picture times down it points away.
      let nx = by * az - ay * bz;
      let ny = bz * ax - az * bx;
      let nz = bx * ay - ax * by;
      const length = Math.hypot(nx, ny, nz);
      // Down the picture is +y: what faces up has a normal with y below 0.
      if (!(length > 0) || -ny < 0.5 * length) continue;
      nx /= length;
      ny /= length;
      nz /= length;
      const pz = depth[i];
      const px = rays[i * 2] * pz;
      const py = rays[i * 2 + 1] * pz;
      const qz = depth[at];
      const qx = rays[at * 2] * qz;
      const qy = rays[at * 2 + 1] * qz;
      const eye = -(nx * px + ny * py + nz * pz);
      const off = nx * (qx - px) + ny * (qy - py) + nz * (qz - pz);
      const distance = Math.hypot(px, py, pz);
      if (!(eye > 0) || Math.abs(off) > OFF_PLANE * distance) continue;
      // Distances along the plane from the point under the eye.
      const own = Math.hypot(px + eye * nx, py + eye * ny, pz + eye * nz);
      const t = own > 0 ? Math.hypot(qx + eye * nx, qy + eye * ny, qz + eye * nz) / own : 1;
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
    const loud = loudRows(source, width * 3, height, 0);
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

/** Columns and rows that lie so near some added light, without the last; none where there is none. */
function nearAdded(added: Float32Array, width: number, height: number, reach: number) {
  const box = { left: Infinity, right: -Infinity, top: Infinity, foot: -Infinity };
  for (let y = 0, i = 0; y < height; y++)
    for (let x = 0; x < width; x++, i += 3) {
      if (added[i] === 0 && added[i + 1] === 0 && added[i + 2] === 0) continue;
      box.left = Math.min(box.left, x - reach);
      box.right = Math.max(box.right, x + reach + 1);
      box.top = Math.min(box.top, y - reach);
      box.foot = Math.max(box.foot, y + reach + 1);
    }
  return box;
}
