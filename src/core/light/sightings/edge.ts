import type { Vec2, Vec3 } from "../../math/vec3.ts";
import { add, cross, distance, dot, normalize, scale, sub } from "../../math/vec3.ts";
import type { Camera } from "../../optics/camera.ts";
import { pixelOnPlane, projectPoint } from "../../optics/camera.ts";
import type { SetRecord } from "../../set/parts/index.ts";
import { pickAlong } from "../../set/pick.ts";
import { facePlane } from "../../set/face.ts";
import { allFaces } from "../../set/faces.ts";
import { sidesOf } from "../../set/snap.ts";
import { isSeen } from "../../set/surface.ts";
import type { SightingKind } from "./kind.ts";
import { planeAt, sightingSchema } from "./kind.ts";

const PIXELS = ["edge", "from", "to"] as const;

export const EdgeSchema = sightingSchema("edge", PIXELS);

/** How far from a side of the set a click may be, as a share of the picture's focal length. */
const REACH = 0.03;
/** Sides end where they are looked for at so many points. */
const POINTS = 64;

/** The straight edge of the set that is seen nearest to a pixel; null for none nearby. */
export function edgeUnder(set: SetRecord, camera: Camera, pixel: Vec2): [Vec3, Vec3] | null {
  let best: { side: [Vec3, Vec3]; off: number } | null = null;
  for (const [a, b] of sidesOf(set)) {
    for (let i = 0; i <= POINTS; i++) {
      const point = add(scale(a, 1 - i / POINTS), scale(b, i / POINTS));
      const seen = projectPoint(camera, point);
      if (!seen) continue;
      const off = Math.hypot(seen[0] - pixel[0], seen[1] - pixel[1]);
      if (off > REACH * camera.focalPx || (best && off >= best.off) || hidden(set, camera, point)) continue;
      best = { side: [a, b], off };
    }
  }
  return best?.side ?? null;
}

/** True where a face of the set lies before a point. */
function hidden(set: SetRecord, camera: Camera, point: Vec3): boolean {
  const far = distance(point, camera.position);
  const met = pickAlong(set, camera.position, scale(sub(point, camera.position), 1 / far), isSeen);
  return met !== null && met.distance < far * 0.999;
}

const CAST_POINTS = 32;
/** Metres below which an edge lies on what it would throw its shadow on. */
const LEAST_THROW = 0.01;
/** Metres below which a face is one that the edge itself belongs to. */
const ITS_OWN = 1e-4;

/**
 * Where a sun has a straight edge throw its shadow, on the faces that it meets or else the ground: runs of points in
 * metres, one for each stretch without a jump.
 */
export function shadowOfEdge(set: SetRecord, [a, b]: readonly [Vec3, Vec3], sun: Vec3): Vec3[][] {
  const away = scale(sun, -1);
  const own = new Set<string>();
  for (const { part, face } of allFaces(set)) {
    const { normal, offset } = facePlane(face);
    if ([a, b].every((p) => Math.abs(dot(normal, p) - offset) < ITS_OWN)) own.add(`${part.id} ${face.id}`);
  }
  const runs: Vec3[][] = [];
  let last = "";
  for (let i = 0; i <= CAST_POINTS; i++) {
    const from = add(scale(a, 1 - i / CAST_POINTS), scale(b, i / CAST_POINTS));
    const met = pickAlong(set, from, away, (part, face) => !own.has(`${part.id} ${face}`));
    // A face that is met from behind is that of the thing itself: the edge lies in its own shade there.
    const inside = met !== null && dot(facePlane(met.face).normal, away) > 0;
    const ground = away[2] < -0.02 ? add(from, scale(away, from[2] / -away[2])) : null;
    const there = inside ? null : (met?.world ?? ground);
    const point = there && distance(there, from) > LEAST_THROW ? there : null;
    const on = met ? `${met.part.id} ${met.face.id}` : "ground";
    if (point && on === last && runs.length > 0) runs[runs.length - 1].push(point);
    else if (point) runs.push([point]);
    last = point ? on : "";
  }
  return runs.filter((run) => run.length > 1);
}

