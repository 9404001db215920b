import type { Vec2, Vec3 } from "../math/vec3.ts";
import { apply } from "../math/vec3.ts";
import type { Camera, Frame } from "../optics/camera.ts";
import { pixelToTangent, tangentToPixel } from "../optics/camera.ts";
import { informationOf } from "./adjust.ts";
import { EdgeEvidence } from "./evidence.ts";
import { invertSymmetric } from "../math/linear.ts";
import type { Inside } from "./solve.ts";
import { FOCAL_INDEX, unknownCount } from "./unknowns.ts";

/** A place where one more edge would help. */
export interface GhostEdge {
  axis: "x" | "y" | "z";
  points: [Vec2, Vec2];
  /** Share by which the ± of the focal length (of the rotation where that is held) would shrink. */
  gain: number;
}

const AXES: Record<"x" | "y" | "z", Vec3> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };

/** Plate pixels around `middle` on the picture of a line that runs along `axis` there; null where it is a point. */
function lineAt(camera: Camera, middle: Vec2, axis: Vec3, half: number): [Vec2, Vec2] | null {
  const [x, y] = pixelToTangent(camera, middle);
  const d = apply(camera.rotation, axis);
  const [dx, dy] = [d[0] - x * d[2], d[1] - y * d[2]];
  const l = Math.hypot(dx, dy);
  if (l < 0.05) return null;
  const s = half / camera.focalPx / l;
  return [tangentToPixel(camera, [x - dx * s, y - dy * s]), tangentToPixel(camera, [x + dx * s, y + dy * s])];
}

/** Variance that an edge is meant to bring down: of the focal length, or of the whole rotation where that is held. */
function judged(inside: Inside, information: Float64Array): number {
  const n = unknownCount(inside.unknowns);
  const covariance = invertSymmetric(information, n);
  if (!covariance) return Infinity;
  if (inside.unknowns.focal) return covariance[FOCAL_INDEX * n + FOCAL_INDEX];
  return covariance[0] + covariance[n + 1] + covariance[2 * n + 2];
}

/** Places kept for each axis, so that one where the plate shows something can be chosen. */
const PLACES = 6;

/**
 * Where a further edge would help most: edges of a quarter of the frame's height are tried along each axis all over the
 * plate, and for each axis the best places are kept that take five per cent or more off, best first.
 */
export function ghostEdges(inside: Inside, frame: Frame, sigmaPx: number): GhostEdge[] {
  const { unknowns: u, state, adjusted } = inside;
  const before = judged(inside, adjusted.linear.matrix);
  const half = Math.min(frame.width, frame.height) / 8;
  const found: GhostEdge[] = [];
  for (const axis of ["x", "y", "z"] as const) {
    const places: GhostEdge[] = [];
    for (let i = 0; i < 5; i++) {
      for (let j = 0; j < 4; j++) {
        const middle: Vec2 = [((i + 0.6) / 5.2) * frame.width, ((j + 0.6) / 4.2) * frame.height];
        const points = lineAt(state.camera, middle, AXES[axis], half);
        if (!points || points.some((p) => p[0] < 0 || p[1] < 0 || p[0] > frame.width || p[1] > frame.height)) continue;
        const e = new EdgeEvidence({ id: "", axis, points, sigmaPx }, false);
        const more = informationOf(u, e, state);
        const after = judged(
          inside,
          adjusted.linear.matrix.map((m, k) => m + more[k]),
        );
        const gain = 1 - Math.sqrt(after / before);
        if (gain > 0.05) places.push({ axis, points, gain });
      }
    }
    found.push(...places.sort((a, b) => b.gain - a.gain).slice(0, PLACES));
  }
  return found.sort((a, b) => b.gain - a.gain);
}
