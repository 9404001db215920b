import type { Vec2, Vec3 } from "../math/vec3.ts";
import type { Frame } from "../optics/camera.ts";
import type { LensBelief, Reading } from "./reading.ts";
import { readDirections } from "./reading.ts";
import { findSegments, lengthOf } from "./segments.ts";
import type { Segment } from "./segments.ts";
import { stickEdge } from "./stick.ts";
import type { Tone } from "./tone.ts";

/** An edge proposed for the user to accept: from its − to its + end. */
export interface Proposal {
  /** x, y, z, level:NAME, level:NAME+90 or free:NAME. */
  axis: string;
  points: [Vec2, Vec2];
  /** Chance that its family is what it is said to be. */
  sure: number;
}

/** What the found lines say of the lens. */
export type FoundLens = Pick<Reading, "focalPx" | "relative" | "lensSure" | "alone">;

export interface Proposals {
  edges: Proposal[];
  lens: FoundLens | null;
}

/** The longest so many segments are read. */
const MOST_READ = 180;
/** Most edges proposed along one direction. */
const MOST = 16;
/** Chance from which a family is taken by “accept the sure ones”. */
export const SURE = 0.85;
/** Standard deviation of the ends of a found edge, pixels. */
const FOUND_SIGMA = 0.7;

/**
 * Edges of a plate along its directions: straight segments found, brought onto the plate to parts of a pixel, read as
 * upright, any number of level headings, sloped families and clutter; of those that lie side by side on one thing only the
 * longest is kept, and of the rest the longest along each direction. `belief` is what is known of the lens. Empty where
 * the plate shows no directions.
 */
export function proposeEdges(tone: Tone, belief: LensBelief | null = null): Proposals {
  const frame: Frame = { width: tone.width, height: tone.height };
  const segments = findSegments(tone).slice(0, 400);
  const kept: Segment[] = [];
  for (const s of segments) {
    if (kept.some((k) => besides(k, s, 0.006 * Math.hypot(frame.width, frame.height)))) continue;
    const stuck = stickEdge(tone, s.from, s.to, 3);
    if (stuck && stuck.scatter > 0.9) continue;
    kept.push(stuck ? { ...s, from: stuck.from, to: stuck.to } : s);
  }
  const reading = readDirections(kept.slice(0, MOST_READ), frame, { sigmaPx: FOUND_SIGMA, belief });
  if (!reading) return { edges: [], lens: null };
  const edges = reading.families.flatMap((family) =>
    [...family.lines]
      .sort((a, b) => lengthOf(kept[b]) - lengthOf(kept[a]))
      .slice(0, MOST)
      .map((i) => ({
        axis: family.axis,
        points: oriented(family.axis, vanishingPoint(family.direction, reading.focalPx, frame), kept[i], frame),
        sure: family.sure,
      })),
  );
  return { edges, lens: reading };
}

/** A direction's vanishing point: homogeneous, from the middle of the frame over half the diagonal. */
function vanishingPoint(d: Vec3, focalPx: number, frame: Frame): Vec3 {
  const focal = focalPx / (Math.hypot(frame.width, frame.height) / 2);
  return [focal * d[0], focal * d[1], d[2]];
}

/** True if the shorter segment runs along the longer one within a distance: the other side of the same thing. */
function besides(long: Segment, short: Segment, distance: number): boolean {
  const [dx, dy] = [long.to[0] - long.from[0], long.to[1] - long.from[1]];
  const l = Math.hypot(dx, dy) || 1;
  const off = (p: Vec2) => Math.abs((p[0] - long.from[0]) * dy - (p[1] - long.from[1]) * dx) / l;
  const along = (p: Vec2) => ((p[0] - long.from[0]) * dx + (p[1] - long.from[1]) * dy) / l;
  if (off(short.from) > distance || off(short.to) > distance) return false;
  const [a, b] = [along(short.from), along(short.to)].sort((x, y) => x - y);
  return Math.min(b, l) - Math.max(a, 0) > 0.4 * (b - a);
}

/** Ends in the order − to +: uprights upwards, the others towards where they meet. */
function oriented(axis: string, [px, py, pw]: Vec3, s: Segment, frame: Frame): [Vec2, Vec2] {
  if (axis === "z") return s.from[1] > s.to[1] ? [s.from, s.to] : [s.to, s.from];
  const size = Math.hypot(frame.width, frame.height) / 2;
  const middle = [
    ((s.from[0] + s.to[0]) / 2 - frame.width / 2) / size,
    ((s.from[1] + s.to[1]) / 2 - frame.height / 2) / size,
  ];
  const sign = Math.abs(pw) < 1e-6 ? (Math.sign(px) || 1) * (axis === "y" ? -1 : 1) : Math.sign(pw);
  const towards = [(px - middle[0] * pw) * sign, (py - middle[1] * pw) * sign];
  const dot = (s.to[0] - s.from[0]) * towards[0] + (s.to[1] - s.from[1]) * towards[1];
  return dot >= 0 ? [s.from, s.to] : [s.to, s.from];
}
