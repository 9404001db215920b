import { costOf } from "./adjust.ts";
import { axisDirection, readLength } from "./evidence.ts";
import { poseCamera, poseFromSpace, posesFromPlane } from "./pose.ts";
import type { Problem } from "./problem.ts";
import { AXIS_NAMES, gatherEvidence } from "./problem.ts";
import type { RequestEdge } from "./request.ts";
import type { StartRotation } from "./start.ts";
import { familyDirection, lensFromDirections, originFromAxes, placeFromTies, rotationFromDirections } from "./start.ts";
import type { State, Unknowns } from "./unknowns.ts";
import { placeAtHeight } from "./unknowns.ts";
import type { Mat3, Vec2, Vec3 } from "../math/vec3.ts";
import { applyTransposed, cross, normalize, rotationAngleBetween, scale } from "../math/vec3.ts";
import type { Camera, Lens } from "../optics/camera.ts";
import { projectPoint, rotationFromAngles } from "../optics/camera.ts";

/** Cameras to start the adjustment from. */

export const pixelOfFocal = (p: Problem): number[] => {
  const size = Math.max(p.frame.width, p.frame.height);
  return [0.55, 0.8, 1.15, 1.7, 2.6, 4.5].map((s) => s * size);
};

/** Focal lengths that make two families' vanishing points orthogonal, in closed form. */
export function orthogonalFocals(p: Problem): number[] {
  const lens: Lens = { ...p.lens, focalPx: Math.max(p.frame.width, p.frame.height) };
  const axes = AXIS_NAMES.map((a) => familyDirection(lens, p.byAxis.get(a) ?? [])).filter((d) => d !== null);
  const found: number[] = [];
  for (let i = 0; i < axes.length; i++) {
    for (let j = i + 1; j < axes.length; j++) {
      const [a, b] = [axes[i].vector, axes[j].vector];
      if (Math.abs(a[2]) < 1e-6 || Math.abs(b[2]) < 1e-6) continue;
      const f2 = -(a[0] * b[0] + a[1] * b[1]) / (a[2] * b[2]);
      if (f2 > 0.01 && f2 < 400) found.push(Math.sqrt(f2) * lens.focalPx);
    }
  }
  return found;
}

/** Focal length and principal point of three orthogonal families, in closed form. */
export function shiftedLens(p: Problem): Lens | null {
  const lens: Lens = { ...p.lens, focalPx: Math.max(p.frame.width, p.frame.height) };
  const [x, y, z] = AXIS_NAMES.map((a) => familyDirection(lens, p.byAxis.get(a) ?? []));
  return x && y && z ? lensFromDirections(lens, [x.vector, y.vector, z.vector]) : null;
}

export interface Start extends StartRotation {
  state: State;
  cost: number;
}

/** Starting states from edges, for one focal length. */
export function startFromEdges(p: Problem, u: Unknowns, focalPx: number): Start | null {
  const lens: Lens = { ...p.lens, focalPx };
  const direction = (axis: string) => familyDirection(lens, p.byAxis.get(axis) ?? []);
  const levels = [...p.byAxis.keys()].filter((a) => a.startsWith("level:")).map(direction);
  const horizon = horizonUp(p, lens);
  const [x, y, z] = AXIS_NAMES.map(direction);
  const flat = [x, y, ...levels].filter((d) => d !== null);
  let levelUp = horizon;
  if (!z && !levelUp && flat.length >= 2 && !(x && y)) levelUp = normalize(cross(flat[0].vector, flat[1].vector));
  if (levelUp && levelUp[1] > 0) levelUp = scale(levelUp, -1);
  const found = rotationFromDirections(x, y, z, levelUp);
  if (!found) return null;
  const families = new Map<string, Vec3>();
  for (const name of [...u.levels, ...u.frees]) {
    const own = direction(name);
    const across = own ? null : direction(`${name}+90`);
    const d = own ?? across;
    let w: Vec3 = d ? applyTransposed(found.rotation, d.vector) : [1, 0, 0];
    if (across) w = [w[1], -w[0], w[2]];
    if (name.startsWith("level:")) w = normalize([w[0], w[1], 0]);
    families.set(name, Math.hypot(...w) > 0.5 ? w : [1, 0, 0]);
  }
  const position = startPlace(p, u, lens, found.rotation);
  if (!position) return null;
  const state: State = { camera: { ...lens, rotation: found.rotation, position }, families };
  return { ...found, state, cost: costOf(gatherEvidence(p, u, state, found.assumed), state) };
}

/** The horizon's upward normal from two or more horizon points, camera frame. */
function horizonUp(p: Problem, lens: Lens): Vec3 | null {
  const points = p.request.horizon ?? [];
  if (points.length < 2) return null;
  const edge: RequestEdge = { id: "", axis: "x", points: points.map((h) => h.pixel) };
  const [a, b] = [edge.points[0], edge.points[edge.points.length - 1]] as Vec2[];
  const rayOf = (q: Vec2): Vec3 => [
    (q[0] - lens.principal[0]) / lens.focalPx,
    (q[1] - lens.principal[1]) / lens.focalPx,
    1,
  ];
  const n = normalize(cross(rayOf(a), rayOf(b)));
  return n[1] > 0 ? scale(n, -1) : n;
}

