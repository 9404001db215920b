import type { Vec2, Vec3 } from "#core/math/vec3";
import { add, apply, scale } from "#core/math/vec3";
import type { Camera, Frame } from "#core/optics/camera";
import { pixelToTangent, projectPoint, tangentToPixel, toCamera } from "#core/optics/camera";
import { isDistorted, unfoldedRadius } from "#core/optics/distortion";

/** Lines of the solved world on the plate, bent by the lens, as runs of plate pixels. */

const NEAR = 0.05;

/** Radius of undistorted coordinates within which a lens can be drawn: short of its fold, and not far out of the frame. */
function drawnRadius(camera: Camera): number {
  const frame = Math.hypot(...camera.principal) / camera.focalPx;
  return Math.min(0.98 * unfoldedRadius(camera.distortion), 4 * Math.max(0.3, frame));
}

/** Plate pixels along the world segment a-b, cut at the camera's near plane and where the lens cannot be drawn any more. */
export function worldLine(camera: Camera, a: Vec3, b: Vec3, bends = 12): Vec2[] {
  // Without distortion straight things are straight: two points draw them.
  const steps = isDistorted(camera.distortion) ? bends : 1;
  const [za, zb] = [toCamera(camera, a)[2], toCamera(camera, b)[2]];
  if (za < NEAR && zb < NEAR) return [];
  const d = add(b, scale(a, -1));
  const cut = (t: number) => toCamera(camera, add(a, scale(d, t)));
  const p = cut(za < NEAR ? (NEAR - za) / (zb - za) : 0);
  const q = cut(zb < NEAR ? (NEAR - za) / (zb - za) : 1);
  const from: Vec2 = [p[0] / p[2], p[1] / p[2]];
  const way: Vec2 = [q[0] / q[2] - from[0], q[1] / q[2] - from[1]];
  // A world segment is straight in undistorted coordinates: it is cut by a circle there.
  const radius = drawnRadius(camera);
  const aa = way[0] ** 2 + way[1] ** 2;
  const ab = from[0] * way[0] + from[1] * way[1];
  const bb = from[0] ** 2 + from[1] ** 2 - radius ** 2;
  let [low, high] = [0, 1];
  if (aa > 1e-18) {
    const root = ab * ab - aa * bb;
    if (root < 0) return [];
    low = Math.max(0, (-ab - Math.sqrt(root)) / aa);
    high = Math.min(1, (-ab + Math.sqrt(root)) / aa);
    if (low >= high) return [];
  } else if (bb > 0) return [];
  return Array.from({ length: steps + 1 }, (_, i) => {
    const t = low + ((high - low) * i) / steps;
    return tangentToPixel(camera, [from[0] + way[0] * t, from[1] + way[1] * t]);
  });
}

