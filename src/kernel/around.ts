// Which place of the environment's picture a ray sees: the picture may be turned, and stand at a finite distance, as a
// sphere or box around a centre, so that near walls are seen where they are.
import { paramF, paramU } from "./params";
import {
  EXTENT_IS_BOX,
  EXTENT_IS_DOME,
  PARAM_EXTENT,
  PARAM_EXTENT_CENTRE,
  PARAM_EXTENT_HALF,
  PARAM_TURN,
} from "./layout";

const ONE: f32 = 1;

/** Direction in the picture. */
export let aroundX: f32 = 0,
  aroundY: f32 = 0,
  aroundZ: f32 = 0;
/** Solid angle at the centre over that at the point, of what is seen. */
export let stretch: f32 = 1;
/** Direction from the point. */
export let towardsX: f32 = 0,
  towardsY: f32 = 0,
  towardsZ: f32 = 0;

// What a ray from within the extent leaves it by, as seen from the centre.
let leftX: f32 = 0,
  leftY: f32 = 0,
  leftZ: f32 = 0;
/** Component of the direction along the face that it leaves by. */
let faceCosine: f32 = 0,
  faceDistance: f32 = 0;

/** Follows a ray from a point (relative to the centre) to the extent's border; its length, 0 from outside. */
function leave(x: f32, y: f32, z: f32, dx: f32, dy: f32, dz: f32): f32 {
  const hx = paramF(PARAM_EXTENT_HALF),
    hy = paramF(PARAM_EXTENT_HALF + 4),
    hz = paramF(PARAM_EXTENT_HALF + 8);
  let t: f32 = 0;
  const extent = paramU(PARAM_EXTENT);
  if (extent != EXTENT_IS_BOX) {
    if (extent == EXTENT_IS_DOME && z <= -hz) return 0;
    const c = x * x + y * y + z * z - hx * hx;
    if (c >= 0) return 0;
    const b = x * dx + y * dy + z * dz;
    t = sqrt<f32>(b * b - c) - b;
    if (extent == EXTENT_IS_DOME && dz < 0) {
      const toFloor = (-hz - z) / dz;
      if (toFloor < t) {
        leftX = x + toFloor * dx;
        leftY = y + toFloor * dy;
        leftZ = -hz;
        faceCosine = -dz;
        faceDistance = hz;
        return toFloor;
      }
    }
    leftX = x + t * dx;
    leftY = y + t * dy;
    leftZ = z + t * dz;
    faceCosine = (leftX * dx + leftY * dy + leftZ * dz) / hx;
    faceDistance = hx;
    return t;
  }
  if (abs<f32>(x) >= hx || abs<f32>(y) >= hy || abs<f32>(z) >= hz) return 0;
  const tx = dx != 0 ? ((dx > 0 ? hx : -hx) - x) / dx : f32.MAX_VALUE,
    ty = dy != 0 ? ((dy > 0 ? hy : -hy) - y) / dy : f32.MAX_VALUE,
    tz = dz != 0 ? ((dz > 0 ? hz : -hz) - z) / dz : f32.MAX_VALUE;
  t = min<f32>(tx, min<f32>(ty, tz));
  faceCosine = abs<f32>(t == tx ? dx : t == ty ? dy : dz);
  faceDistance = t == tx ? hx : t == ty ? hy : hz;
  leftX = x + t * dx;
  leftY = y + t * dy;
  leftZ = z + t * dz;
  return t;
}

/** Sets `stretch` for what was left at distance `t` from the point and `r` from the centre. */
function setStretch(t: f32, r: f32): void {
  // At the centre the face is met at the cosine distance / r; areas seen go with cosine over distance squared.
  stretch = (faceDistance * t * t) / max<f32>(1e-12, faceCosine * r * r * r);
}

/** Where a ray from a point sees the picture: `aroundX` to `aroundZ` and `stretch`. */
export function lookAround(ox: f32, oy: f32, oz: f32, dx: f32, dy: f32, dz: f32): void {
  let x = dx,
    y = dy,
    z = dz;
  stretch = 1;
  if (paramU(PARAM_EXTENT)) {
    const t = leave(
      ox - paramF(PARAM_EXTENT_CENTRE),
      oy - paramF(PARAM_EXTENT_CENTRE + 4),
      oz - paramF(PARAM_EXTENT_CENTRE + 8),
      dx,
      dy,
      dz,
    );
    if (t > 0) {
      const r = sqrt<f32>(leftX * leftX + leftY * leftY + leftZ * leftZ),
        s = ONE / r;
      x = leftX * s;
      y = leftY * s;
      z = leftZ * s;
      setStretch(t, r);
    }
  }
  aroundX = paramF(PARAM_TURN) * x + paramF(PARAM_TURN + 4) * y + paramF(PARAM_TURN + 8) * z;
  aroundY = paramF(PARAM_TURN + 12) * x + paramF(PARAM_TURN + 16) * y + paramF(PARAM_TURN + 20) * z;
  aroundZ = paramF(PARAM_TURN + 24) * x + paramF(PARAM_TURN + 28) * y + paramF(PARAM_TURN + 32) * z;
}

/** The way from a point to a direction of the picture: `towardsX` to `towardsZ` and `stretch`. */
export function wayTo(ox: f32, oy: f32, oz: f32, px: f32, py: f32, pz: f32): void {
  const x = paramF(PARAM_TURN) * px + paramF(PARAM_TURN + 12) * py + paramF(PARAM_TURN + 24) * pz,
    y = paramF(PARAM_TURN + 4) * px + paramF(PARAM_TURN + 16) * py + paramF(PARAM_TURN + 28) * pz,
    z = paramF(PARAM_TURN + 8) * px + paramF(PARAM_TURN + 20) * py + paramF(PARAM_TURN + 32) * pz;
  stretch = 1;
  towardsX = x;
  towardsY = y;
  towardsZ = z;
  if (!paramU(PARAM_EXTENT)) return;
  const cx = ox - paramF(PARAM_EXTENT_CENTRE),
    cy = oy - paramF(PARAM_EXTENT_CENTRE + 4),
    cz = oz - paramF(PARAM_EXTENT_CENTRE + 8);
  const r = leave(0, 0, 0, x, y, z),
    wx = leftX - cx,
    wy = leftY - cy,
    wz = leftZ - cz;
  const t = sqrt<f32>(wx * wx + wy * wy + wz * wz),
    s = ONE / max<f32>(1e-12, t);
  // From outside the picture is seen as if it were endless.
  if (!(leave(cx, cy, cz, wx * s, wy * s, wz * s) > 0)) return;
  towardsX = wx * s;
  towardsY = wy * s;
  towardsZ = wz * s;
  setStretch(t, r);
}
