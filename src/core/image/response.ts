/**
 * How a camera bent light before it was coded: contrast about middle grey, and a shoulder from some brightness on, beyond
 * which light approaches white without reaching it. Camera JPEGs have one; raw files that were developed flat do not.
 */
export interface Response {
  /** Level of linear light, 0 to 1, at which the shoulder begins; 1 for none. */
  shoulder: number;
  /** Power about middle grey: above 1 is more contrast than the place had. */
  contrast: number;
}

/** Reflectance of middle grey (common practice, no published source). */
const GREY = 0.18;
/** So much of the way to white a code tells its light; beyond it lies what clips. */
const MOST = 0.995;

/** Light of the place, from what the plate's code says as linear light. */
export function toScene({ shoulder, contrast }: Response, y: number): number {
  let x = y;
  const rest = 1 - shoulder;
  if (rest > 0 && y > shoulder) x = shoulder - rest * Math.log(1 - Math.min(MOST, (y - shoulder) / rest));
  return contrast === 1 || x <= 0 ? x : GREY * (x / GREY) ** (1 / contrast);
}

/** What the plate's code has to say for light of the place: the inverse up to where it clips. */
export function toPlate({ shoulder, contrast }: Response, x: number): number {
  const y = contrast === 1 || x <= 0 ? x : GREY * (x / GREY) ** contrast;
  const rest = 1 - shoulder;
  return rest > 0 && y > shoulder ? shoulder + rest * (1 - Math.exp((shoulder - y) / rest)) : y;
}
