import * as L from "../../kernel/layout.ts";
import { luminance } from "../colour/srgb.ts";
import type { Vec3 } from "../math/vec3.ts";
import { cross, normalize, scale } from "../math/vec3.ts";
import type { Lamp } from "./scene.ts";

/** A triangle of a prop that shines: nine world coordinates. */
export interface ShiningTriangle {
  corners: number[];
  luminance: number;
  triangle: number;
}

/** Area of a lamp in square metres. */
export function lampArea(lamp: Lamp): number {
  const [w, h] = lamp.size;
  if (lamp.kind === "rectangle") return w * h;
  return (lamp.kind === "sphere" ? 1 : 0.25) * Math.PI * w * w;
}

/**
 * The kernel's table of lamps: the lamps proper, then the triangles of shining props, each with its probability of being
 * drawn, by luminance times area. `power` is the sum of those products.
 */
export function lampRows(
  lamps: Lamp[],
  triangles: ShiningTriangle[],
): { bytes: Uint8Array; count: number; proper: number; power: number } {
  const count = lamps.length + triangles.length;
  const bytes = new Uint8Array(count * L.LAMP_BYTES);
  const f = new Float32Array(bytes.buffer);
  const u = new Uint32Array(bytes.buffer);
  const row = L.LAMP_BYTES / 4;
  const put = (i: number, offset: number, ...values: number[]) => f.set(values, i * row + offset / 4);
  const powers: number[] = [];
  const kinds = {
    rectangle: L.LAMP_IS_RECTANGLE,
    disc: L.LAMP_IS_DISC,
    spot: L.LAMP_IS_DISC,
    sphere: L.LAMP_IS_SPHERE,
  };
  lamps.forEach((lamp, i) => {
    const facing = normalize(lamp.facing);
    const across = normalize(lamp.across);
    const up = cross(facing, across);
    const [w, h] = lamp.kind === "rectangle" ? lamp.size : [lamp.size[0], lamp.size[0]];
    u[i * row + L.LAMP_KIND / 4] = kinds[lamp.kind];
    u[i * row + L.LAMP_GROUP / 4] = L.GROUP_LAMPS + i;
    put(i, L.LAMP_POSITION, ...lamp.position);
    put(i, L.LAMP_U, ...scale(across, w / 2));
    put(i, L.LAMP_V, ...scale(up, h / 2));
    put(i, L.LAMP_NORMAL, ...facing);
    put(i, L.LAMP_RADIANCE, ...lamp.radiance);
    put(i, L.LAMP_AREA, lampArea(lamp));
    put(i, L.LAMP_RADIUS, lamp.size[0] / 2);
    const spot = lamp.kind === "spot" && lamp.cone;
    put(i, L.LAMP_INNER, spot ? Math.cos(lamp.cone!.inner) : -2);
    put(i, L.LAMP_OUTER, spot ? Math.cos(lamp.cone!.outer) : -2);
    powers.push(lampArea(lamp) * luminance(...lamp.radiance));
  });
  triangles.forEach(({ corners: c, luminance: level, triangle }, j) => {
    const i = lamps.length + j;
    const e1: Vec3 = [c[3] - c[0], c[4] - c[1], c[5] - c[2]];
    const e2: Vec3 = [c[6] - c[0], c[7] - c[1], c[8] - c[2]];
    const n = cross(e1, e2);
    const twice = Math.hypot(...n);
    u[i * row + L.LAMP_KIND / 4] = L.LAMP_IS_TRIANGLE;
    u[i * row + L.LAMP_TRIANGLE / 4] = triangle;
    // Paths meet a prop's triangle from either side, so it shines on both.
    u[i * row + L.LAMP_TWO_SIDED / 4] = 1;
    put(i, L.LAMP_POSITION, c[0], c[1], c[2]);
    put(i, L.LAMP_U, ...e1);
    put(i, L.LAMP_V, ...e2);
    if (twice > 0) put(i, L.LAMP_NORMAL, ...scale(n, 1 / twice));
    put(i, L.LAMP_AREA, twice / 2);
    put(i, L.LAMP_OUTER, -2);
    powers.push((twice / 2) * level);
  });
  const power = powers.reduce((a, b) => a + b, 0);
  let sum = 0;
  powers.forEach((p, i) => {
    sum += p;
    put(i, L.LAMP_SHARE, power > 0 ? p / power : 0, power > 0 ? sum / power : 1);
  });
  if (count > 0) put(count - 1, L.LAMP_SUM, 1);
  return { bytes, count, proper: lamps.length, power };
}
