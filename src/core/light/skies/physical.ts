import type { Vec3 } from "../../math/vec3.ts";
import type { SkyKind, SkyShape } from "./sky.ts";

/**
 * The clear sky of Preetham, Shirley and Smits, A Practical Analytic Model for Daylight (SIGGRAPH 1999), from memory:
 * luminance and chromaticity by Perez' formula, whose five numbers depend on the turbidity, and what of the sun comes
 * through that air.
 */
const PEREZ: Record<"Y" | "x" | "y", readonly (readonly [number, number])[]> = {
  Y: [
    [0.1787, -1.463],
    [-0.3554, 0.4275],
    [-0.0227, 5.3251],
    [0.1206, -2.5771],
    [-0.067, 0.3703],
  ],
  x: [
    [-0.0193, -0.2592],
    [-0.0665, 0.0008],
    [-0.0004, 0.2125],
    [-0.0641, -0.8989],
    [-0.0033, 0.0452],
  ],
  y: [
    [-0.0167, -0.2608],
    [-0.095, 0.0092],
    [-0.0079, 0.2102],
    [-0.0441, -1.6537],
    [-0.0109, 0.0529],
  ],
};
const ZENITH = {
  x: [
    [0.00166, -0.00375, 0.00209, 0],
    [-0.02903, 0.06377, -0.03202, 0.00394],
    [0.11693, -0.21196, 0.06052, 0.25886],
  ],
  y: [
    [0.00275, -0.0061, 0.00317, 0],
    [-0.04214, 0.0897, -0.04153, 0.00516],
    [0.15346, -0.26756, 0.0667, 0.26688],
  ],
};

/** Luminance of the zenith in cd/m², the sun at `theta` from it (radians). */
export const zenithLuminance = (turbidity: number, theta: number): number =>
  1000 *
  ((4.0453 * turbidity - 4.971) * Math.tan((4 / 9 - turbidity / 120) * (Math.PI - 2 * theta)) -
    0.2155 * turbidity +
    2.4192);

function zenithChroma(of: "x" | "y", turbidity: number, theta: number): number {
  const powers = [theta ** 3, theta ** 2, theta, 1];
  return [turbidity ** 2, turbidity, 1].reduce(
    (sum, t, i) => sum + t * ZENITH[of][i].reduce((s, c, k) => s + c * powers[k], 0),
    0,
  );
}

function perez(of: "Y" | "x" | "y", turbidity: number, sunTheta: number): (up: number, toSun: number) => number {
  const [a, b, c, d, e] = PEREZ[of].map(([slope, base]) => slope * turbidity + base);
  const f = (cosine: number, angle: number) =>
    (1 + a * Math.exp(b / Math.max(0.01, cosine))) * (1 + c * Math.exp(d * angle) + e * Math.cos(angle) ** 2);
  const zenith = f(1, sunTheta);
  return (up, toSun) => f(up, toSun) / zenith;
}

/** Linear sRGB of CIE xyY (IEC 61966-2-1), nothing below 0. */
export function fromChroma(x: number, y: number, luminance: number): Vec3 {
  const [X, Y, Z] = [(x / y) * luminance, luminance, ((1 - x - y) / y) * luminance];
  return [
    Math.max(0, 3.2406 * X - 1.5372 * Y - 0.4986 * Z),
    Math.max(0, -0.9689 * X + 1.8758 * Y + 0.0415 * Z),
    Math.max(0, 0.0557 * X - 0.204 * Y + 1.057 * Z),
  ];
}

/** Radiance of the clear sky in linear sRGB, luminance in cd/m². The sun is held above the horizon. */
export function clearSky(turbidity: number, sun: Vec3): SkyShape {
  const theta = Math.min(1.55, Math.acos(Math.min(1, Math.max(0, sun[2]))));
  const [Y, x, y] = (["Y", "x", "y"] as const).map((of) => perez(of, turbidity, theta));
  const zenith = Math.max(100, zenithLuminance(turbidity, theta));
  const [zx, zy] = [zenithChroma("x", turbidity, theta), zenithChroma("y", turbidity, theta)];
  return (up, toSun) => fromChroma(zx * x(up, toSun), zy * y(up, toSun), zenith * Y(up, toSun));
}

const luminance = (c: Vec3) => 0.2126 * c[0] + 0.7152 * c[1] + 0.0722 * c[2];

/** Illuminance outside the air, lux (IESNA: 127.5 klx), and its colour in linear sRGB (common practice: 5900 K). */
const OUTSIDE_LUX = 127_500;
const OUTSIDE: Vec3 = [1.034, 0.993, 0.96];
/** Micrometres that stand for red, green and blue. */
const WAVES: Vec3 = [0.61, 0.55, 0.465];

/**
 * Illuminance of the sun through air of a turbidity, on a surface that faces it, linear sRGB in lux: Rayleigh's and
 * Ångström's scattering along the air mass of Kasten (Iqbal, An Introduction to Solar Radiation, 1983, from memory).
 */
export function sunThroughAir(turbidity: number, up: number): Vec3 {
  const height = (Math.asin(Math.min(1, Math.max(0, up))) * 180) / Math.PI;
  const mass = 1 / (Math.sin((height * Math.PI) / 180) + 0.15 * (height + 3.885) ** -1.253);
  const beta = Math.max(0, 0.0460836582205 * turbidity - 0.04586025928522);
  return WAVES.map((wave, k) => {
    const depth = 0.008735 * wave ** -4.08 + beta * wave ** -1.3;
    return OUTSIDE_LUX * OUTSIDE[k] * Math.exp(-depth * mass);
  }) as Vec3;
}

/** Share of what the air scatters out of the sun's beam that comes down as skylight (our own choice; the test has a handbook's figures). */
const DOWNWARDS = 0.6;

/**
 * Light of sun and sky through air of a turbidity: the sun's on a surface that faces it, lux; the sky's mean over level
 * ground, cd/m². The sky's colour is its shape's, its strength what the beam has lost on its way.
 */
export function clearDaylight(turbidity: number, sun: Vec3): { sun: Vec3; sky: Vec3 } {
  const shape = clearSky(turbidity, sun);
  const sum: Vec3 = [0, 0, 0];
  for (let j = 0; j < 45; j++)
    for (let i = 0; i < 90; i++) {
      const tilt = ((j + 0.5) / 45) * (Math.PI / 2);
      const turn = ((i + 0.5) / 90) * 2 * Math.PI;
      const d: Vec3 = [Math.sin(tilt) * Math.sin(turn), Math.sin(tilt) * Math.cos(turn), Math.cos(tilt)];
      const angle = Math.acos(Math.min(1, Math.max(-1, d[0] * sun[0] + d[1] * sun[1] + d[2] * sun[2])));
      shape(d[2], angle, d).forEach((c, k) => (sum[k] += Math.sin(tilt) * d[2] * c));
    }
  const direct = sunThroughAir(turbidity, sun[2]);
  const lost = Math.max(0.02, sun[2]) * (OUTSIDE_LUX - luminance(direct));
  const level = (DOWNWARDS * lost) / Math.PI / luminance(sum);
  return { sun: direct, sky: sum.map((c) => c * level) as Vec3 };
}

export const physical: SkyKind<{ turbidity: number }> = {
  label: "physical",
  shape: ({ turbidity }, sun) => clearSky(turbidity, sun),
};
