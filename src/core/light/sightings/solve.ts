import type { Vec2, Vec3 } from "../../math/vec3.ts";
import { cross, dot, normalize, sub, toDegrees } from "../../math/vec3.ts";
import type { Camera } from "../../optics/camera.ts";
import type { SetRecord } from "../../set/parts/index.ts";
import { anglesFromDirection } from "../sun.ts";
import type { Sighting } from "./index.ts";
import { sightingKind, sightingPixels } from "./index.ts";
import type { Pixels, Reading } from "./kind.ts";

/** What one sighting says beside the common answer. */
export interface SightingCheck {
  id: string;
  /** Between its own sun and the common one, degrees; or from the plane that it tells. */
  offDeg: number;
  /** The same in its own standard deviations. */
  sigmas: number;
  /** Where it has the sun by itself; null for one that tells only a plane. */
  own: Vec3 | null;
  /** Height of the sighted thing, metres; null for what has none. */
  height: number | null;
}

export interface SightedSun {
  direction: Vec3;
  /** Radians, azimuth clockwise from +Y. */
  azimuth: number;
  elevation: number;
  /** One standard deviation of azimuth and elevation for marks good to a pixel, radians. */
  sigma: { azimuth: number; elevation: number };
  each: SightingCheck[];
  /** The sighting that does not go with the others, where there are three or more. */
  odd: string | null;
}

/** Beyond so many standard deviations a sighting is odd (common practice, no published source). */
const ODD = 3.5;

/** One line of least squares: how much the answer must turn about the two tangents, and its standard deviation. */
interface Equation {
  slopes: Vec2;
  off: number;
  sigma: number;
}

type Reader = (moved: Pixels) => Reading | string;
const vectorOf = (reading: Reading): Vec3 => ("normal" in reading ? reading.normal : reading.direction);

/** Derivatives of a reading by each coordinate of each pixel, by central differences. */
function byPixel(pixels: Pixels, read: Reader, difference: (a: Vec3, b: Vec3) => number[]): number[][] {
  return Object.keys(pixels).flatMap((key) =>
    [0, 1].flatMap((k) => {
      const moved = (by: number) => {
        const pixel: Vec2 = [...pixels[key]];
        pixel[k] += by;
        return read({ ...pixels, [key]: pixel });
      };
      const [a, b] = [moved(0.5), moved(-0.5)];
      return typeof a === "string" || typeof b === "string" ? [] : [difference(vectorOf(a), vectorOf(b))];
    }),
  );
}

/** Two directions across `d`: level to the right of it as the azimuth grows, and upwards. */
function tangentsOf(d: Vec3): [Vec3, Vec3] {
  const level = Math.hypot(d[0], d[1]);
  const across: Vec3 = level > 1e-6 ? [d[1] / level, -d[0] / level, 0] : [1, 0, 0];
  return [across, cross(across, d)];
}

/**
 * Direction towards the sun from sightings that are not muted, by least squares over all of them, each weighed by what a
 * pixel's error does to it and by its own weight. A sentence that says what is wrong, or null without sightings.
 */
