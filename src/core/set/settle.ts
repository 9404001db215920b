import { backSolve, factor } from "../math/linear.ts";
import type { Vec2, Vec3 } from "../math/vec3.ts";
import { distance, dot, length, mix, normalize, sub } from "../math/vec3.ts";
import type { Camera } from "../optics/camera.ts";
import { pixelOnPlane, projectPoint } from "../optics/camera.ts";
import type { Face } from "./face.ts";
import { facesOf } from "./faces.ts";
import { clonedPart, metresPerPixel, pulledFields } from "./noise.ts";
import type { Part, SetRecord } from "./parts/index.ts";
import { kindOf } from "./parts/index.ts";
import { pickAlong } from "./pick.ts";
import type { LinearPicture } from "./plateEdge.ts";
import { nearestEdge } from "./plateEdge.ts";
import { isSeen } from "./surface.ts";

/**
 * Laying a part onto the edges that the plate itself shows: its clicked corners and pulled lengths move a little, so that
 * the sides that are seen lie on the nearest edges of the plate. Least squares over the edges, the clicks and the right
 * angles that the part has.
 */

/** Standard deviation of an edge that was found on the plate, pixels: a fifth is seen in the test of `nearestEdge`, through grain. */
const EDGE_SIGMA = 0.3;
/** Standard deviation of a click that may have been made from afar, pixels (common practice, no published source). */
const CLICK_SIGMA = 2;
/** Right angles stay right: standard deviation of their cosine, and how near to right they are to count. */
const RIGHT_SIGMA = 1e-3;
const NEARLY_RIGHT = 0.02;
/** Pixels within which edges are looked for, from round to round. */
const REACHES = [6, 4, 3, 2];
/** Pieces that a side is looked at in, and the least pixels of one. */
const PIECES = 3;
const LEAST_PIECE = 14;
/** Residuals beyond so many standard deviations count less (Huber). */
const HUBER = 2;
/** Below this share of a side's distance a face before it hides it. */
const SAME = 2e-3;

/** From so many numbers on it would take the page too long. */
const MOST_KNOBS = 120;

/** A number of a part that may change a little, in pixels. */
interface Knob {
  put: (part: Part, pixels: number[], at: number) => void;
  sigma: number;
}

/** A piece of a side, by where it is in the part's faces. */
interface Piece {
  face: number;
  corner: number;
  /** Share of the side at its middle, and half its width. */
  at: number;
  half: number;
}

export interface Settled {
  part: Part;
  /** Sides of which at least a piece was found on the plate. */
  edges: number;
  /** Farthest that a clicked corner moved, pixels. */
  moved: number;
}

/** What of a part was clicked: both coordinates of every corner, and the lengths that were pulled. */
function knobsOf(set: SetRecord, part: Part, camera: Camera): Knob[] {
  const kind = kindOf(part);
  const placed = kind.vertices(part, set);
  const knobs: Knob[] = [];
  placed.forEach(({ vertex, normal }, i) => {
    if (!vertex.pixel) return;
    const from = [...vertex.pixel] as Vec2;
    const plane = { normal, offset: dot(normal, vertex.world as Vec3) };
    // Both coordinates are put by the second one.
    knobs.push({ put: () => undefined, sigma: CLICK_SIGMA });
    knobs.push({
      put: (to, pixels, at) => {
        const pixel: Vec2 = [from[0] + pixels[at - 1], from[1] + pixels[at]];
        const world = pixelOnPlane(camera, pixel, plane);
        const own = kind.vertices(to, { ...set, [to.id]: to })[i].vertex;
        if (world) Object.assign(own, { pixel, world });
      },
      sigma: CLICK_SIGMA,
    });
  });
  const foot = facesOf(set, part.id)[0]?.rings[0][0];
  if (knobs.length === 0 || !foot) return [];
  const metres = metresPerPixel(camera, foot);
  for (const field of pulledFields(set, part))
    knobs.push({
      put: (to, pixels, at) => field.put(to, Math.max(field.least, field.value + pixels[at] * metres)),
      sigma: Math.SQRT2 * CLICK_SIGMA,
    });
  return knobs;
}

/** Every side once, in pieces that are seen and long enough. */
function piecesOf(set: SetRecord, part: Part, camera: Camera, picture: LinearPicture): Piece[] {
  const faces = facesOf(set, part.id);
  const taken = new Set<string>();
  const key = (p: Vec3) => p.map((x) => Math.round(x * 1e5)).join();
  const pieces: Piece[] = [];
  faces.forEach((f, face) =>
    f.rings[0].forEach((a, corner, ring) => {
      const b = ring[(corner + 1) % ring.length];
      const name = [key(a), key(b)].sort().join(" ");
      if (taken.has(name)) return;
      taken.add(name);
      for (let k = 0; k < PIECES; k++) {
        const piece = { face, corner, at: (k + 0.5) / PIECES, half: 0.45 / PIECES };
        const [p, m, q] = ends(faces, piece).map((at) => projectPoint(camera, at));
        if (!p || !m || !q || Math.hypot(q[0] - p[0], q[1] - p[1]) < LEAST_PIECE) continue;
        const inside = [p, q].every(([u, v]) => u > 3 && v > 3 && u < picture.width - 3 && v < picture.height - 3);
        if (inside && isOpen(set, part, camera, ends(faces, piece)[1])) pieces.push(piece);
      }
    }),
  );
  return pieces;
}

/** First end, middle and second end of a piece. */
function ends(faces: readonly Face[], { face, corner, at, half }: Piece): [Vec3, Vec3, Vec3] {
  const ring = faces[face].rings[0];
  const [a, b] = [ring[corner], ring[(corner + 1) % ring.length]];
  return [mix(a, b, at - half), mix(a, b, at), mix(a, b, at + half)];
}

