import type { Vec3 } from "../math/vec3.ts";
import { cross, dot, normalize } from "../math/vec3.ts";
import type { Frame } from "../optics/camera.ts";
import type { Line, NormalLine } from "./lines.ts";
import { normalLine } from "./lines.ts";
import type { Candidate } from "./points.ts";
import { candidatePoints, misalignment, shuffler } from "./points.ts";

/** Straight marks grouped by the point that they run to, and which world direction each group most likely is. */

export interface LineGroup {
  axis: "x" | "y" | "z";
  /** Indices of its lines. */
  lines: number[];
  /** Vanishing point, homogeneous, in pixels from the middle of the frame over half the diagonal. */
  point: Vec3;
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
  const lines = list.map((l) => normalLine(l, frame, 0.7));
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
  lines: NormalLine[],
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
