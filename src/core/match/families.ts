import type { Vec2, Vec3 } from "../math/vec3.ts";
import { apply, cross, dot, normalize, toDegrees } from "../math/vec3.ts";
import { pixelToTangent } from "../optics/camera.ts";
import { adjust, costOf, covarianceOf } from "./adjust.ts";
import { EdgeEvidence } from "./evidence.ts";
import type { Inside } from "./solve.ts";
import type { State, Unknowns } from "./unknowns.ts";
import { unknownCount } from "./unknowns.ts";

/** A group of edges that would fit much better if it did not run along its axis. */
export interface OddFamily {
  axis: "x" | "y" | "z";
  ids: string[];
  /** The other edges of the same axis; empty if the whole family is off. */
  against: string[];
  /** Another whole family that would explain the marks as well: X against Y cannot be told apart from Y against X. */
  rival: "x" | "y" | null;
  /** The group is one that the user named by what it lies on. */
  named: boolean;
  /** Angle between the group and its axis, degrees, and its standard deviation. */
  angleDeg: number;
  sigmaDeg: number;
  /** By how much the sum of squares falls when the group is let go. */
  drop: number;
}

const AXES: Record<string, Vec3> = { x: [1, 0, 0], y: [0, 1, 0], z: [0, 0, 1] };
const NAME = { level: "level:odd group", free: "free:odd group" };
/** Sum of squares that letting a group go must save: four standard deviations. */
const CLEAR = 16;

/**
 * The angle by which an edge's own line asks its direction to turn, and its standard deviation from the marks: about the
 * vertical, uprights towards the right.
 */
function ownTurn(inside: Inside, e: EdgeEvidence): { turn: number; sigma: number } {
  const turn = turnOf(inside, e, e.points);
  let variance = 0;
  const last = e.points.length - 1;
  for (const i of [0, last]) {
    for (const k of [0, 1]) {
      const nudged = e.points.map((p) => [...p] as Vec2);
      nudged[i][k] += 0.1;
      variance += (((turnOf(inside, e, nudged) - turn) / 0.1) * e.sigma) ** 2;
    }
  }
  return { turn, sigma: Math.sqrt(variance) + 1e-9 };
}

function turnOf(inside: Inside, e: EdgeEvidence, points: Vec2[]): number {
  const { camera } = inside.state;
  const axis = AXES[e.edge.axis];
  const rayOf = (p: Vec2): Vec3 => [...pixelToTangent(camera, p), 1];
  const n = normalize(cross(rayOf(points[0]), rayOf(points[points.length - 1])));
  const side: Vec3 =
    e.edge.axis === "z" ? normalize([camera.rotation[0][0], camera.rotation[0][1], 0]) : cross([0, 0, 1], axis);
  return -Math.atan(dot(n, apply(camera.rotation, axis)) / dot(n, apply(camera.rotation, side)));
}

/** The solution with some edges let go into a family of their own. */
function letGo(
  inside: Inside,
  ids: Set<string>,
  axis: "x" | "y" | "z",
): { drop: number; angle: number; sigma: number } {
  const name = axis === "z" ? NAME.free : NAME.level;
  const evidence = inside.evidence.map((e) =>
    e instanceof EdgeEvidence && ids.has(e.id) ? new EdgeEvidence({ ...e.edge, axis: name, onAxis: false }, false) : e,
  );
  const u: Unknowns = {
    ...inside.unknowns,
    levels: axis === "z" ? inside.unknowns.levels : [...inside.unknowns.levels, name],
    frees: axis === "z" ? [...inside.unknowns.frees, name] : inside.unknowns.frees,
  };
  const state: State = { ...inside.state, families: new Map(inside.state.families).set(name, AXES[axis]) };
  const loose = adjust(u, evidence, state);
  const direction = loose.state.families.get(name)!;
  const c = Math.min(1, Math.abs(dot(direction, AXES[axis])));
  const covariance = covarianceOf(u, loose.linear);
  const n = unknownCount(u);
  const at = 3 + (u.focal ? 1 : 0) + (u.principal ? 2 : 0) + (u.k1 ? 1 : 0) + (u.k2 ? 1 : 0) + placeUnknowns(u);
  const index = axis === "z" ? n - 2 : at + u.levels.length - 1;
  const sigma = covariance ? Math.sqrt(covariance[index * n + index]) : Infinity;
  return { drop: inside.adjusted.cost - loose.cost, angle: Math.acos(c), sigma };
}

const placeUnknowns = (u: Unknowns) => (u.mode === "free" ? 2 : 0) + (u.scale ? 1 : 0);

