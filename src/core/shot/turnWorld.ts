import { turnArray } from "../props/array.ts";
import type { Draft } from "immer";
import type { Mat3, Vec2, Vec3 } from "../math/vec3.ts";
import { apply, multiply, toDegrees, transpose } from "../math/vec3.ts";
import { turnSet } from "../set/follow.ts";
import type { Shot } from "./schema.ts";

/** Turns of the whole world by right angles: what is called X, Y and Z changes, the picture does not. */

export type WorldTurn = "left" | "right" | "over-x" | "over-y" | "next-up";

const TURNS: Record<WorldTurn, Mat3> = {
  // A quarter turn about Z, counter-clockwise and clockwise as seen from above.
  left: [
    [0, -1, 0],
    [1, 0, 0],
    [0, 0, 1],
  ],
  right: [
    [0, 1, 0],
    [-1, 0, 0],
    [0, 0, 1],
  ],
  // Half a turn about X or Y: what was up is down.
  "over-x": [
    [1, 0, 0],
    [0, -1, 0],
    [0, 0, -1],
  ],
  "over-y": [
    [-1, 0, 0],
    [0, 1, 0],
    [0, 0, -1],
  ],
  // X becomes Y, Y becomes Z, Z becomes X.
  "next-up": [
    [0, 0, 1],
    [1, 0, 0],
    [0, 1, 0],
  ],
};

/** True if the ground stays the ground, so that set and props can turn along. */
export const keepsGround = (turn: WorldTurn): boolean => TURNS[turn][2][2] === 1;

const AXES = ["x", "y", "z"] as const;

/** The axis that an axis becomes, and whether its sense changes. */
function turnedAxis(m: Mat3, axis: "x" | "y" | "z"): { axis: "x" | "y" | "z"; reversed: boolean } {
  const k = AXES.indexOf(axis);
  const j = [0, 1, 2].find((row) => m[row][k] !== 0)!;
  return { axis: AXES[j], reversed: m[j][k] < 0 };
}

/**
 * Turns everything that is told in world terms: marks' axes, known points, set, props and their motion, box, sun, lamps and
 * the camera itself.
 * Turns that change the ground leave set and props where they are in their own metres, so they are meant for before
 * those exist.
 */
export function turnWorld(draft: Draft<Shot> | Shot, turn: WorldTurn): void {
  const m = TURNS[turn];
  const move = (p: Vec3): Vec3 => apply(m, p).map((x) => x + 0) as Vec3;
  for (const e of Object.values(draft.edges)) {
    if (e.axis.length === 1) {
      const { axis, reversed } = turnedAxis(m, e.axis as "x" | "y" | "z");
      e.axis = axis;
      if (reversed) e.points = [...e.points].reverse() as Vec2[];
    } else if (e.axis.startsWith("level:") && !keepsGround(turn)) e.axis = `free:${e.axis.slice(6)}`;
  }
  for (const l of Object.values(draft.lengths)) {
    if (l.along) l.along = turnedAxis(m, l.along).axis;
    if (l.fromWorld) l.fromWorld = move(l.fromWorld as Vec3);
  }
  for (const t of Object.values(draft.ties)) t.world = move(t.world as Vec3);
  if (draft.match.held) draft.match.held.world = move(draft.match.held.world as Vec3);
  const { solved, box } = draft;
  if (solved) {
    const { camera } = solved;
    camera.rotation = multiply(camera.rotation as Mat3, transpose(m));
    camera.position = move(camera.position as Vec3);
  }
  if (!keepsGround(turn)) {
    box.position = [0, 0, 0];
    return;
  }
  // The box's near corner: of a turned box another corner is the near one.
  const far = move([0, 1, 2].map((k) => box.position[k] + box.size[k]) as Vec3);
  const near = move(box.position as Vec3);
  box.position = [0, 1, 2].map((k) => Math.min(near[k], far[k])) as Vec3;
  box.size = [0, 1, 2].map((k) => Math.abs(near[k] - far[k])) as Vec3;
  turnSet(draft.set as Shot["set"], move);
  for (const { points } of Object.values(draft.measures))
    for (const point of points) {
      point.world = move(point.world as Vec3);
      point.normal = move(point.normal as Vec3);
    }
  const quarter = toDegrees(Math.atan2(m[1][0], m[0][0]));
  for (const prop of Object.values(draft.props)) {
    prop.placement.position = move(prop.placement.position as Vec3);
    prop.placement.turnDeg = wrapped(prop.placement.turnDeg + quarter);
    if (prop.motion) prop.motion.offset = move(prop.motion.offset as Vec3);
    if (prop.array) turnArray(prop.array, move);
  }
  for (const lamp of Object.values(draft.light.lamps)) {
    lamp.position = move(lamp.position as Vec3);
    lamp.azimuthDeg = wrapped(lamp.azimuthDeg - quarter);
  }
  const { almanac } = draft.light;
  if (almanac && almanac.northDeg !== null) almanac.northDeg = wrapped(almanac.northDeg + quarter);
  draft.light.sun.azimuthDeg = (((draft.light.sun.azimuthDeg - quarter) % 360) + 360) % 360;
}

const wrapped = (degrees: number): number => ((((degrees + 180) % 360) + 360) % 360) - 180;