function startPlace(p: Problem, u: Unknowns, lens: Lens, rotation: Mat3): Vec3 | null {
  const camera: Camera = { ...lens, rotation, position: [0, 0, 1] };
  let place: Vec3 | null;
  if (u.mode === "free" && p.ties.length >= 2) place = placeFromTies(lens, rotation, p.ties);
  else if (u.mode === "free" && p.ties.length === 1) {
    const at = placeAtHeight(camera, 1, p.ties[0].pixel);
    place = [at[0] + p.ties[0].world[0], at[1] + p.ties[0].world[1], 1 + p.ties[0].world[2]];
  } else if (u.mode === "free") {
    const onAxis = p.edges.filter((e) => e.onAxis && AXIS_NAMES.includes(e.axis));
    const o = originFromAxes(lens, rotation, onAxis, (axis) => axisDirection({ families: new Map() }, axis));
    if (!o) return null;
    const world = applyTransposed(rotation, o);
    if (world[2] >= -1e-6) return null;
    place = [world[0] / world[2], world[1] / world[2], 1];
  } else place = placeAtHeight(camera, 1, u.origin);
  if (!place || p.ties.length >= 2) return place;
  // One metre high until a length or the height says more.
  let size = p.request.cameraHeight?.metres ?? 1;
  const sized = { ...camera, position: place };
  for (const length of p.request.lengths ?? []) {
    const read = readLength(sized, length.on ? length : { ...length, fromWorld: null });
    if (read !== null && Math.abs(read) > 1e-9) {
      size = length.metres / Math.abs(read);
      break;
    }
  }
  return scale(place, size);
}

/**
 * Starting states for tie points alone: the closed-form poses, and where those leave doubt (four or five points in
 * space, or points in a plane with noise) rotations tried one by one, the camera held in any of its four ways.
 */
export function startsFromTies(p: Problem, focals: number[], focalKnown: boolean): Start[] {
  const starts: Start[] = [];
  const size = Math.max(p.frame.width, p.frame.height);
  const consider = (camera: Camera, bonus = 1) => {
    let cost = 0;
    for (const t of p.ties) {
      const q = projectPoint(camera, t.world);
      cost += q ? Math.min(1e8, (q[0] - t.pixel[0]) ** 2 + (q[1] - t.pixel[1]) ** 2) : 1e8;
    }
    const state: State = { camera, families: new Map() };
    starts.push({ rotation: camera.rotation, assumed: null, state, cost: cost * bonus });
  };
  const space = poseFromSpace(p.lens, size, p.ties);
  if (space) {
    consider(poseCamera(p.lens, focalKnown ? { ...space, focalPx: focals[0] } : space));
    const place = placeFromTies({ ...p.lens, focalPx: focals[0] }, space.rotation, p.ties);
    if (focalKnown && place) consider({ ...p.lens, focalPx: focals[0], rotation: space.rotation, position: place });
  }
  for (const focalPx of focalKnown ? focals : [null, ...focals]) {
    for (const pose of posesFromPlane(p.lens, size, p.ties, focalPx)) consider(poseCamera(p.lens, pose));
  }
  if (space && starts[0].cost < 400 * p.ties.length) return starts.sort((a, b) => a.cost - b.cost);
  for (const focalPx of focals) {
    const lens: Lens = { ...p.lens, focalPx };
    for (let heading = 0; heading < 24; heading++) {
      for (const tilt of [-1.2, -0.7, -0.35, 0, 0.35, 0.8]) {
        for (const roll of [0, Math.PI / 2, Math.PI, -Math.PI / 2]) {
          const rotation = rotationFromAngles({ heading: (heading * Math.PI) / 12, tilt, roll });
          const position = placeFromTies(lens, rotation, p.ties);
          if (position) consider({ ...lens, rotation, position });
        }
      }
    }
  }
  return starts.sort((a, b) => a.cost - b.cost).slice(0, 10);
}

export function distinctStarts(starts: Start[], most: number): Start[] {
  const kept: Start[] = [];
  for (const s of starts) {
    const near = kept.some(
      (k) =>
        Math.abs(Math.log(k.state.camera.focalPx / s.state.camera.focalPx)) < 0.05 &&
        rotationAngleBetween(k.rotation, s.rotation) < 0.05 &&
        Math.hypot(
          k.state.camera.principal[0] - s.state.camera.principal[0],
          k.state.camera.principal[1] - s.state.camera.principal[1],
        ) <
          0.05 * s.state.camera.focalPx,
    );
    if (!near) kept.push(s);
    if (kept.length === most) break;
  }
  return kept;
}
