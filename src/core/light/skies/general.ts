import type { Vec3 } from "../../math/vec3.ts";
import type { SkyKind, SkyShape } from "./sky.ts";

/**
 * The fifteen general skies of ISO 15469:2004 (CIE S 011): gradation a, b and indicatrix c, d, e, from memory, checked in
 * the tests against the older formulas of the standard overcast and clear skies.
 */
const GENERAL: readonly (readonly [string, number, number, number, number, number])[] = [
  ["overcast, steep, even around the sun", 4, -0.7, 0, -1, 0],
  ["overcast, steep, a little brighter at the sun", 4, -0.7, 2, -1.5, 0.15],
  ["overcast, gentle, even around the sun", 1.1, -0.8, 0, -1, 0],
  ["overcast, gentle, a little brighter at the sun", 1.1, -0.8, 2, -1.5, 0.15],
  ["even", 0, -1, 0, -1, 0],
  ["part cloud, level, a little brighter at the sun", 0, -1, 2, -1.5, 0.15],
  ["part cloud, level, bright around the sun", 0, -1, 5, -2.5, 0.3],
  ["part cloud, level, the sun's corona clear", 0, -1, 10, -3, 0.45],
  ["part cloud, the sun hidden", -1, -0.55, 2, -1.5, 0.15],
  ["part cloud, bright around the sun", -1, -0.55, 5, -2.5, 0.3],
  ["white-blue, the sun's corona clear", -1, -0.55, 10, -3, 0.45],
  ["standard clear, clean air", -1, -0.32, 10, -3, 0.45],
  ["standard clear, hazy air", -1, -0.32, 16, -3, 0.3],
  ["cloudless, hazy, a broad corona", -1, -0.15, 16, -3, 0.3],
  ["white-blue, hazy, a broad corona", -1, -0.15, 24, -2.8, 0.15],
];

export const GENERAL_SKIES = GENERAL.map(([name], i) => ({ number: i + 1, name }));

/** Luminance of a general sky by direction over that of the zenith (ISO 15469, equations 1 to 5). */
export function generalSky(number: number, sunUp: number): (up: number, toSun: number) => number {
  const [, a, b, c, d, e] = GENERAL[number - 1];
  const gradation = (up: number) => (up <= 0 ? 1 : 1 + a * Math.exp(b / up));
  const indicatrix = (angle: number) =>
    1 + c * (Math.exp(d * angle) - Math.exp((d * Math.PI) / 2)) + e * Math.cos(angle) ** 2;
  const zenith = gradation(1) * indicatrix(Math.acos(Math.min(1, Math.max(-1, sunUp))));
  return (up, toSun) => (indicatrix(toSun) * gradation(up)) / zenith;
}

const grey = (luminance: (up: number, toSun: number) => number): SkyShape => {
  return (up, toSun) => {
    const l = luminance(up, toSun);
    return [l, l, l];
  };
};

export const general: SkyKind<{ number: number }> = {
  label: "general",
  shape: ({ number }, sun: Vec3) => grey(generalSky(number, sun[2])),
};

/** Moon and Spencer, Illumination from a non-uniform sky (1942): (1 + 2 sin height) / 3 of the zenith. */
export const overcast: SkyKind<object> = {
  label: "overcast",
  shape: () => grey((up) => (1 + 2 * Math.max(0, up)) / 3),
};

export const even: SkyKind<object> = { label: "even", shape: () => null };
