import * as v from "valibot";
import { Share } from "../schema/fields.ts";

/** A curve over code values (sRGB, 0 to 1): points that it goes through, rising in x. */
export const CurveSchema = v.pipe(
  v.array(v.tuple([Share, Share])),
  v.minLength(2, "has fewer than 2 points"),
  v.maxLength(16, "has more than 16 points"),
  v.check((points) => points.every(([x], i) => i === 0 || x > points[i - 1][0]), "must rise from point to point"),
);
export type CurvePoints = v.InferOutput<typeof CurveSchema>;
export const straight = (): CurvePoints => [
  [0, 0],
  [1, 1],
];
export const isStraight = (points: CurvePoints): boolean => points.every(([x, y]) => x === y);

/**
 * The curve's value at x: monotone cubic pieces (Fritsch and Carlson 1980), so that nothing overshoots between points; the
 * end pieces go on straight, so that what is brighter than white stays so.
 */
export function curveOf(points: CurvePoints): (x: number) => number {
  const n = points.length;
  const slopes = points.slice(1).map(([x, y], i) => (y - points[i][1]) / (x - points[i][0]));
  const tangents = points.map((_, i) => {
    if (i === 0) return slopes[0];
    if (i === n - 1) return slopes[n - 2];
    const [a, b] = [slopes[i - 1], slopes[i]];
    return a * b <= 0 ? 0 : (a + b) / 2;
  });
  slopes.forEach((slope, i) => {
    if (slope === 0) {
      tangents[i] = 0;
      tangents[i + 1] = 0;
      return;
    }
    const [a, b] = [tangents[i] / slope, tangents[i + 1] / slope];
    const far = Math.hypot(a, b);
    if (far > 3) {
      tangents[i] = (3 * a * slope) / far;
      tangents[i + 1] = (3 * b * slope) / far;
    }
  });
  return (x) => {
    if (x <= points[0][0]) return points[0][1] + tangents[0] * (x - points[0][0]);
    const last = points[n - 1];
    if (x >= last[0]) return last[1] + tangents[n - 1] * (x - last[0]);
    let i = 0;
    while (x > points[i + 1][0]) i++;
    const [[x0, y0], [x1, y1]] = [points[i], points[i + 1]];
    const h = x1 - x0;
    const t = (x - x0) / h;
    const [t2, t3] = [t * t, t * t * t];
    return (
      (2 * t3 - 3 * t2 + 1) * y0 +
      (t3 - 2 * t2 + t) * h * tangents[i] +
      (3 * t2 - 2 * t3) * y1 +
      (t3 - t2) * h * tangents[i + 1]
    );
  };
}
