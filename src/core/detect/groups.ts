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

/** The point that the most length of lines runs to, from pairs of lines; refined by least squares over its members. */
function strongest(lines: Prepared[], free: number[], tolerance: number, random: () => number): Candidate | null {
  if (free.length < 2) return null;
  const pairs: [number, number][] = [];
  const all = (free.length * (free.length - 1)) / 2;
  if (all <= 3000) for (let i = 0; i < free.length; i++) for (let j = 0; j < i; j++) pairs.push([free[i], free[j]]);
  else {
    // Long lines are tried more often.
    const total = free.reduce((s, i) => s + lines[i].length, 0);
    const pick = () => {
      let r = random() * total;
      for (const i of free) if ((r -= lines[i].length) <= 0) return i;
      return free[0];
    };
    for (let k = 0; k < 3000; k++) pairs.push([pick(), pick()]);
  }
  const gather = (point: Vec3): Candidate => {
    const members = free.filter((i) => misalignment(lines[i], point) < tolerance);
    // A line that passes by near its own place counts less: angles there are easily small.
    const weight = members.reduce(
      (s, i) => s + lines[i].length * (1 - 0.5 * (misalignment(lines[i], point) / tolerance) ** 2),
      0,
    );
    return { point, members, weight };
  };
  let best: Candidate | null = null;
  for (const [i, j] of pairs) {
    if (i === j) continue;
    const p = cross(lines[i].line, lines[j].line);
    const l = Math.hypot(...p);
    if (l < 1e-5) continue;
    const point: Vec3 = [p[0] / l, p[1] / l, p[2] / l];
    // A crossing inside the frame, right on the lines, is a corner more often than a vanishing point.
    if (Math.abs(point[2]) > 1e-6 && Math.hypot(point[0], point[1]) < 0.02 * Math.abs(point[2])) continue;
    const c = gather(point);
    if (!best || c.weight > best.weight) best = c;
  }
  for (let round = 0; best && round < 3; round++) {
    const refined = gather(meeting(best.members.map((i) => lines[i])) ?? best.point);
    if (refined.weight >= best.weight * 0.98) best = refined;
  }
  return best;
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
 * of two lines or more; `tolerance` is the largest angle between a line and its group, radians.
 */
export function groupLines(list: Line[], frame: Frame, tolerance = 0.025): LineGroup[] {
  const lines = list.map(prepare(frame));
  const random = shuffler(list.length * 7919 + 13);
  let free = lines.map((_, i) => i).filter((i) => lines[i].length > 1e-6);
  const found: Candidate[] = [];
  // Uprights are looked for first, among lines that could be: they are the surest to name.
  const upright = free.filter((i) => Math.abs(lines[i].direction[0]) < 0.42);
  const z = strongest(lines, upright, tolerance, random);
  if (
    z &&
    z.members.length >= 2 &&
    offVertical(z.point) < 0.5 &&
    Math.hypot(z.point[0], z.point[1]) > 0.9 * Math.abs(z.point[2])
  ) {
    found.push(z);
    free = free.filter((i) => !z.members.includes(i));
  } else found.push({ point: [0, 1, 0], members: [], weight: 0 });
  for (let k = 0; k < 3; k++) {
    const c = strongest(lines, free, tolerance, random);
    if (!c || c.members.length < 2) break;
    found.push(c);
    free = free.filter((i) => !c.members.includes(i));
  }
  const [up, ...flat] = found;
  const pair = bestPair(up, flat);
  const groups: LineGroup[] = [];
  if (up.members.length >= 2) groups.push({ axis: "z", lines: up.members, point: up.point });
  const side = (c: Candidate) => (Math.abs(c.point[2]) < 1e-9 ? Math.sign(c.point[0]) * 1e9 : c.point[0] / c.point[2]);
  if (pair.length === 2) {
    const [x, y] = side(pair[0]) > side(pair[1]) ? pair : [pair[1], pair[0]];
    groups.push({ axis: "x", lines: x.members, point: x.point }, { axis: "y", lines: y.members, point: y.point });
  } else if (pair.length === 1) {
    groups.push({ axis: side(pair[0]) >= 0 ? "x" : "y", lines: pair[0].members, point: pair[0].point });
  }
  return groups;
}

/** The two level directions that can stand at right angles, by weight; one alone where no two can. */
function bestPair(up: Candidate, flat: Candidate[]): Candidate[] {
  let best: { pair: Candidate[]; weight: number } | null = null;
  for (let i = 0; i < flat.length; i++) {
    for (let j = i + 1; j < flat.length; j++) {
      const [a, b] = [flat[i].point, flat[j].point];
      // Orthogonal directions with a real focal length: f² = −(a·b) over their third coordinates, within reason.
      const f2 = -(a[0] * b[0] + a[1] * b[1]) / (a[2] * b[2]);
      if (!(f2 > 0.09 && f2 < 60)) continue;
      let weight = flat[i].weight + flat[j].weight;
      if (up.members.length >= 2) {
        // The third direction must be the upright one.
        const f = Math.sqrt(f2);
        const da = normalize([a[0], a[1], a[2] * f]);
        const db = normalize([b[0], b[1], b[2] * f]);
        const dz = normalize([up.point[0], up.point[1], up.point[2] * f]);
        weight *= Math.abs(dot(normalize(cross(da, db)), dz)) > 0.985 ? 1 : 0.3;
      }
      if (!best || weight > best.weight) best = { pair: [flat[i], flat[j]], weight };
    }
  }
  if (best) return best.pair;
  return flat.slice(0, 1);
}
