import type { Vec2, Vec3 } from "../math/vec3.ts";
import { cross, dot, normalize, scale, sub, toDegrees } from "../math/vec3.ts";
import type { Camera, Plane } from "../optics/camera.ts";
import { groundPlane, pixelDirection, pixelOnLine, pixelOnPlane } from "../optics/camera.ts";
import { facePlane } from "../set/face.ts";
import type { SetRecord } from "../set/parts/index.ts";
import { pickFace } from "../set/pick.ts";
import type { Sighting } from "./schema.ts";
import { anglesFromDirection } from "./sun.ts";

/** What one sighting says beside the common answer. */
export interface SightingCheck {
  id: string;
  /** Between its own sun and the common one, degrees; for a pair, from the plane that it tells. */
  offDeg: number;
  /** The same in its own standard deviations. */
  sigmas: number;
  /** Where it has the sun by itself; null for a pair, which tells only a plane. */
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

type Planes = Record<"foot" | "tip", Plane>;
/** What a sighting was clicked as, by what each pixel is. */
export type SightingPixels = Partial<Record<"foot" | "top" | "tip" | "centre" | "rim" | "light", Vec2>>;
type Pixels = SightingPixels;
const UP: Vec3 = [0, 0, 1];
/** Beyond so many standard deviations a sighting is odd (common practice, no published source). */
const ODD = 3.5;

/** Planes on which foot and tip lie: the faces seen there, or the ground. */
function planesOf(s: Sighting, camera: Camera, set: SetRecord): Planes {
  const at = (pixel: Vec2): Plane => {
    const picked = pickFace(set, camera, pixel);
    return picked ? facePlane(picked.face) : groundPlane();
  };
  return {
    foot: s.kind === "upright" ? at(s.foot) : groundPlane(),
    tip: s.kind === "highlight" ? groundPlane() : at(s.tip),
  };
}

/** Its pixels. */
export function sightingPixels(s: Sighting): SightingPixels {
  if (s.kind === "upright") return { foot: s.foot, top: s.top, tip: s.tip };
  if (s.kind === "pair") return { top: s.top, tip: s.tip };
  return { centre: s.centre, rim: s.rim, light: s.light };
}

/**
 * Sun that a shiny ball mirrors: by the ball's middle and a point of its rim, whatever its size and distance, and the
 * law of reflection. A sentence where it cannot be read.
 */
function highlightSun(camera: Camera, pixels: Pixels): { direction: Vec3; height: null } | string {
  const middle = pixelDirection(camera, pixels.centre!);
  const rim = pixelDirection(camera, pixels.rim!);
  const eye = pixelDirection(camera, pixels.light!);
  // A ball a metre away, as large as it is seen.
  const cosine = dot(middle, rim);
  const along = dot(eye, middle);
  const inside = along * along - cosine * cosine;
  if (!(inside > 0)) return "The highlight must lie within the ball. Put its rim farther out.";
  const met = sub(scale(eye, along - Math.sqrt(inside)), middle);
  const normal = normalize(met);
  const direction = sub(eye, scale(normal, 2 * dot(eye, normal)));
  if (!(direction[2] > 0.01)) return "What the ball mirrors there is below the horizon, and not the sun.";
  return { direction, height: null };
}

/** Sun of one upright thing, with its height; a sentence where it cannot be read. */
function uprightSun(camera: Camera, pixels: Pixels, planes: Planes): { direction: Vec3; height: number } | string {
  const foot = pixelOnPlane(camera, pixels.foot!, planes.foot);
  const tip = pixelOnPlane(camera, pixels.tip!, planes.tip);
  if (!foot || !tip) return "Foot and shadow tip must lie on the ground or a face, below the horizon. Put both lower.";
  const height = pixelOnLine(camera, pixels.top!, foot, UP);
  if (height === null || height <= 0) return "The top must be above the foot. Put it on the tip of the upright thing.";
  const direction = normalize(sub([foot[0], foot[1], foot[2] + height], tip));
  if (!(direction[2] > 0.01)) return "The shadow is too long to tell the sun from. Choose another one.";
  return { direction, height };
}

/** Normal of the plane through the eye in which a point, its shadow and the sun lie; a sentence where there is none. */
function pairNormal(camera: Camera, pixels: Pixels, planes: Planes): Vec3 | string {
  if (!pixelOnPlane(camera, pixels.tip!, planes.tip))
    return "The shadow must lie on the ground or a face, below the horizon. Put it lower.";
  const normal = cross(pixelDirection(camera, pixels.top!), pixelDirection(camera, pixels.tip!));
  if (Math.hypot(...normal) < 1e-5) return "The point and its shadow are too close together. Choose others.";
  return normalize(normal);
}

/** One line of least squares: how much the answer must turn about the two tangents, and its standard deviation. */
interface Equation {
  slopes: Vec2;
  off: number;
  sigma: number;
}

/** Derivatives of a reading by each coordinate of each pixel, by central differences. */
function byPixel<T>(
  pixels: Pixels,
  read: (moved: Pixels) => T | string,
  difference: (a: T, b: T) => number[],
): number[][] {
  return (Object.keys(pixels) as (keyof Pixels)[]).flatMap((key) =>
    [0, 1].flatMap((k) => {
      const moved = (by: number) => {
        const pixel: Vec2 = [...pixels[key]!];
        pixel[k] += by;
        return read({ ...pixels, [key]: pixel });
      };
      const [a, b] = [moved(0.5), moved(-0.5)];
      return typeof a === "string" || typeof b === "string" ? [] : [difference(a, b)];
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
  const read = used.map((s) => {
    const planes = planesOf(s, camera, set);
    const pixels = sightingPixels(s);
    const own =
      s.kind === "upright"
        ? uprightSun(camera, pixels, planes)
        : s.kind === "pair"
          ? pairNormal(camera, pixels, planes)
          : highlightSun(camera, pixels);
    return { s, planes, pixels, own };
  });
  const wrong = read.find(({ own }) => typeof own === "string");
  if (wrong) return wrong.own as string;
  const uprights = read.flatMap(({ own }) => ("direction" in (own as object) ? [own as { direction: Vec3 }] : []));
  const normals = read.flatMap(({ own }) => (Array.isArray(own) ? [own as Vec3] : []));
  let direction: Vec3;
  if (uprights.length > 0) direction = uprights[0].direction;
  else {
    if (normals.length < 2)
      return "A point and its shadow tell only a plane. Sight a second pair, or something upright.";
    const both = normals
      .slice(1)
      .map((n) => cross(normals[0], n))
      .sort((a, b) => Math.hypot(...b) - Math.hypot(...a))[0];
    if (Math.hypot(...both) < 0.02)
      return "Both pairs tell the same plane. Sight one whose shadow falls elsewhere in the picture.";
    direction = normalize(both[2] < 0 ? (both.map((x) => -x) as Vec3) : both);
  }
  const equationsOf = (d: Vec3): Equation[][] => {
    const [across, up] = tangentsOf(d);
    return read.map(({ s, planes, pixels, own }) => {
      const ownSigmaPx = sigmaPx / Math.sqrt(s.weight ?? 1);
      if (Array.isArray(own)) {
        const slopes: Vec2 = [dot(own, across), dot(own, up)];
        const moves = byPixel<Vec3>(
          pixels,
          (p) => pairNormal(camera, p, planes),
          (a, b) => [dot(sub(a, b), d)],
        );
        const sigma = ownSigmaPx * Math.max(1e-7, Math.hypot(...moves.map(([m]) => m)));
        return [{ slopes, off: -dot(own, d), sigma }];
      }
      const { direction: at } = own as { direction: Vec3 };
      const moves = byPixel<{ direction: Vec3 }>(
        pixels,
        (p) => (s.kind === "highlight" ? highlightSun(camera, p) : uprightSun(camera, p, planes)),
        (a, b) => [dot(sub(a.direction, b.direction), across), dot(sub(a.direction, b.direction), up)],
      );
      return decorrelated([dot(at, across), dot(at, up)], moves, ownSigmaPx);
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
    const off = Array.isArray(own)
      ? Math.asin(Math.min(1, Math.abs(dot(own as Vec3, direction))))
      : Math.acos(Math.min(1, dot((own as { direction: Vec3 }).direction, direction)));
    const sigmas = Math.sqrt(equations[i].reduce((sum, e) => sum + (e.off / e.sigma) ** 2, 0) / equations[i].length);
    return {
      id: s.id,
      offDeg: toDegrees(off),
      sigmas,
      own: Array.isArray(own) ? null : (own as { direction: Vec3 }).direction,
      height: Array.isArray(own) ? null : (own as { height: number | null }).height,
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
