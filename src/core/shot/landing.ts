import type { Vec2, Vec3 } from "../math/vec3.ts";
import type { Camera, Frame } from "../optics/camera.ts";
import { groundPlane, pixelOnPlane } from "../optics/camera.ts";
import { faceNormal } from "../set/face.ts";
import type { SetRecord } from "../set/parts/index.ts";
import type { Picked } from "../set/pick.ts";
import { pickFace } from "../set/pick.ts";
import { groundHeight } from "../set/pieces.ts";

/** Where something new is set down by itself. */

/** What something covers as seen from above, metres. */
export interface Plan {
  low: Vec2;
  high: Vec2;
}

/** Something that stands already: the world's ground that it covers, and the plate's pixels. */
export interface Standing {
  plan: Plan;
  /** Plate pixels; null where it is not in the picture. */
  box: { left: number; top: number; right: number; bottom: number } | null;
}

/** Metres from the camera beyond which nothing is set down by itself. */
const FARTHEST = 40;
/** Share of the plate's width that has to be of the set on both sides of a place. */
const BESIDE = 0.05;
/** Places that are tried, best first: shares of the way from where the ground begins to the plate's foot, and of its width. */
const DOWN = [0.45, 0.6, 0.32, 0.75, 0.88, 0.22];
const ACROSS = [0.5, 0.36, 0.64, 0.24, 0.76, 0.12, 0.88];
/** Metres left between what is set down and what stands there. */
const BETWEEN = 0.15;
/** Rows of the plate that are looked at for where the ground begins. */
const ROWS = 48;
/** Least square of the cosine between a face that one can stand on and upright. */
const UPWARD = 0.3;

/**
 * A free place well below the horizon, in metres: on an upward face of the set that the plate shows there and not at its
 * border, else on the ground; not behind a wall, not where another prop is seen, nor so that the two would meet: `own` is
 * what the new thing covers about its foot. The world's origin where there is none at all.
 */
export function landingPlace(
  set: SetRecord,
  camera: Camera,
  frame: Frame,
  own: Plan,
  others: readonly Standing[],
): Vec3 {
  const { width, height } = frame;
  const ground = groundPlane(groundHeight({ set }));
  const far = (at: Vec3) => Math.hypot(at[0] - camera.position[0], at[1] - camera.position[1]);
  const onGround = (pixel: Vec2): Vec3 | null => {
    const at = pixelOnPlane(camera, pixel, ground);
    return at && far(at) < FARTHEST ? at : null;
  };
  const free = ({ at }: { at: Vec3 }) =>
    others.every(({ plan }) =>
      [0, 1].some((k) => at[k] + own.low[k] > plan.high[k] + BETWEEN || at[k] + own.high[k] < plan.low[k] - BETWEEN),
    );
  const open = ({ pixel: [u, v] }: { pixel: Vec2 }) =>
    others.every(({ box }) => !box || u < box.left || u > box.right || v < box.top || v > box.bottom);
  const upward = (met: Picked | null) => met !== null && faceNormal(met.face)[2] ** 2 > UPWARD;

  const places: { at: Vec3; pixel: Vec2; built: boolean }[] = [];
  for (const down of DOWN)
    for (const across of ACROSS) {
      const u = across * width;
      const rows = Array.from({ length: ROWS }, (_, i) => (i * height) / ROWS);
      const top = rows.find((v) => onGround([u, v])) ?? height;
      const pixel: Vec2 = [u, top + down * (height - top)];
      const met = pickFace(set, camera, pixel);
      // The ground behind a wall is no place.
      if (met && !upward(met)) continue;
      const at = met ? met.world : onGround(pixel);
      if (!at || far(at) >= FARTHEST) continue;
      const built = [-1, 0, 1].every((side) => upward(pickFace(set, camera, [u + side * BESIDE * width, pixel[1]])));
      places.push({ at, pixel, built });
    }
  const best =
    places.find((p) => p.built && open(p) && free(p)) ??
    places.find((p) => open(p) && free(p)) ??
    places.find(free) ??
    places[0];
  return best?.at ?? [0, 0, 0];
}
