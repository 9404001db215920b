import type { Vec2, Vec3 } from "#core/math/vec3";
import { add, scale } from "#core/math/vec3";
import type { Camera, Frame } from "#core/optics/camera";
import { projectPoint, tangentToPixel, toCamera } from "#core/optics/camera";

/** Lines of the solved world on the plate, bent by the lens, as runs of plate pixels. */

const NEAR = 0.05;

/** Plate pixels along the world segment a-b, cut at the camera's near plane. */
export function worldLine(camera: Camera, a: Vec3, b: Vec3, steps = 12): Vec2[] {
  let [za, zb] = [toCamera(camera, a)[2], toCamera(camera, b)[2]];
  if (za < NEAR && zb < NEAR) return [];
  let [p, q] = [a, b];
  if (za < NEAR) p = add(a, scale(add(b, scale(a, -1)), (NEAR - za) / (zb - za)));
  if (zb < NEAR) q = add(b, scale(add(a, scale(b, -1)), (NEAR - zb) / (za - zb)));
  za = Math.max(za, NEAR);
  zb = Math.max(zb, NEAR);
  const out: Vec2[] = [];
  const d = add(q, scale(p, -1));
  for (let i = 0; i <= steps; i++) {
    // Even steps on the plate, not in the world.
    const s = i / steps;
    const t = (s * za) / (s * za + (1 - s) * zb);
    const pixel = projectPoint(camera, add(p, scale(d, Number.isFinite(t) ? t : s)));
    if (pixel) out.push(pixel);
  }
  return out;
}

/** The horizon across the frame. */
export function horizonLine(camera: Camera, frame: Frame): Vec2[] {
  const up: Vec3 = [camera.rotation[0][2], camera.rotation[1][2], camera.rotation[2][2]];
  if (Math.abs(up[1]) < 1e-6) return [];
  const out: Vec2[] = [];
  const reach = (1.1 * frame.width) / camera.focalPx;
  for (let i = 0; i <= 24; i++) {
    const x = (i / 24 - 0.5) * reach;
    const pixel = tangentToPixel(camera, [x, -(up[0] * x + up[2]) / up[1]]);
    if (Math.abs(pixel[1]) < 4 * frame.height) out.push(pixel);
  }
  return out;
}

/** Lines of a metre grid on the ground around the world's origin, or before the camera. */
export function groundGrid(camera: Camera, reach = 12): Vec2[][] {
  const lines: Vec2[][] = [];
  const step = camera.position[2] > 8 ? Math.ceil(camera.position[2] / 4) : 1;
  const [cx, cy] = [Math.round(camera.position[0] / step) * step, Math.round(camera.position[1] / step) * step];
  const f = camera.rotation[2];
  const l = Math.hypot(f[0], f[1]) || 1;
  const [mx, my] = [cx + Math.round((f[0] / l) * reach * 0.8) * step, cy + Math.round((f[1] / l) * reach * 0.8) * step];
  for (let i = -reach; i <= reach; i++) {
    lines.push(worldLine(camera, [mx + i * step, my - reach * step, 0], [mx + i * step, my + reach * step, 0]));
    lines.push(worldLine(camera, [mx - reach * step, my + i * step, 0], [mx + reach * step, my + i * step, 0]));
  }
  return lines.filter((line) => line.length > 1);
}

/** Edges of a box that stands on the ground with its near corner at `at`. */
export function boxLines(camera: Camera, at: Vec3, size: Vec3): Vec2[][] {
  const corner = (i: number): Vec3 => [
    at[0] + (i & 1 ? size[0] : 0),
    at[1] + (i & 2 ? size[1] : 0),
    at[2] + (i & 4 ? size[2] : 0),
  ];
  const lines: Vec2[][] = [];
  for (let i = 0; i < 8; i++)
    for (const bit of [1, 2, 4]) if (!(i & bit)) lines.push(worldLine(camera, corner(i), corner(i | bit), 4));
  return lines.filter((line) => line.length > 1);
}
