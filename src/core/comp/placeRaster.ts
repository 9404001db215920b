import type { Vec3 } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { pixelToTangent, toCamera } from "../optics/camera.ts";
import { meshOf } from "../set/pieces.ts";
import { facesOf } from "../set/faces.ts";
import type { SetPart } from "../set/schema.ts";
import type { Place } from "./mattes/shape.ts";

/** Metres from the camera at which what comes nearer is cut. */
const NEAR = 0.02;

interface Corner {
  /** Tangents times distance: the pinhole picture of the plate's scale. */
  x: number;
  y: number;
  /** One over the distance along the view axis. */
  over: number;
}

/**
 * What the camera sees of the set in some rows of a picture: the nearest part and its distance along the view axis. Drawn
 * as a pinhole picture of like scale, from which every pixel takes what its own ray meets, so that the lens is the plate's.
 */
export function placeOf(
  { set }: Pick<SetPart, "set">,
  camera: Camera,
  picture: { full: { width: number; height: number }; scale: number; y0: number; rows: number },
): Place {
  const { full, scale, y0, rows } = picture;
  const focal = camera.focalPx * scale;
  const tangents = new Float32Array(full.width * rows * 2);
  let [left, right, top, foot] = [Infinity, -Infinity, Infinity, -Infinity];
  for (let y = 0, i = 0; y < rows; y++)
    for (let x = 0; x < full.width; x++, i += 2) {
      const [u, v] = pixelToTangent(camera, [(x + 0.5) / scale, (y + y0 + 0.5) / scale]);
      tangents[i] = u * focal;
      tangents[i + 1] = v * focal;
      if (tangents[i] < left) left = tangents[i];
      if (tangents[i] > right) right = tangents[i];
      if (tangents[i + 1] < top) top = tangents[i + 1];
      if (tangents[i + 1] > foot) foot = tangents[i + 1];
    }
  const [originX, originY] = [Math.floor(left) - 1, Math.floor(top) - 1];
  const [width, height] = [Math.ceil(right) - originX + 2, Math.ceil(foot) - originY + 2];
  const over = new Float32Array(width * height);
  const owner = new Uint16Array(width * height);
  const ids = Object.keys(set);
  ids.forEach((id, number) => {
    const { positions, indices } = meshOf(facesOf(set, id));
    for (let t = 0; t < indices.length; t += 3) {
      const corners = [0, 1, 2].map((k) => {
        const at = indices[t + k] * 3;
        return toCamera(camera, [positions[at], positions[at + 1], positions[at + 2]]);
      });
      const seen = clipped(corners).map(([x, y, z]): Corner => ({
        x: (focal * x) / z,
        y: (focal * y) / z,
        over: 1 / z,
      }));
      for (let k = 2; k < seen.length; k++)
        drawTriangle([seen[0], seen[k - 1], seen[k]], number + 1, { originX, originY, width, height, over, owner });
    }
  });
  const part = new Uint16Array(full.width * rows);
  const depth = new Float32Array(full.width * rows);
  for (let i = 0; i < part.length; i++) {
    const at = (Math.floor(tangents[i * 2 + 1]) - originY) * width + Math.floor(tangents[i * 2]) - originX;
    part[i] = owner[at];
    depth[i] = owner[at] > 0 ? 1 / over[at] : 0;
  }
  return { parts: ids, part, depth, rays: tangents.map((t) => t / focal) };
}

/** What of a triangle in the camera's frame lies before it. */
function clipped(corners: Vec3[]): Vec3[] {
  const out: Vec3[] = [];
  corners.forEach((a, i) => {
    const b = corners[(i + 1) % corners.length];
    if (a[2] >= NEAR) out.push(a);
    if (a[2] >= NEAR !== b[2] >= NEAR) {
      const t = (NEAR - a[2]) / (b[2] - a[2]);
      out.push([0, 1, 2].map((k) => a[k] + t * (b[k] - a[k])) as Vec3);
    }
  });
  return out;
}

interface Raster {
  originX: number;
  originY: number;
  width: number;
  height: number;
  over: Float32Array;
  owner: Uint16Array;
}

/** Draws a triangle where it is nearest; one over the distance is even in the picture. */
function drawTriangle([a, b, c]: [Corner, Corner, Corner], number: number, raster: Raster): void {
  const { originX, originY, width, height, over, owner } = raster;
  const area = (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
  if (area === 0) return;
  const y0 = Math.max(0, Math.ceil(Math.min(a.y, b.y, c.y) - originY - 0.5));
  const y1 = Math.min(height - 1, Math.floor(Math.max(a.y, b.y, c.y) - originY - 0.5));
  for (let y = y0; y <= y1; y++) {
    const v = y + originY + 0.5;
    let [from, to] = [Infinity, -Infinity];
    for (const [p, q] of [
      [a, b],
      [b, c],
      [c, a],
    ]) {
      if (p.y > v === q.y > v) continue;
      const x = p.x + ((v - p.y) / (q.y - p.y)) * (q.x - p.x);
      from = Math.min(from, x);
      to = Math.max(to, x);
    }
    const x0 = Math.max(0, Math.ceil(from - originX - 0.5));
    const x1 = Math.min(width - 1, Math.floor(to - originX - 0.5));
    for (let x = x0; x <= x1; x++) {
      const u = x + originX + 0.5;
      const s = ((u - a.x) * (c.y - a.y) - (v - a.y) * (c.x - a.x)) / area;
      const t = ((b.x - a.x) * (v - a.y) - (b.y - a.y) * (u - a.x)) / area;
      const near = a.over + s * (b.over - a.over) + t * (c.over - a.over);
      const i = y * width + x;
      if (near > over[i]) {
        over[i] = near;
        owner[i] = number;
      }
    }
  }
}
