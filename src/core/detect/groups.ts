import type { Vec2, Vec3 } from "../math/vec3.ts";
import { cross, dot, normalize } from "../math/vec3.ts";
import type { Frame } from "../optics/camera.ts";

/** Straight marks grouped by the point that they run to, and which world direction each group most likely is. */

export interface Line {
  from: Vec2;
  to: Vec2;
}

export interface LineGroup {
  axis: "x" | "y" | "z";
  /** Indices of its lines. */
  lines: number[];
  /** Vanishing point, homogeneous, in pixels from the middle of the frame over half the diagonal. */
  point: Vec3;
}

interface Prepared {
  /** Unit homogeneous line, and its middle, direction and length in the normalised picture. */
  line: Vec3;
  middle: Vec2;
  direction: Vec2;
  length: number;
}

/** Angle between a line and the direction from its middle to a point, radians. */
function misalignment(l: Prepared, p: Vec3): number {
  const [dx, dy] = [p[0] - l.middle[0] * p[2], p[1] - l.middle[1] * p[2]];
  const d = Math.hypot(dx, dy);
  if (d < 1e-9) return 0;
  return Math.asin(Math.min(1, Math.abs(l.direction[0] * dy - l.direction[1] * dx) / d));
}

/** Deterministic pseudo-random numbers for the trials (Marsaglia 2003, xorshift). */
function shuffler(seed: number): () => number {
  let s = seed >>> 0 || 1;
  return () => {
    s ^= s << 13;
    s ^= s >>> 17;
    s ^= s << 5;
    return (s >>> 0) / 4294967296;
  };
}

const prepare = (frame: Frame) => {
  const [cx, cy, size] = [frame.width / 2, frame.height / 2, Math.hypot(frame.width, frame.height) / 2];
  return (l: Line): Prepared => {
    const a: Vec3 = [(l.from[0] - cx) / size, (l.from[1] - cy) / size, 1];
    const b: Vec3 = [(l.to[0] - cx) / size, (l.to[1] - cy) / size, 1];
    const d = Math.hypot(b[0] - a[0], b[1] - a[1]);
    return {
      line: normalize(cross(a, b)),
      middle: [(a[0] + b[0]) / 2, (a[1] + b[1]) / 2],
      direction: [(b[0] - a[0]) / d, (b[1] - a[1]) / d],
      length: d,
    };
  };
};

interface Candidate {
  point: Vec3;
  members: number[];
  weight: number;
}

/** Pairs of lines to try for a common point: all of few, a draw that prefers long ones of many. */
function pairsOf(lines: Prepared[], free: number[], random: () => number): [number, number][] {
  const pairs: [number, number][] = [];
  if (free.length * (free.length - 1) <= 6000) {
    for (let i = 0; i < free.length; i++) for (let j = 0; j < i; j++) pairs.push([free[i], free[j]]);
    return pairs;
  }
  const total = free.reduce((s, i) => s + lines[i].length, 0);
  const pick = () => {
    let r = random() * total;
    for (const i of free) if ((r -= lines[i].length) <= 0) return i;
    return free[0];
  };
  while (pairs.length < 3000) pairs.push([pick(), pick()]);
  return pairs;
}

/** The lines that run to a point, with their length; one that passes it by counts less, up to the tolerance. */
function gather(lines: Prepared[], free: number[], point: Vec3, tolerance: number): Candidate {
  const members: number[] = [];
  let weight = 0;
  for (const i of free) {
    const off = misalignment(lines[i], point) / tolerance;
    if (off >= 1) continue;
    members.push(i);
    weight += lines[i].length * (1 - 0.5 * off * off);
  }
  return { point, members, weight };
}

