// Openings of rooms, through which the sky is drawn by the points within: a way that goes through none of them meets a wall.
import { paramU } from "./params";
import {
  PARAM_PORTALS,
  PARAM_PORTAL_COUNT,
  PORTAL_AREA,
  PORTAL_BYTES,
  PORTAL_CORNER,
  PORTAL_HIGH,
  PORTAL_INWARDS,
  PORTAL_LOW,
  PORTAL_U,
  PORTAL_V,
} from "./layout";

/** Direction and density by solid angle of what was drawn. */
export let portalX: f32 = 0,
  portalY: f32 = 0,
  portalZ: f32 = 0;

// Sum of the portals' weights at the point asked for last.
let total: f32 = 0;

/** About the solid angle in which a point of the portal's own room sees it; 0 from anywhere else. */
function weightOf(portal: u32, x: f32, y: f32, z: f32): f32 {
  if (x < load<f32>(portal, PORTAL_LOW) || x > load<f32>(portal, PORTAL_HIGH)) return 0;
  if (y < load<f32>(portal, PORTAL_LOW + 4) || y > load<f32>(portal, PORTAL_HIGH + 4)) return 0;
  if (z < load<f32>(portal, PORTAL_LOW + 8) || z > load<f32>(portal, PORTAL_HIGH + 8)) return 0;
  const half: f32 = 0.5;
  const dx = x - load<f32>(portal, PORTAL_CORNER) - half * (load<f32>(portal, PORTAL_U) + load<f32>(portal, PORTAL_V)),
    dy =
      y -
      load<f32>(portal, PORTAL_CORNER + 4) -
      half * (load<f32>(portal, PORTAL_U + 4) + load<f32>(portal, PORTAL_V + 4)),
    dz =
      z -
      load<f32>(portal, PORTAL_CORNER + 8) -
      half * (load<f32>(portal, PORTAL_U + 8) + load<f32>(portal, PORTAL_V + 8));
  const before =
    dx * load<f32>(portal, PORTAL_INWARDS) +
    dy * load<f32>(portal, PORTAL_INWARDS + 4) +
    dz * load<f32>(portal, PORTAL_INWARDS + 8);
  if (before <= 1e-4) return 0;
  const area = load<f32>(portal, PORTAL_AREA),
    d2 = max<f32>(dx * dx + dy * dy + dz * dz, half * area);
  // Near its own wall a portal is seen at a slant, but not quite from the side.
  return (area * max<f32>(<f32>0.05, before / sqrt<f32>(d2))) / d2;
}

/** True if a point sees the sky by way of portals alone. */
export function hasPortals(x: f32, y: f32, z: f32): bool {
  total = 0;
  const portals = paramU(PARAM_PORTALS),
    end = portals + paramU(PARAM_PORTAL_COUNT) * PORTAL_BYTES;
  for (let at = portals; at < end; at += PORTAL_BYTES) total += weightOf(at, x, y, z);
  return total > 0;
}

/** Draws a direction through one of the portals, after `hasPortals` for that point; the numbers are of 0 to 1. */
export function drawPortal(x: f32, y: f32, z: f32, choice: f32, a: f32, b: f32): bool {
  const portals = paramU(PARAM_PORTALS),
    last = portals + (paramU(PARAM_PORTAL_COUNT) - 1) * PORTAL_BYTES;
  let left = choice * total,
    at = portals;
  for (; at < last; at += PORTAL_BYTES) {
    left -= weightOf(at, x, y, z);
    if (left < 0) break;
  }
  const dx = load<f32>(at, PORTAL_CORNER) + a * load<f32>(at, PORTAL_U) + b * load<f32>(at, PORTAL_V) - x,
    dy = load<f32>(at, PORTAL_CORNER + 4) + a * load<f32>(at, PORTAL_U + 4) + b * load<f32>(at, PORTAL_V + 4) - y,
    dz = load<f32>(at, PORTAL_CORNER + 8) + a * load<f32>(at, PORTAL_U + 8) + b * load<f32>(at, PORTAL_V + 8) - z;
  const far = sqrt<f32>(dx * dx + dy * dy + dz * dz);
  if (!(far > 1e-4)) return false;
  portalX = dx / far;
  portalY = dy / far;
  portalZ = dz / far;
  return true;
}

/** Density by solid angle by which `drawPortal` draws a direction from the point last given to `hasPortals`. */
export function portalPdf(x: f32, y: f32, z: f32, dx: f32, dy: f32, dz: f32): f32 {
  let sum: f32 = 0;
  const portals = paramU(PARAM_PORTALS),
    end = portals + paramU(PARAM_PORTAL_COUNT) * PORTAL_BYTES;
  for (let at = portals; at < end; at += PORTAL_BYTES) {
    const weight = weightOf(at, x, y, z);
    if (!(weight > 0)) continue;
    const nx = load<f32>(at, PORTAL_INWARDS),
      ny = load<f32>(at, PORTAL_INWARDS + 4),
      nz = load<f32>(at, PORTAL_INWARDS + 8);
    const cosine = -(dx * nx + dy * ny + dz * nz);
    if (cosine <= 1e-6) continue;
    const px = x - load<f32>(at, PORTAL_CORNER),
      py = y - load<f32>(at, PORTAL_CORNER + 4),
      pz = z - load<f32>(at, PORTAL_CORNER + 8);
    const t = (px * nx + py * ny + pz * nz) / cosine,
      qx = px + t * dx,
      qy = py + t * dy,
      qz = pz + t * dz;
    // Its sides stand at a right angle.
    const ux = load<f32>(at, PORTAL_U),
      uy = load<f32>(at, PORTAL_U + 4),
      uz = load<f32>(at, PORTAL_U + 8),
      vx = load<f32>(at, PORTAL_V),
      vy = load<f32>(at, PORTAL_V + 4),
      vz = load<f32>(at, PORTAL_V + 8);
    const u = (qx * ux + qy * uy + qz * uz) / (ux * ux + uy * uy + uz * uz),
      v = (qx * vx + qy * vy + qz * vz) / (vx * vx + vy * vy + vz * vz);
    if (u < 0 || u > 1 || v < 0 || v > 1) continue;
    sum += (weight * t * t) / (load<f32>(at, PORTAL_AREA) * cosine);
  }
  return sum / total;
}
