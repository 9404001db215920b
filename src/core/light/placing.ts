import type { Vec3 } from "../math/vec3.ts";
import { add, cross, distance, dot, normalize, scale, sub, toDegrees } from "../math/vec3.ts";
import { pickAlong } from "../set/pick.ts";
import type { SetRecord } from "../set/parts/index.ts";
import { flagsAt } from "../set/surface.ts";
import { LAMPS } from "./lamps.ts";
import { acrossOf } from "./rig.ts";
import type { ShotLamp } from "./schema.ts";

/** Where a lamp has to be for what is seen of its light. */

/** Mirror direction of a ray that comes along `way` at a surface. Unit vectors. */
const mirrored = (way: Vec3, normal: Vec3): Vec3 => sub(way, scale(normal, 2 * dot(way, normal)));

/**
 * Place from which a lamp is mirrored at a point of a surface as the eye sees it, as far from the point as the lamp is
 * now. Null where the surface is seen from behind.
 */
export function placeOfHighlight(eye: Vec3, point: Vec3, normal: Vec3, lamp: Vec3): Vec3 | null {
  const way = normalize(sub(point, eye));
  if (dot(way, normal) >= -1e-6) return null;
  return add(point, scale(mirrored(way, normal), distance(lamp, point)));
}

/** Place from which a lamp throws the shadow of one point onto another, as far from the first as the lamp is now. */
export function placeOfShadow(thrower: Vec3, shadow: Vec3, lamp: Vec3): Vec3 | null {
  const way = sub(thrower, shadow);
  const length = Math.hypot(...way);
  return length > 1e-6 ? add(thrower, scale(way, distance(lamp, thrower) / length)) : null;
}

/** Metres that a lamp stands off what it hangs on, so that none of it lies within. */
const CLEAR = 0.01;

type Hung = Pick<ShotLamp, "position" | "azimuthDeg" | "tiltDeg" | "spinDeg">;

/** A lamp that hangs on a surface at a point and shines away from it. `normal`: unit, towards the camera. */
export function hungOn({ kind, size }: Pick<ShotLamp, "kind" | "size">, point: Vec3, normal: Vec3): Hung {
  const off = CLEAR + (LAMPS[kind].traced === "sphere" ? size[0] / 2 : 0);
  const position = add(point, scale(normal, off));
  return { position, ...facingTo(point, position), spinDeg: 0 };
}

/**
 * A rectangle that fills a window: its corners lie at two opposite points of a wall, its sides level and upright there.
 * `normal`: unit, of the wall, towards the camera. Null where the two points span nothing.
 */
export function windowAcross(a: Vec3, b: Vec3, normal: Vec3): (Hung & { size: [number, number] }) | null {
  const hung = hungOn({ kind: "rectangle", size: [1, 1] }, scale(add(a, b), 0.5), normal);
  const across = acrossOf(hung, normal);
  const diagonal = sub(b, a);
  const size: [number, number] = [Math.abs(dot(diagonal, across)), Math.abs(dot(diagonal, cross(normal, across)))];
  return Math.min(...size) > CLEAR ? { ...hung, size } : null;
}

/**
 * A place as far from a point as the set lets a lamp go towards it: before the first part that would keep its light back,
 * off it by half the lamp's own size and a centimetre. The place itself where nothing stands between. `from`: on what is lit.
 */
export function withinSet(set: SetRecord, from: Vec3, place: Vec3, size: number): Vec3 {
  const way = sub(place, from);
  const length = Math.hypot(...way);
  const direction = scale(way, 1 / length);
  // What the point itself lies on keeps nothing back.
  const start = add(from, scale(direction, CLEAR));
  const met = pickAlong(set, start, direction, (part, face) => flagsAt(part, face).shadow && !part.muted);
  // Met from a centimetre on, and held off by as much.
  const free = met ? Math.max(CLEAR, met.distance - size / 2) : length;
  return free < length ? add(from, scale(direction, free)) : place;
}

/** Azimuth and tilt of a lamp at a place that faces a point, degrees. */
export function facingTo(place: Vec3, point: Vec3): { azimuthDeg: number; tiltDeg: number } {
  const way = sub(point, place);
  return {
    azimuthDeg: Number(toDegrees(Math.atan2(way[0], way[1])).toFixed(2)),
    tiltDeg: Number(toDegrees(Math.atan2(way[2], Math.hypot(way[0], way[1]))).toFixed(2)),
  };
}