/** The groups of one axis's edges by what they lie on, each against the others. */
function namedGroups(edges: EdgeEvidence[]): [string[], string[]][] {
  const names = new Set(edges.map((e) => e.edge.group).filter((g): g is string => Boolean(g)));
  return [...names].flatMap((name) => {
    const mine = edges.filter((e) => e.edge.group === name).map((e) => e.id);
    const others = edges.filter((e) => e.edge.group !== name).map((e) => e.id);
    return mine.length >= 2 && others.length > 0 ? [[mine, others] as [string[], string[]]] : [];
  });
}

/** Splits of one axis's edges into two groups of two or more by the turn they ask for, the clearest first. */
function splits(inside: Inside, edges: EdgeEvidence[]): [string[], string[]][] {
  const sorted = edges.map((e) => ({ id: e.id, ...ownTurn(inside, e) })).sort((a, b) => a.turn - b.turn);
  const found: { parts: [string[], string[]]; gap: number }[] = [];
  for (let k = 2; k <= sorted.length - 2; k++) {
    const parts = [sorted.slice(0, k), sorted.slice(k)];
    let within = 0;
    for (const part of parts) {
      const weight = part.reduce((s, e) => s + 1 / e.sigma ** 2, 0);
      const mean = part.reduce((s, e) => s + e.turn / e.sigma ** 2, 0) / weight;
      within += part.reduce((s, e) => s + ((e.turn - mean) / e.sigma) ** 2, 0);
    }
    found.push({ parts: [parts[0].map((e) => e.id), parts[1].map((e) => e.id)], gap: within });
  }
  return found
    .sort((a, b) => a.gap - b.gap)
    .slice(0, 3)
    .map((f) => f.parts);
}

/**
 * The family, or the part of a family, that disagrees with the rest: every likely group is let go in turn and the
 * whole solved again; the one that saves most is named. Null where nothing disagrees clearly.
 */
export function oddFamily(inside: Inside): OddFamily | null {
  const edges = inside.evidence.filter((e): e is EdgeEvidence => e instanceof EdgeEvidence);
  const found: OddFamily[] = [];
  const consider = (axis: "x" | "y" | "z", ids: string[], against: string[], named = false) => {
    const { drop, angle, sigma } = letGo(inside, new Set(ids), axis);
    if (!(drop > CLEAR) || !Number.isFinite(sigma)) return;
    found.push({
      axis,
      ids,
      against,
      rival: null,
      named,
      angleDeg: toDegrees(angle),
      sigmaDeg: toDegrees(sigma),
      drop,
    });
  };
  for (const axis of ["x", "y", "z"] as const) {
    const mine = edges.filter((e) => e.edge.axis === axis);
    if (mine.length < 2) continue;
    consider(
      axis,
      mine.map((e) => e.id),
      [],
    );
    const named = namedGroups(mine);
    for (const [a, b] of named) consider(axis, a, b, true);
    for (const [a, b] of splits(inside, mine)) {
      consider(axis, a, b);
      consider(axis, b, a);
    }
  }
  if (found.length === 0) return null;
  // A split may choose among many; it must save clearly more than a whole family or one that was named does.
  const worth = (f: OddFamily) => f.drop - (f.against.length > 0 && !f.named ? 12 : 0) - (f.axis === "z" ? 2 : 0);
  found.sort((a, b) => worth(b) - worth(a));
  const best = found[0];
  if (best.against.length === 0) {
    const other = found.find((f) => f !== best && f.against.length === 0 && f.axis !== "z" && best.drop - f.drop < 4);
    best.rival = other && best.axis !== "z" ? (other.axis as "x" | "y") : null;
  }
  costOf(inside.evidence, inside.state);
  return best;
}

/** What to say of an odd family. */
export function oddFamilyMessage(f: OddFamily): string {
  const angle = `${f.angleDeg.toFixed(1)}° (± ${f.sigmaDeg.toFixed(1)})`;
  const upper = f.axis.toUpperCase();
  if (f.against.length > 0) {
    return `${f.ids.join(", ")} run ${angle} off the other ${upper} edges (${f.against.join(", ")}): they lie on different things. Which do you trust? Give the others a direction of their own.`;
  }
  if (f.axis === "z") return `The upright edges lean by ${angle} against the rest. Are they really upright?`;
  if (f.rival)
    return `The X and the Y edges are ${angle} off square. Which do you trust? Let the others be only level.`;
  return `The ${upper} edges are ${angle} off the direction that the rest asks for. Let them be only level, or check them.`;
}