/** Points that many lines run to, the heaviest first: crossings of pairs, each refined over its members. */
function candidatePoints(lines: Prepared[], free: number[], tolerance: number, random: () => number): Candidate[] {
  const found = new Map<string, Candidate>();
  for (const [i, j] of pairsOf(lines, free, random)) {
    if (i === j) continue;
    const p = cross(lines[i].line, lines[j].line);
    const l = Math.hypot(...p);
    if (l < 1e-5) continue;
    const point: Vec3 = [p[0] / l, p[1] / l, p[2] / l];
    // A crossing on a line itself is a corner of a thing, not a vanishing point.
    const corner = [lines[i], lines[j]].some(
      (q) =>
        Math.abs(point[2]) > 1e-6 &&
        Math.hypot(point[0] / point[2] - q.middle[0], point[1] / point[2] - q.middle[1]) < 0.6 * q.length,
    );
    if (corner) continue;
    const c = gather(lines, free, point, tolerance);
    const key = c.members.join();
    if (!found.has(key)) found.set(key, c);
  }
  const best: Candidate[] = [];
  for (const c of [...found.values()].sort((a, b) => b.weight - a.weight)) {
    if (best.length === MOST_CANDIDATES) break;
    // Of many points that serve nearly the same lines the heaviest stands for all.
    if (c.members.length <= 4 || !best.some((k) => alike(k, c))) best.push(c);
  }
  return best.map((c) => {
    const middle = c.members.length > 2 ? meeting(c.members.map((i) => lines[i])) : null;
    const refined = middle && gather(lines, free, middle, tolerance);
    return refined && refined.weight >= c.weight ? refined : c;
  });
}

const MOST_CANDIDATES = 70;

/** True if two points share most of their lines. */
function alike(a: Candidate, b: Candidate): boolean {
  const mine = new Set(a.members);
  const shared = b.members.filter((i) => mine.has(i)).length;
  return shared > 0.5 * Math.min(a.members.length, b.members.length);
}

/** The point nearest to all lines, each weighted by its length: least eigenvector of their scatter, by inverse iteration. */
function meeting(lines: Prepared[]): Vec3 | null {
  if (lines.length < 2) return null;
  const m = [0, 0, 0, 0, 0, 0];
  for (const { line, length } of lines) {
    const w = length * length;
    m[0] += w * line[0] * line[0];
    m[1] += w * line[0] * line[1];
    m[2] += w * line[0] * line[2];
    m[3] += w * line[1] * line[1];
    m[4] += w * line[1] * line[2];
    m[5] += w * line[2] * line[2];
  }
  const e = 1e-12 * (m[0] + m[3] + m[5]);
  const a: Vec3 = [m[0] + e, m[1], m[2]];
  const b: Vec3 = [m[1], m[3] + e, m[4]];
  const c: Vec3 = [m[2], m[4], m[5] + e];
  const [bc, ca, ab] = [cross(b, c), cross(c, a), cross(a, b)];
  let v: Vec3 = normalize([0.3, 0.5, 0.8]);
  for (let i = 0; i < 40; i++) v = normalize([dot(bc, v), dot(ca, v), dot(ab, v)]);
  return v.every(Number.isFinite) ? v : null;
}

/** How far a vanishing point lies off the picture's vertical through the middle: 0 straight above or below, radians. */
const offVertical = (p: Vec3) => Math.atan2(Math.abs(p[0]), Math.abs(p[1]));

/**
 * Groups lines by where they meet and says which direction each group is: the one that runs up and down the picture
 * from far above or below is Z; of the others the one that meets on the right is X, on the left Y. At most three groups,
 * of two lines or more; `tolerance` is the largest angle between a line and its group, radians. `rank` asks for the
 * next likely grouping instead of the likeliest; an empty list where there is none.
 */
