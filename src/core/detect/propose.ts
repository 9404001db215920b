import type { Vec2 } from "../math/vec3.ts";
import type { Frame } from "../optics/camera.ts";
import type { LineGroup } from "./groups.ts";
import { groupLines } from "./groups.ts";
import { findSegments, lengthOf } from "./segments.ts";
import type { Segment } from "./segments.ts";
import { stickEdge } from "./stick.ts";
import type { Tone } from "./tone.ts";

/** An edge proposed for the user to accept: from its − to its + end. */
export interface Proposal {
  axis: "x" | "y" | "z";
  points: [Vec2, Vec2];
}

/** Most edges proposed along one direction. */
const MOST = 16;

/**
 * Edges of a plate along its three main directions: straight segments found, brought onto the plate to parts of a pixel,
 * grouped by where they meet; of those that lie side by side on one thing only the longest is kept, and of the rest the
 * longest along each direction. An empty list where the plate shows no such directions.
 */
export function proposeEdges(tone: Tone): Proposal[] {
  const frame: Frame = { width: tone.width, height: tone.height };
  const segments = findSegments(tone).slice(0, 400);
  const kept: Segment[] = [];
  for (const s of segments) {
    if (kept.some((k) => besides(k, s, 0.006 * Math.hypot(frame.width, frame.height)))) continue;
    const stuck = stickEdge(tone, s.from, s.to, 3);
    if (stuck && stuck.scatter > 0.9) continue;
    kept.push(stuck ? { ...s, from: stuck.from, to: stuck.to } : s);
  }
  return groupLines(kept, frame, 0.02).flatMap((group) =>
    [...group.lines]
      .sort((a, b) => lengthOf(kept[b]) - lengthOf(kept[a]))
      .slice(0, MOST)
      .map((i) => ({ axis: group.axis, points: oriented(group, kept[i], frame) })),
  );
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
function oriented(group: LineGroup, s: Segment, frame: Frame): [Vec2, Vec2] {
  if (group.axis === "z") return s.from[1] > s.to[1] ? [s.from, s.to] : [s.to, s.from];
  const size = Math.hypot(frame.width, frame.height) / 2;
  const middle = [
    ((s.from[0] + s.to[0]) / 2 - frame.width / 2) / size,
    ((s.from[1] + s.to[1]) / 2 - frame.height / 2) / size,
  ];
  const [px, py, pw] = group.point;
  const sign = Math.abs(pw) < 1e-6 ? (Math.sign(px) || 1) * (group.axis === "x" ? 1 : -1) : Math.sign(pw);
  const towards = [(px - middle[0] * pw) * sign, (py - middle[1] * pw) * sign];
  const dot = (s.to[0] - s.from[0]) * towards[0] + (s.to[1] - s.from[1]) * towards[1];
  return dot >= 0 ? [s.from, s.to] : [s.to, s.from];
}
