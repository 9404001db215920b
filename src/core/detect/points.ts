import type { Vec3 } from "../math/vec3.ts";
import { cross, dot, normalize } from "../math/vec3.ts";
import type { NormalLine } from "./lines.ts";
import { turnTo } from "./lines.ts";

/** Points that many lines run to. */

export const misalignment = (l: NormalLine, p: Vec3): number => Math.abs(turnTo(l, p[0], p[1], p[2]));

/** Deterministic pseudo-random numbers for the trials (Marsaglia 2003, xorshift). */
export function shuffler(seed: number): () => number {
  let s = seed >>> 0 || 1;
  return () => {
    s ^= s << 13;
    s ^= s >>> 17;
    s ^= s << 5;
    return (s >>> 0) / 4294967296;
  };
}

export interface Candidate {
  point: Vec3;
  members: number[];
  weight: number;
}

/** Pairs of lines to try for a common point: all of few, a draw that prefers long ones of many. */
function pairsOf(lines: NormalLine[], free: number[], random: () => number): [number, number][] {
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
function gather(lines: NormalLine[], free: number[], point: Vec3, tolerance: number): Candidate {
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
export function candidatePoints(
  lines: NormalLine[],
  free: number[],
  tolerance: number,
  random: () => number,
): Candidate[] {
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
function meeting(lines: NormalLine[]): Vec3 | null {
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
