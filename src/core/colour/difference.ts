import { srgbToLinear } from "./srgb.ts";

/** CIE L*a*b*, D65 white of sRGB. */
export type Lab = [number, number, number];

const f = (t: number): number => (t > 216 / 24389 ? Math.cbrt(t) : ((24389 / 27) * t + 16) / 116);

/** CIE 1976 L*a*b* of linear Rec. 709 light, white at 1. */
export function linearToLab(r: number, g: number, b: number): Lab {
  const x = f((0.4124564 * r + 0.3575761 * g + 0.1804375 * b) / 0.95047);
  const y = f(0.2126729 * r + 0.7151522 * g + 0.072175 * b);
  const z = f((0.0193339 * r + 0.119192 * g + 0.9503041 * b) / 1.08883);
  return [116 * y - 16, 500 * (x - y), 200 * (y - z)];
}

/** L*a*b* of an sRGB code triple in 0..1. */
export const srgbToLab = (r: number, g: number, b: number): Lab =>
  linearToLab(srgbToLinear(r), srgbToLinear(g), srgbToLinear(b));

/** CIEDE2000 colour difference, after Sharma, Wu and Dalal 2005 (Color Research and Application 30(1)). */
export function ciede2000([l1, a1, b1]: Lab, [l2, a2, b2]: Lab): number {
  const rad = Math.PI / 180;
  const cMean7 = Math.pow((Math.hypot(a1, b1) + Math.hypot(a2, b2)) / 2, 7);
  const g = 0.5 * (1 - Math.sqrt(cMean7 / (cMean7 + 6103515625)));
  const ap1 = (1 + g) * a1;
  const ap2 = (1 + g) * a2;
  const c1 = Math.hypot(ap1, b1);
  const c2 = Math.hypot(ap2, b2);
  const hue = (b: number, a: number) => (a === 0 && b === 0 ? 0 : (Math.atan2(b, a) / rad + 360) % 360);
  const h1 = hue(b1, ap1);
  const h2 = hue(b2, ap2);
  let dh = h2 - h1;
  if (c1 * c2 === 0) dh = 0;
  else if (dh > 180) dh -= 360;
  else if (dh < -180) dh += 360;
  const dL = l2 - l1;
  const dC = c2 - c1;
  const dH = 2 * Math.sqrt(c1 * c2) * Math.sin((dh / 2) * rad);
  const lMean = (l1 + l2) / 2;
  const cMean = (c1 + c2) / 2;
  let hMean = h1 + h2;
  if (c1 * c2 !== 0) {
    if (Math.abs(h1 - h2) <= 180) hMean /= 2;
    else hMean = hMean < 360 ? (hMean + 360) / 2 : (hMean - 360) / 2;
  }
  const t =
    1 -
    0.17 * Math.cos((hMean - 30) * rad) +
    0.24 * Math.cos(2 * hMean * rad) +
    0.32 * Math.cos((3 * hMean + 6) * rad) -
    0.2 * Math.cos((4 * hMean - 63) * rad);
  const theta = 30 * Math.exp(-Math.pow((hMean - 275) / 25, 2));
  const c7 = Math.pow(cMean, 7);
  const rc = 2 * Math.sqrt(c7 / (c7 + 6103515625));
  const l50 = (lMean - 50) * (lMean - 50);
  const sl = 1 + (0.015 * l50) / Math.sqrt(20 + l50);
  const sc = 1 + 0.045 * cMean;
  const sh = 1 + 0.015 * cMean * t;
  const rt = -Math.sin(2 * theta * rad) * rc;
  return Math.sqrt((dL / sl) ** 2 + (dC / sc) ** 2 + (dH / sh) ** 2 + rt * (dC / sc) * (dH / sh));
}
