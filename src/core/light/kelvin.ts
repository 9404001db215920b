import { luminance } from "../colour/srgb.ts";
import type { Vec3 } from "../math/vec3.ts";
import { fromChroma } from "./skies/physical.ts";

/** CIE 1931 colour matching, by the fits of Wyman, Sloan and Shirley (JCGT 2(2), 2013); wavelength in nanometres. */
function matching(nm: number): Vec3 {
  const bell = (mu: number, low: number, high: number) => {
    const t = (nm - mu) * (nm < mu ? low : high);
    return Math.exp(-0.5 * t * t);
  };
  return [
    0.362 * bell(442, 0.0624, 0.0374) + 1.056 * bell(599.8, 0.0264, 0.0323) - 0.065 * bell(501.1, 0.049, 0.0382),
    0.821 * bell(568.8, 0.0213, 0.0247) + 0.286 * bell(530.9, 0.0613, 0.0322),
    1.217 * bell(437, 0.0845, 0.0278) + 0.681 * bell(459, 0.0385, 0.0725),
  ];
}

/** Chromaticity of a black body (Planck's law, second radiation constant 14 388 µm K). */
export function blackBody(kelvin: number): [number, number] {
  const sum: Vec3 = [0, 0, 0];
  for (let nm = 360; nm <= 830; nm += 5) {
    const power = 1 / ((nm / 1000) ** 5 * (Math.exp(14_388 / ((nm / 1000) * kelvin)) - 1));
    matching(nm).forEach((m, k) => (sum[k] += m * power));
  }
  const total = sum[0] + sum[1] + sum[2];
  return [sum[0] / total, sum[1] / total];
}

/** Chromaticity of daylight, 4000 to 25 000 K (CIE 15, colorimetry: the daylight locus). */
export function daylight(kelvin: number): [number, number] {
  const t = 1000 / kelvin;
  const x =
    kelvin <= 7000
      ? -4.607 * t ** 3 + 2.9678 * t ** 2 + 0.09911 * t + 0.244063
      : -2.0064 * t ** 3 + 1.9018 * t ** 2 + 0.24748 * t + 0.23704;
  return [x, -3 * x * x + 2.87 * x - 0.275];
}

/** Linear sRGB colour of luminance 1 of a light of that temperature, 1500 to 15 000 K: daylight from 5000 K, below 4000 K a black body. */
export function kelvinColour(kelvin: number): Vec3 {
  const t = Math.min(15_000, Math.max(1500, kelvin));
  const mix = Math.min(1, Math.max(0, (t - 4000) / 1000));
  const [a, b] = [blackBody(t), daylight(Math.max(4000, t))];
  return fromChroma(a[0] + mix * (b[0] - a[0]), a[1] + mix * (b[1] - a[1]), 1);
}

/**
 * Colour of luminance 1 that a light of that temperature has on a plate which was balanced for another: that one is neutral
 * there (von Kries' rule, in the plate's own linear channels). Without one the encoding's own white is.
 */
export function balancedColour(kelvin: number, white: number | null): Vec3 {
  const own = kelvinColour(kelvin);
  if (white === null) return own;
  const neutral = kelvinColour(white);
  const seen = own.map((c, k) => c / Math.max(1e-6, neutral[k])) as Vec3;
  const level = luminance(...seen);
  return seen.map((c) => c / level) as Vec3;
}

/** Range of a plate's white, kelvin. */
const WHITES = [1500, 15_000] as const;

/**
 * Temperature that a plate was balanced for, from the colour in which it shows something grey under a light of known
 * temperature: red over blue is what that light has over what the white has. Null where no white explains it.
 */
export function whiteOfNeutral([red, , blue]: Vec3, kelvin: number): number | null {
  if (!(red > 0 && blue > 0)) return null;
  const warmth = (k: number) => {
    const [r, , b] = kelvinColour(k);
    return Math.log(r / Math.max(1e-6, b));
  };
  const wanted = warmth(kelvin) - Math.log(red / blue);
  let [low, high]: [number, number] = [...WHITES];
  if (wanted > warmth(low) || wanted < warmth(high)) return null;
  for (let i = 0; i < 40; i++) {
    const middle = (low + high) / 2;
    if (warmth(middle) > wanted) low = middle;
    else high = middle;
  }
  return (low + high) / 2;
}
