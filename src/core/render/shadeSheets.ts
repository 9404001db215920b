import { emptyBox, placedBox, widen } from "../math/box.ts";
import type { Vec3 } from "../math/vec3.ts";
import { dot } from "../math/vec3.ts";
import type { Model } from "../props/model.ts";
import { COPY_FLOATS, meshBox } from "../props/model.ts";
import { modelOf, placementOf } from "../props/placed.ts";
import type { Prop } from "../props/schema.ts";
import { placementMatrix } from "../props/transform.ts";
import type { Face } from "../set/face.ts";
import { facePlane, planeAxes } from "../set/face.ts";
import { facesOf } from "../set/faces.ts";
import type { Part } from "../set/parts/index.ts";
import { kindOf } from "../set/parts/index.ts";
import { groundHeight } from "../set/pieces.ts";
import type { SetPart } from "../set/schema.ts";
import { flagsAt } from "../set/surface.ts";
import type { Sheet } from "../trace/ambient.ts";

/** Where the shade of the props lies, of the light from all around: rectangles on the faces that they come near. */

/** Faces that a prop shades, and how near they are: a share of its size, in metres at most. */
const FACES = { most: 8, share: 0.6, near: 1 };
/** How far a shade goes beyond its prop: a share of its size, in metres at most and at least. */
const BEYOND = { share: 0.7, most: 1.5, least: 0.05 };
/** A prop whose farthest corner is no farther before a face than this, metres, is behind it. */
const TOUCH = 1e-4;
/** Copies of a prop that its size is told from. */
const COPIES = 48;

/** A prop as it stands. */
export interface Stood {
  prop: Prop;
  model: Model;
  /** Of its model, and rows of the matrix that places it. */
  number: number;
  matrix: number[];
  low: Vec3;
  high: Vec3;
  /** What its shade depends on besides the set and its neighbours. */
  pose: string;
}

const numbers = new WeakMap<Model, number>();
let lastNumber = 0;
function numberOf(model: Model): number {
  let known = numbers.get(model);
  if (known === undefined) numbers.set(model, (known = ++lastNumber));
  return known;
}

/** No copies: the mesh itself. */
const WHERE_IT_IS = new Float32Array([1, 0, 0, 0, 0, 1, 0, 0, 0, 0, 1, 0]);

/** One placing within another, rows of 3 x 4 matrices. */
function followed(m: readonly number[], by: ArrayLike<number>): number[] {
  const out: number[] = [];
  for (let r = 0; r < 12; r += 4)
    for (let c = 0; c < 4; c++)
      out.push(m[r] * by[c] + m[r + 1] * by[4 + c] + m[r + 2] * by[8 + c] + (c === 3 ? m[r + 3] : 0));
  return out;
}

/** How a prop of the document stands; null for one that is hidden, none of the picture's, or without its model. */
export function stoodOf(prop: Prop, models: Map<string, Model>): Stood | null {
  const model = prop.hidden || prop.role !== "cg" ? null : modelOf(prop, models);
  if (!model) return null;
  const placement = placementOf(prop);
  const m = placementMatrix(placement);
  const box = emptyBox();
  for (const mesh of model.meshes) {
    const { copies = WHERE_IT_IS } = mesh;
    for (let c = 0; c < Math.min(copies.length, COPIES * COPY_FLOATS); c += COPY_FLOATS)
      widen(box, placedBox(meshBox(mesh), followed(m, copies.subarray(c, c + COPY_FLOATS))));
  }
  const { turnDeg, leanDeg, scale } = prop.placement;
  return { prop, model, number: numberOf(model), matrix: m, ...box, pose: [turnDeg, ...leanDeg, ...scale].join() };
}

/** A sheet with how far its prop is from it, metres. */
interface NearSheet extends Sheet {
  gap: number;
}

/** Where a prop's shade may lie on a plane that looks along `normal`; null where it is too far, or behind. */
function sheetOn({ low, high }: Stood, normal: Vec3, offset: number, bothSides: boolean): NearSheet | null {
  const middle = low.map((x, k) => (x + high[k]) / 2) as Vec3;
  const front = bothSides && dot(normal, middle) < offset ? -1 : 1;
  const n = normal.map((x) => front * x) as Vec3;
  const height = front * offset;
  const [u, v] = planeAxes(n);
  const size = Math.max(...high.map((x, k) => x - low[k]));
  const beyond = Math.min(BEYOND.most, Math.max(BEYOND.least, BEYOND.share * size));
  let [above, below] = [Infinity, -Infinity];
  const reach = [Infinity, -Infinity, Infinity, -Infinity];
  for (let c = 0; c < 8; c++) {
    const p = [0, 1, 2].map((k) => ((c >> k) & 1 ? high[k] : low[k])) as Vec3;
    const d = dot(n, p) - height;
    above = Math.min(above, d);
    below = Math.max(below, d);
    const [s, t] = [dot(u, p), dot(v, p)];
    reach[0] = Math.min(reach[0], s);
    reach[1] = Math.max(reach[1], s);
    reach[2] = Math.min(reach[2], t);
    reach[3] = Math.max(reach[3], t);
  }
  if (above > Math.min(FACES.near, FACES.share * size) || below < TOUCH) return null;
  const [s, t] = [reach[0] - beyond, reach[2] - beyond];
  const corner = [0, 1, 2].map((k) => s * u[k] + t * v[k] + height * n[k]) as Vec3;
  return {
    gap: Math.abs(above),
    corner,
    across: u,
    along: v,
    normal: n,
    size: [reach[1] + beyond - s, reach[3] + beyond - t],
  };
}

/** A level square under all of a sheet, for the ground that goes on beyond the set. */
function squareOf({ corner, across, along, size }: Sheet): Face {
  const at = (a: number, b: number) =>
    [0, 1, 2].map((k) => corner[k] + a * size[0] * across[k] + b * size[1] * along[k]) as Vec3;
  return { id: "ground", rings: [[at(0, 0), at(1, 0), at(1, 1), at(0, 1)]] };
}

/** Overlap of a sheet with a face, told from the corners of both along the sheet's sides. */
function meets({ corner, across, along, size }: Sheet, face: Face): boolean {
  return ([across, along] as const).every((axis, k) => {
    const places = face.rings[0].map((p) => dot(axis, p) - dot(axis, corner));
    return Math.max(...places) > 0 && Math.min(...places) < size[k];
  });
}

/** True of parts that nobody sees from within. */
const looksOut = (part: Part): boolean => kindOf(part).frontOnly === true || ("closed" in part && part.closed);

/** What of the set a prop shades, the nearest first; the ground beyond the set where it is near nothing else. */
export function shadedBy(shot: SetPart, stood: Stood): { face: Face; sheet: Sheet }[] {
  const found: { face: Face; sheet: NearSheet }[] = [];
  for (const part of Object.values(shot.set)) {
    if (part.muted) continue;
    for (const face of facesOf(shot.set, part.id)) {
      if (!flagsAt(part, face.id).catches) continue;
      const { normal, offset } = facePlane(face);
      const sheet = sheetOn(stood, normal, offset, !looksOut(part));
      if (sheet && meets(sheet, face)) found.push({ face, sheet });
    }
  }
  if (found.length === 0) {
    const sheet = sheetOn(stood, [0, 0, 1], groundHeight(shot), false);
    if (sheet) found.push({ face: squareOf(sheet), sheet });
  }
  return found.sort((a, b) => a.sheet.gap - b.sheet.gap).slice(0, FACES.most);
}
