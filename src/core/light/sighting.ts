import type { Vec2, Vec3 } from "../math/vec3.ts";
import { normalize, sub } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { groundPlane, pixelOnLine, pixelOnPlane } from "../optics/camera.ts";
import { anglesFromDirection } from "./sun.ts";

/** A shadow measured on the plate: foot and top of something vertical, and the tip of its shadow on the ground. */
export interface Sighting {
  foot: Vec2;
  top: Vec2;
  tip: Vec2;
}

export interface SightedSun {
  direction: Vec3;
  azimuth: number;
  elevation: number;
  /** Height of the sighted thing, metres. */
  height: number;
  /** One standard deviation of azimuth and elevation for marks good to a pixel, radians. */
  sigma: { azimuth: number; elevation: number };
}

function sunOf(camera: Camera, s: Sighting): { direction: Vec3; height: number } | string {
  const foot = pixelOnPlane(camera, s.foot, groundPlane());
  const tip = pixelOnPlane(camera, s.tip, groundPlane());
  if (!foot || !tip) return "Foot and shadow tip must lie on the ground, below the horizon. Put both lower.";
  const height = pixelOnLine(camera, s.top, foot, [0, 0, 1]);
  if (height === null || height <= 0) return "The top must be above the foot. Put it on the tip of the upright thing.";
  const direction = normalize(sub([foot[0], foot[1], height], tip));
  if (!(direction[2] > 0.01)) return "The shadow is too long to tell the sun from. Choose another one.";
  return { direction, height };
}

/** Direction towards the sun from one sighting, or a sentence that says what is wrong. Spread by central differences. */
export function sunFromSighting(camera: Camera, s: Sighting, sigmaPx = 1): SightedSun | string {
  const found = sunOf(camera, s);
  if (typeof found === "string") return found;
  const angles = anglesFromDirection(found.direction);
  let va = 0;
  let ve = 0;
  for (const key of ["foot", "top", "tip"] as const) {
    for (const k of [0, 1]) {
      const moved = (by: number) => {
        const pixel: Vec2 = [...s[key]];
        pixel[k] += by;
        const result = sunOf(camera, { ...s, [key]: pixel });
        return typeof result === "string" ? angles : anglesFromDirection(result.direction);
      };
      const [a, b] = [moved(0.5), moved(-0.5)];
      const turn = Math.atan2(Math.sin(a.azimuth - b.azimuth), Math.cos(a.azimuth - b.azimuth));
      va += (turn * sigmaPx) ** 2;
      ve += ((a.elevation - b.elevation) * sigmaPx) ** 2;
    }
  }
  return { ...found, ...angles, sigma: { azimuth: Math.sqrt(va), elevation: Math.sqrt(ve) } };
}