export function sunFromSightings(
  camera: Camera,
  sightings: readonly Sighting[],
  set: SetRecord = {},
  sigmaPx = 1,
): SightedSun | string | null {
  const used = sightings.filter(({ muted }) => !muted);
  if (used.length === 0) return null;
  const read: { s: Sighting; pixels: Pixels; reader: Reader; own: Reading }[] = [];
  for (const s of used) {
    const pixels = sightingPixels(s);
    const reader = sightingKind(s.kind).reader(pixels, camera, set);
    const own = reader(pixels);
    if (typeof own === "string") return own;
    read.push({ s, pixels, reader, own });
  }
  const suns = read.flatMap(({ own }) => ("direction" in own ? [own.direction] : []));
  const normals = read.flatMap(({ own }) => ("normal" in own ? [own.normal] : []));
  let direction: Vec3;
  if (suns.length > 0) direction = suns[0];
  else {
    if (normals.length < 2)
      return "That tells only a plane in which the sun lies. Sight a second one elsewhere, or something upright.";
    const both = normals
      .slice(1)
      .map((n) => cross(normals[0], n))
      .sort((a, b) => Math.hypot(...b) - Math.hypot(...a))[0];
    if (Math.hypot(...both) < 0.02)
      return "They tell the same plane. Sight one whose shadow falls elsewhere in the picture.";
    direction = normalize(both[2] < 0 ? (both.map((x) => -x) as Vec3) : both);
  }
  const equationsOf = (d: Vec3): Equation[][] => {
    const [across, up] = tangentsOf(d);
    return read.map(({ s, pixels, reader, own }) => {
      const ownSigmaPx = sigmaPx / Math.sqrt(s.weight ?? 1);
      if ("normal" in own) {
        const slopes: Vec2 = [dot(own.normal, across), dot(own.normal, up)];
        const moves = byPixel(pixels, reader, (a, b) => [dot(sub(a, b), d)]);
        const sigma = ownSigmaPx * Math.max(1e-7, Math.hypot(...moves.map(([m]) => m)));
        return [{ slopes, off: -dot(own.normal, d), sigma }];
      }
      const moves = byPixel(pixels, reader, (a, b) => [dot(sub(a, b), across), dot(sub(a, b), up)]);
      return decorrelated([dot(own.direction, across), dot(own.direction, up)], moves, ownSigmaPx);
    });
  };
  let normal = [0, 0, 0];
  for (let round = 0; round < 8; round++) {
    const rows = equationsOf(direction).flat();
    normal = [0, 0, 0];
    const wanted = [0, 0];
    for (const {
      slopes: [p, q],
      off,
      sigma,
    } of rows) {
      const w = 1 / (sigma * sigma);
      normal = [normal[0] + w * p * p, normal[1] + w * p * q, normal[2] + w * q * q];
      wanted[0] += w * p * off;
      wanted[1] += w * q * off;
    }
    const det = normal[0] * normal[2] - normal[1] * normal[1];
    if (!(det > 0)) return "The sightings do not tell the sun. Sight something upright.";
    const a = (normal[2] * wanted[0] - normal[1] * wanted[1]) / det;
    const b = (normal[0] * wanted[1] - normal[1] * wanted[0]) / det;
    const [across, up] = tangentsOf(direction);
    direction = normalize(direction.map((x, k) => x + a * across[k] + b * up[k]) as Vec3);
    if (Math.hypot(a, b) < 1e-10) break;
  }
  if (!(direction[2] > 0.01)) return "The sun would be below the horizon. Check which end is the shadow's.";
  const equations = equationsOf(direction);
  const rows = equations.flat();
  // Sightings that disagree more than pixels explain make the answer less sure.
  const surplus = rows.reduce((sum, { off, sigma }) => sum + (off / sigma) ** 2, 0) / Math.max(1, rows.length - 2);
  const wider = rows.length > 2 ? Math.max(1, surplus) : 1;
  const det = normal[0] * normal[2] - normal[1] * normal[1];
  const { azimuth, elevation } = anglesFromDirection(direction);
  const each = read.map(({ s, own }, i): SightingCheck => {
    const off =
      "normal" in own
        ? Math.asin(Math.min(1, Math.abs(dot(own.normal, direction))))
        : Math.acos(Math.min(1, dot(own.direction, direction)));
    const sigmas = Math.sqrt(equations[i].reduce((sum, e) => sum + (e.off / e.sigma) ** 2, 0) / equations[i].length);
    return {
      id: s.id,
      offDeg: toDegrees(off),
      sigmas,
      own: "normal" in own ? null : own.direction,
      height: "normal" in own ? null : own.height,
    };
  });
  const worst = [...each].sort((a, b) => b.sigmas - a.sigmas)[0];
  return {
    direction,
    azimuth,
    elevation,
    sigma: {
      azimuth: Math.sqrt((wider * normal[2]) / det) / Math.max(1e-6, Math.cos(elevation)),
      elevation: Math.sqrt((wider * normal[0]) / det),
    },
    each,
    odd: used.length >= 3 && worst.sigmas > ODD ? worst.id : null,
  };
}

/** Two correlated offsets as two equations of their own, along the axes of their covariance. */
function decorrelated(off: Vec2, moves: number[][], sigmaPx: number): Equation[] {
  let [aa, ab, bb] = [1e-14, 0, 1e-14];
  for (const [a, b] of moves) [aa, ab, bb] = [aa + a * a, ab + a * b, bb + b * b];
  const turn = 0.5 * Math.atan2(2 * ab, aa - bb);
  return [turn, turn + Math.PI / 2].map((angle): Equation => {
    const slopes: Vec2 = [Math.cos(angle), Math.sin(angle)];
    const variance = aa * slopes[0] ** 2 + 2 * ab * slopes[0] * slopes[1] + bb * slopes[1] ** 2;
    return {
      slopes,
      off: off[0] * slopes[0] + off[1] * slopes[1],
      sigma: sigmaPx * Math.sqrt(Math.max(1e-14, variance)),
    };
  });
}
