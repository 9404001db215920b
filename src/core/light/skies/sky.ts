import type { Vec3 } from "../../math/vec3.ts";

/**
 * A sky's brightness by direction, up to a factor. `up` is the sine of the height, `toSun` the angle to the sun,
 * `direction` the unit vector itself.
 */
export type SkyShape = (up: number, toSun: number, direction: Vec3) => Vec3;

/** What a kind of sky is. `sun` is the unit vector to the sun, which counts also where it is switched off. */
export interface SkyKind<T> {
  label: string;
  /** Null for a sky that is the same everywhere. */
  shape: (spread: T, sun: Vec3) => SkyShape | null;
}