/** The horizon across the frame, of what lies square to an upward direction of the world. */
export function horizonLine(camera: Camera, frame: Frame, upright: Vec3 = [0, 0, 1]): Vec2[] {
  const up = apply(camera.rotation, upright);
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

/**
 * Lines of a metre grid on a plane: the ground, or upright and facing along X or Y, at `at` metres along its normal;
 * around the world's origin, or before the camera.
 */
export function planeGrid(camera: Camera, plane: "ground" | "facing-x" | "facing-y", at: number, reach = 12): Vec2[][] {
  const normal = plane === "ground" ? 2 : plane === "facing-x" ? 0 : 1;
  const [i, j] = [0, 1, 2].filter((k) => k !== normal);
  const away = Math.abs(camera.position[normal] - at);
  const step = away > 8 ? Math.ceil(away / 4) : 1;
  const f = camera.rotation[2];
  const l = Math.hypot(f[i], f[j]) || 1;
  const middle = (k: number) =>
    // An upright grid stands on the ground.
    k === 2 ? reach * step : Math.round(camera.position[k] / step) * step + Math.round((f[k] / l) * reach * 0.8) * step;
  const low = (k: number) => (k === 2 ? 0 : middle(k) - reach * step);
  const high = (k: number) => (k === 2 ? 2 * Math.ceil(reach / 2) * step * 0.5 : middle(k) + reach * step);
  const point = (a: number, b: number): Vec3 => {
    const p: Vec3 = [0, 0, 0];
    p[normal] = at;
    p[i] = a;
    p[j] = b;
    return p;
  };
  const lines: Vec2[][] = [];
  for (let a = low(i); a <= high(i) + 1e-9; a += step)
    lines.push(worldLine(camera, point(a, low(j)), point(a, high(j))));
  for (let b = low(j); b <= high(j) + 1e-9; b += step)
    lines.push(worldLine(camera, point(low(i), b), point(high(i), b)));
  return lines.filter((line) => line.length > 1);
}

/** Squares of a checker of `size` metres laid on the ground around a point, the dark ones, as closed rings of pixels. */
export function checkerCells(camera: Camera, at: Vec3, size = 0.5, half = 4): Vec2[][] {
  const cells: Vec2[][] = [];
  for (let i = -half; i < half; i++) {
    for (let j = -half; j < half; j++) {
      if ((i + j) % 2 !== 0) continue;
      const corner = (a: number, b: number): Vec3 => [at[0] + (i + a) * size, at[1] + (j + b) * size, at[2]];
      const ring = [
        ...worldLine(camera, corner(0, 0), corner(1, 0), 2),
        ...worldLine(camera, corner(1, 0), corner(1, 1), 2),
        ...worldLine(camera, corner(1, 1), corner(0, 1), 2),
        ...worldLine(camera, corner(0, 1), corner(0, 0), 2),
      ];
      if (ring.length > 6) cells.push(ring);
    }
  }
  return cells;
}

/** An upright pole with a mark at every metre, its marks facing the camera. */
export function poleLines(camera: Camera, foot: Vec3, height = 3): Vec2[][] {
  const side: Vec3 = scale(camera.rotation[0], 0.09);
  const lines = [worldLine(camera, foot, add(foot, [0, 0, height]), 8)];
  for (let h = 0; h <= height * 2; h++) {
    const at = add(foot, [0, 0, h / 2]);
    const s = h % 2 === 0 ? side : scale(side, 0.5);
    lines.push(worldLine(camera, add(at, scale(s, -1)), add(at, s), 2));
  }
  return lines.filter((line) => line.length > 1);
}

/** Height of the standing figure, metres. */
export const PERSON_HEIGHT = 1.71;

/** Half outline of a standing person from the sole up: distance from the middle and height, over the whole height. */
const PERSON: [number, number][] = [
  [0.03, 0],
  [0.075, 0.01],
  [0.06, 0.05],
  [0.07, 0.27],
  [0.085, 0.46],
  [0.1, 0.52],
  [0.105, 0.44],
  [0.13, 0.43],
  [0.135, 0.62],
  [0.125, 0.79],
  [0.1, 0.82],
  [0.035, 0.845],
  [0.033, 0.87],
  [0.05, 0.9],
  [0.052, 0.95],
  [0.03, 0.99],
  [0, 1],
];

/** A person-sized figure that stands at a point and faces the camera, as one closed ring of pixels. */
export function personRing(camera: Camera, foot: Vec3): Vec2[] {
  const [rx, ry] = camera.rotation[0];
  const l = Math.hypot(rx, ry) || 1;
  const place = (x: number, z: number): Vec3 => [
    foot[0] + (rx / l) * x * PERSON_HEIGHT,
    foot[1] + (ry / l) * x * PERSON_HEIGHT,
    foot[2] + z * PERSON_HEIGHT,
  ];
  const ring = [...PERSON.map(([x, z]) => place(x, z)), ...[...PERSON].reverse().map(([x, z]) => place(-x, z))];
  const pixels = ring.map((p) => projectPoint(camera, p));
  return pixels.every((p): p is Vec2 => p !== null) ? pixels : [];
}

/** A room's corner at a point: a floor and two walls of a metre and a half as three squares of lines. */
export function cornerLines(camera: Camera, at: Vec3, size = 1.5): Vec2[][] {
  const lines: Vec2[][] = [];
  // The two walls stand away from the camera, so that one looks into the corner.
  const sign = [0, 1].map((k) => (camera.position[k] > at[k] ? 1 : -1));
  const p = (a: number, b: number, c: number): Vec3 => [
    at[0] + sign[0] * a * size,
    at[1] + sign[1] * b * size,
    at[2] + c * size,
  ];
  for (let k = 0; k <= 3; k++) {
    const t = k / 3;
    for (const [a, b] of [
      [p(t, 0, 0), p(t, 1, 0)],
      [p(0, t, 0), p(1, t, 0)],
      [p(t, 0, 0), p(t, 0, 1)],
      [p(0, 0, t), p(1, 0, t)],
      [p(0, t, 0), p(0, t, 1)],
      [p(0, 0, t), p(0, 1, t)],
    ])
      lines.push(worldLine(camera, a, b, 4));
  }
  return lines.filter((line) => line.length > 1);
}

/** The picture of the line along a world axis through whatever a pixel shows: where such an edge would run. */
export function lineThrough(camera: Camera, pixel: Vec2, axis: Vec3, half: number): Vec2[] {
  const [x, y] = pixelToTangent(camera, pixel);
  const d = apply(camera.rotation, axis);
  const [dx, dy] = [d[0] - x * d[2], d[1] - y * d[2]];
  const l = Math.hypot(dx, dy);
  if (l < 1e-6) return [];
  const s = half / camera.focalPx / l;
  return Array.from({ length: 9 }, (_, i) => {
    const t = (i / 4 - 1) * s;
    return tangentToPixel(camera, [x + dx * t, y + dy * t]);
  });
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