/**
 * A straight edge of the set that throws a shadow, and two points of that shadow's own edge: the sun lies in the plane of
 * the edge and its shadow.
 */
export const edge: SightingKind<(typeof PIXELS)[number]> = {
  label: "edge",
  pixels: PIXELS,
  lines: [
    ["edge", "from", "ray"],
    ["from", "to", "cast"],
  ],
  ring: null,
  reader: (clicked, camera, set) => {
    const side = edgeUnder(set, camera, clicked.edge);
    const planes = { from: planeAt(set, camera, clicked.from), to: planeAt(set, camera, clicked.to) };
    return (pixels) => {
      if (!side) return "No edge of the set is there. Click the one that throws the shadow, or build that part first.";
      const from = pixelOnPlane(camera, pixels.from, planes.from);
      const to = pixelOnPlane(camera, pixels.to, planes.to);
      if (!from || !to) return "The shadow's edge must lie on the ground or a face, below the horizon. Put it lower.";
      const along = normalize(sub(side[1], side[0]));
      // Each as long as its point is far from the edge: what lies farther off tells the plane better.
      const a = cross(along, sub(from, side[0]));
      const b = cross(along, sub(to, side[0]));
      const least = 0.01 * distance(from, camera.position);
      if (Math.hypot(...a) < least && Math.hypot(...b) < least)
        return "The shadow begins at the edge itself there. Click its edge farther away.";
      if (dot(a, b) < 0) return "The two points lie on both sides of what throws the shadow. Click one shadow's edge.";
      return { normal: normalize(add(a, b)) };
    };
  },
  laid: (pixels, camera, set, sun) => {
    const side = edgeUnder(set, camera, pixels.edge);
    const run = side && longest(shadowOfEdge(set, side, sun));
    if (!run) return null;
    const middle = run[run.length >> 1];
    const at = projectPoint(camera, middle);
    if (!at) return null;
    const [a, b] = side;
    /** The point of the edge that throws its shadow nearest to a place. */
    const thrower = (place: Vec3): Vec3 => {
      const along = sub(b, a);
      // Both moved along the sun's rays: seen from the sun, the nearest of the edge's points.
      const flat = (v: Vec3) => sub(v, scale(sun, dot(v, sun)));
      const way = flat(along);
      const t = dot(flat(sub(place, a)), way) / Math.max(1e-12, dot(way, way));
      return add(a, scale(along, Math.min(1, Math.max(0, t))));
    };
    const throwing = { middle: thrower(middle), from: endOf(pixels.from), to: endOf(pixels.to) };
    function endOf(pixel: Vec2): Vec3 | null {
      const place = pixelOnPlane(camera, pixel, planeAt(set, camera, pixel));
      return place && thrower(place);
    }
    return {
      at,
      drawnTo: (pixel) => {
        const place = pixelOnPlane(camera, pixel, planeAt(set, camera, pixel));
        if (!place || !throwing.from || !throwing.to) return null;
        const then = normalize(sub(throwing.middle, place));
        if (then[2] < 0.02) return null;
        const plane = planeAt(set, camera, pixel);
        const [from, to] = [throwing.from, throwing.to].map((point) => {
          const fall = dot(plane.normal, then);
          const t = (dot(plane.normal, point) - plane.offset) / fall;
          return fall > 1e-6 && t > 0 ? projectPoint(camera, sub(point, scale(then, t))) : null;
        });
        return from && to ? { edge: pixels.edge, from, to } : null;
      },
    };
  },
};

const longest = (runs: readonly Vec3[][]): Vec3[] | null =>
  runs.length > 0 ? runs.reduce((a, b) => (b.length > a.length ? b : a)) : null;