/** Whether no face stands before a point. */
function isOpen(set: SetRecord, part: Part, camera: Camera, point: Vec3): boolean {
  const far = distance(camera.position, point);
  const way = normalize(sub(point, camera.position));
  const met = pickAlong(set, camera.position, way, (other, face) => isSeen(other, face) || other.id === part.id);
  return !met || met.distance > far * (1 - SAME);
}

/** Corners that are nearly right angles, by face and number. */
function rightAngles(faces: readonly Face[]): [number, number][] {
  return faces.flatMap(({ rings: [ring] }, face) =>
    ring.flatMap((_, i): [number, number][] => (Math.abs(cosineAt(ring, i)) < NEARLY_RIGHT ? [[face, i]] : [])),
  );
}

function cosineAt(ring: readonly Vec3[], i: number): number {
  const n = ring.length;
  const [p, q] = [sub(ring[(i + n - 1) % n], ring[i]), sub(ring[(i + 1) % n], ring[i])];
  return dot(p, q) / (length(p) * length(q) || 1);
}

/** The part laid onto the plate's edges; a sentence where that cannot be. The set is not changed. */
export function settle(set: SetRecord, id: string, camera: Camera, picture: LinearPicture): Settled | string {
  const start = set[id];
  const knobs = knobsOf(set, start, camera);
  const n = knobs.length;
  if (n > MOST_KNOBS)
    return `${start.name} has too many clicked corners to be laid onto edges at once. Split off the part of it that you mean.`;
  if (n === 0) return `No corner of ${start.name} was clicked on the plate; typed corners stay where they are.`;
  const build = (x: readonly number[]): { part: Part; faces: Face[] } => {
    const part = clonedPart(start);
    knobs.forEach(({ put }, k) => put(part, [...x], k));
    return { part, faces: facesOf({ ...set, [id]: part }, id) };
  };
  let x = knobs.map(() => 0);
  const found = new Set<string>();
  for (const reach of REACHES) {
    const now = build(x);
    const own = { ...set, [id]: now.part };
    const targets = piecesOf(own, now.part, camera, picture).flatMap((piece) => {
      const target = targetOf(now.faces, piece, camera, picture, reach);
      return target ? [{ piece, ...target }] : [];
    });
    for (const { piece } of targets) found.add(`${piece.face} ${piece.corner}`);
    if (targets.length === 0) continue;
    const angles = rightAngles(now.faces);
    const residuals = (faces: readonly Face[], at: readonly number[]): number[] => [
      ...targets.map(({ piece, normal, level }) => {
        const pixel = projectPoint(camera, ends(faces, piece)[1]);
        return pixel ? (pixel[0] * normal[0] + pixel[1] * normal[1] - level) / EDGE_SIGMA : 0;
      }),
      ...angles.map(([face, i]) => cosineAt(faces[face].rings[0], i) / RIGHT_SIGMA),
      ...at.map((value, k) => value / knobs[k].sigma),
    ];
    x = step(x, build, residuals, targets.length);
  }
  if (found.size < 2)
    return `The plate shows no clear edges beside ${start.name}. Place its corners by hand, with the loupe.`;
  const { part } = build(x);
  const clicked = knobs.length > 1 ? x.filter((_, k) => knobs[k].sigma === CLICK_SIGMA) : x;
  return { part, edges: found.size, moved: Math.max(...clicked.map(Math.abs)) };
}

/** The line in the picture on which a piece should lie; null where the plate shows no edge near it. */
function targetOf(
  faces: readonly Face[],
  piece: Piece,
  camera: Camera,
  picture: LinearPicture,
  reach: number,
): { normal: Vec2; level: number } | null {
  const [p, m, q] = ends(faces, piece).map((at) => projectPoint(camera, at)!);
  const far = Math.hypot(q[0] - p[0], q[1] - p[1]);
  const normal: Vec2 = [-(q[1] - p[1]) / far, (q[0] - p[0]) / far];
  const lineAt = (shift: number): Vec2[] => [p, m, q].map(([u, v]) => [u + shift * normal[0], v + shift * normal[1]]);
  const shift = nearestEdge(picture, lineAt, reach);
  return shift === null ? null : { normal, level: m[0] * normal[0] + m[1] * normal[1] + shift };
}

/** One step of Gauss and Newton; the first residuals count less where they are far off. */
function step(
  x: number[],
  build: (x: readonly number[]) => { faces: Face[] },
  residuals: (faces: readonly Face[], x: readonly number[]) => number[],
  robust: number,
): number[] {
  const n = x.length;
  const small = 0.02;
  const r = residuals(build(x).faces, x);
  const slopes = x.map((_, k) => {
    const there = x.map((value, i) => (i === k ? value + small : value));
    return residuals(build(there).faces, there).map((value, i) => (value - r[i]) / small);
  });
  const weight = r.map((value, i) => (i < robust && Math.abs(value) > HUBER ? HUBER / Math.abs(value) : 1));
  const normal = new Float64Array(n * n);
  const right = new Float64Array(n);
  for (let i = 0; i < n; i++) {
    for (let j = 0; j <= i; j++) {
      let sum = 0;
      for (let k = 0; k < r.length; k++) sum += weight[k] * slopes[i][k] * slopes[j][k];
      normal[i * n + j] = normal[j * n + i] = sum;
    }
    for (let k = 0; k < r.length; k++) right[i] -= weight[k] * slopes[i][k] * r[k];
  }
  if (!factor(normal, n)) return x;
  backSolve(normal, n, right);
  return x.map((value, k) => value + right[k]);
}
