import type { Vec2, Vec3 } from "../math/vec3.ts";
import { cross, normalize } from "../math/vec3.ts";
import type { Frame } from "../optics/camera.ts";

/** A straight mark by its ends, pixels. */
export interface Line {
  from: Vec2;
  to: Vec2;
}

/** A line in the normalised picture: pixels from the middle of the frame over half the diagonal. */
export interface NormalLine {
  /** Unit homogeneous line. */
  line: Vec3;
  middle: Vec2;
  direction: Vec2;
  length: number;
  /** Standard deviation of its own direction in the picture, radians. */
  sigma: number;
}

/** How far real edges are off the direction of the thing they belong to, radians (half a degree; common practice, no published source). */
const MODEL_SIGMA = 0.0045;

/**
 * A line in the normalised picture; its ends are off by `sigmaPx` each. `bend` is the lens's distortion: points at radius r
 * (halves of the diagonal) are shown farther out by the share bend · r².
 */
export function normalLine(l: Line, frame: Frame, sigmaPx: number, bend = 0): NormalLine {
  const [cx, cy, size] = [frame.width / 2, frame.height / 2, Math.hypot(frame.width, frame.height) / 2];
  const straight = ([u, v]: Vec2): Vec3 => {
    const [x, y] = [(u - cx) / size, (v - cy) / size];
    const s = 1 / (1 + bend * (x * x + y * y));
    return [x * s, y * s, 1];
  };
  const [a, b] = [straight(l.from), straight(l.to)];
  const d = Math.hypot(b[0] - a[0], b[1] - a[1]);
  return {
    line: normalize(cross(a, b)),
    middle: [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2],
    direction: [(b[0] - a[0]) / d, (b[1] - a[1]) / d],
    length: d,
    sigma: Math.hypot((Math.SQRT2 * sigmaPx) / (d * size), MODEL_SIGMA),
  };
}

/**
 * Signed angle from a line to the direction from its middle to a vanishing point (homogeneous, normalised picture),
 * radians from −π/2 to π/2.
 */
export function turnTo(l: NormalLine, x: number, y: number, w: number): number {
  const dx = x - l.middle[0] * w;
  const dy = y - l.middle[1] * w;
  const across = l.direction[0] * dy - l.direction[1] * dx;
  const along = l.direction[0] * dx + l.direction[1] * dy;
  return along < 0 ? Math.atan2(-across, -along) : Math.atan2(across, along);
}