export function groupLines(list: Line[], frame: Frame, tolerance = 0.025, rank = 0): LineGroup[] {
  const lines = list.map(prepare(frame));
  const random = shuffler(list.length * 7919 + 13);
  const all = lines.map((_, i) => i).filter((i) => lines[i].length > 1e-6);
  // Uprights are looked for first, among lines that could be: they are the surest to name.
  const steep = all.filter((i) => Math.abs(lines[i].direction[0]) < 0.42);
  const up =
    candidatePoints(lines, steep, tolerance, random).find(
      (c) =>
        c.members.length >= 2 &&
        offVertical(c.point) < 0.5 &&
        Math.hypot(c.point[0], c.point[1]) > 0.9 * Math.abs(c.point[2]),
    ) ?? null;
  const rest = all.filter((i) => !up?.members.includes(i));
  const flat = rankedPairs(lines, rest, up, candidatePoints(lines, rest, tolerance, random), tolerance)[rank];
  if (!flat) return rank === 0 && up ? [{ axis: "z", lines: up.members, point: up.point }] : [];
  const groups: LineGroup[] = [];
  if (up) groups.push({ axis: "z", lines: up.members, point: up.point });
  const side = (c: Candidate) => (Math.abs(c.point[2]) < 1e-9 ? Math.sign(c.point[0]) * 1e9 : c.point[0] / c.point[2]);
  if (flat.length === 2) {
    const [x, y] = side(flat[0]) > side(flat[1]) ? flat : [flat[1], flat[0]];
    groups.push({ axis: "x", lines: x.members, point: x.point }, { axis: "y", lines: y.members, point: y.point });
  } else if (flat.length === 1) {
    groups.push({ axis: side(flat[0]) >= 0 ? "x" : "y", lines: flat[0].members, point: flat[0].point });
  }
  return groups;
}

/** A bell over a value that should be zero. */
const near = (value: number, sigma: number) => Math.exp(-0.5 * (value / sigma) ** 2);

/**
 * The two level directions, the likeliest first: pairs of points by the length of lines that they explain, weighed by how
 * well they stand at right angles with a focal length that photographs have, under the uprights and with a horizon that
 * is about level. One alone where no two can.
 */
function rankedPairs(
  lines: Prepared[],
  free: number[],
  up: Candidate | null,
  candidates: Candidate[],
  tolerance: number,
): Candidate[][] {
  const flat = candidates.filter((c) => c.members.length >= 2);
  const found = new Map<string, { pair: Candidate[]; score: number }>();
  for (let i = 0; i < flat.length; i++) {
    for (let j = i + 1; j < flat.length; j++) {
      const [a, b] = [flat[i].point, flat[j].point];
      // Orthogonal directions: f² = −(a·b) over their third coordinates, in halves of the diagonal.
      const f2 = -(a[0] * b[0] + a[1] * b[1]) / (a[2] * b[2]);
      if (!(f2 > 0.09 && f2 < 60)) continue;
      const pair = [flat[i], flat[j]].map((c): Candidate => ({ ...c, members: [], weight: 0 }));
      for (const k of free) {
        const off = pair.map((c) => misalignment(lines[k], c.point) / tolerance);
        const to = off[0] <= off[1] ? 0 : 1;
        if (off[to] >= 1) continue;
        pair[to].members.push(k);
        pair[to].weight += lines[k].length * (1 - 0.5 * off[to] ** 2);
      }
      if (pair.some((c) => c.members.length < 2)) continue;
      const f = Math.sqrt(f2);
      // The usual lens is of about thirty millimetres at full frame: 1.4 halves of the diagonal.
      let score = (pair[0].weight + pair[1].weight) * (0.25 + 0.75 * near(Math.log(f / 1.4), 0.7));
      const horizon = cross(a, b);
      score *= 0.2 + 0.8 * near(Math.atan2(horizon[0], Math.abs(horizon[1]) || 1e-12), 0.12);
      if (up) {
        const direction = (p: Vec3) => normalize([p[0], p[1], p[2] * f]);
        const upright = dot(normalize(cross(direction(a), direction(b))), direction(up.point));
        score *= 0.2 + 0.8 * near(Math.acos(Math.min(1, Math.abs(upright))), 0.07);
      }
      const key = pair
        .map((c) => c.members.join())
        .sort()
        .join("|");
      if (score > (found.get(key)?.score ?? 0)) found.set(key, { pair, score });
    }
  }
  const ranked = [...found.values()].sort((a, b) => b.score - a.score).map((f) => f.pair);
  if (ranked.length > 0) return ranked;
  return flat.length > 0 ? [flat.slice(0, 1)] : [];
}
