import * as v from "valibot";
import type { Vec2, Vec3 } from "../math/vec3.ts";
import { Finite, HashSchema, PictureSpotSchema, Positive, Text, whole } from "../schema/fields.ts";
import type { Mesh, Texture } from "./model.ts";

/** A box that wears photographs: what each of its six sides shows, and the flat picture of all of them. */

export const BOX_SIDES = ["front", "right", "back", "left", "top", "bottom"] as const;
export type BoxSide = (typeof BOX_SIDES)[number];

/** Corners in the photograph, in its pixels: of the side's upper left, upper right, lower right and lower left. */
const CornersSchema = v.tuple([PictureSpotSchema, PictureSpotSchema, PictureSpotSchema, PictureSpotSchema]);

const SideSchema = v.nullable(
  v.variant("from", [
    v.object({
      from: v.literal("photo"),
      picture: HashSchema,
      name: Text,
      width: Finite,
      height: Finite,
      corners: CornersSchema,
      /** Quarter turns clockwise after the perspective is put right. */
      turns: whole(0, 3),
      flipped: v.boolean(),
    }),
    v.object({ from: v.literal("side"), side: v.picklist(BOX_SIDES), turns: whole(0, 3), flipped: v.boolean() }),
  ]),
);
export type SkinSide = v.InferOutput<typeof SideSchema>;
export type PhotoSide = Extract<SkinSide, { from: "photo" }>;

export const SkinSchema = v.object({
  size: v.tuple([Positive, Positive, Positive]),
  sides: v.object({
    front: SideSchema,
    right: SideSchema,
    back: SideSchema,
    left: SideSchema,
    top: SideSchema,
    bottom: SideSchema,
  }),
  /** The flat picture was painted over elsewhere: it says more than the photographs do. */
  painted: v.optional(v.boolean()),
});
export type Skin = v.InferOutput<typeof SkinSchema>;

/** A skin made of another. */
export type SkinChange = (skin: Skin) => Skin;

export const bareSkin = (size: Vec3 = [0.6, 0.4, 0.4]): Skin => ({
  size,
  sides: { front: null, right: null, back: null, left: null, top: null, bottom: null },
});

/** Width and height of a side, metres: the front looks to −Y, the top is seen with the front below it. */
export function sideSize([x, y, z]: readonly number[], side: BoxSide): Vec2 {
  if (side === "front" || side === "back") return [x, z];
  return side === "left" || side === "right" ? [y, z] : [x, y];
}

/** Where a side lies in the flat picture, in its pixels. */
export interface Rect {
  x: number;
  y: number;
  width: number;
  height: number;
}

/** Room around every side, filled with its border's colours, so that smaller copies do not mix sides. */
const EDGE = 4;
/** Widest and highest that a flat picture may be, pixels. */
const MOST = 4096;

/** A flat layout: top above the front, bottom below it, the others beside it in the order in which one walks around. */
export function layoutOf(
  size: readonly number[],
  pixelsPerMetre: number,
): { width: number; height: number; rects: Record<BoxSide, Rect> } {
  const [x, y, z] = size;
  const wide = 2 * (x + y);
  const tall = z + 2 * y;
  const scale = Math.min(pixelsPerMetre, (MOST - 10 * EDGE) / Math.max(wide, tall));
  const px = (metres: number) => Math.max(8, Math.round(metres * scale));
  const [w, d, h] = [px(x), px(y), px(z)];
  const gap = 2 * EDGE;
  const row = gap + d + gap;
  const lefts = {
    front: gap,
    right: gap + w + gap,
    back: gap + w + gap + d + gap,
    left: gap + 2 * (w + gap) + d + gap,
  };
  const rects: Record<BoxSide, Rect> = {
    front: { x: lefts.front, y: row, width: w, height: h },
    right: { x: lefts.right, y: row, width: d, height: h },
    back: { x: lefts.back, y: row, width: w, height: h },
    left: { x: lefts.left, y: row, width: d, height: h },
    top: { x: lefts.front, y: gap, width: w, height: d },
    bottom: { x: lefts.front, y: row + h + gap, width: w, height: d },
  };
  return { width: lefts.left + d + gap, height: row + h + gap + d + gap, rects };
}

/** A projective map of the plane: rows of a 3 × 3 matrix. */
type Projective = readonly [number, number, number, number, number, number, number, number, number];

/**
 * The map from the unit square to a quadrilateral, corners in the order (0,0), (1,0), (1,1), (0,1) (Heckbert 1989,
 * Fundamentals of Texture Mapping and Image Warping, section 2.2.3).
 */
export function squareTo([a, b, c, d]: readonly (readonly [number, number])[]): Projective {
  const [dx1, dy1] = [b[0] - c[0], b[1] - c[1]];
  const [dx2, dy2] = [d[0] - c[0], d[1] - c[1]];
  const [sx, sy] = [a[0] - b[0] + c[0] - d[0], a[1] - b[1] + c[1] - d[1]];
  const below = dx1 * dy2 - dx2 * dy1 || 1e-12;
  const g = (sx * dy2 - dx2 * sy) / below;
  const h = (dx1 * sy - sx * dy1) / below;
  return [
    b[0] - a[0] + g * b[0],
    d[0] - a[0] + h * d[0],
    a[0],
    b[1] - a[1] + g * b[1],
    d[1] - a[1] + h * d[1],
    a[1],
    g,
    h,
    1,
  ];
}

export const mapped = (m: Projective, u: number, w: number): Vec2 => {
  const z = m[6] * u + m[7] * w + m[8];
  return [(m[0] * u + m[1] * w + m[2]) / z, (m[3] * u + m[4] * w + m[5]) / z];
};

/** Coordinates on a side as they were before it was flipped and turned by quarters. */
export function unturned(u: number, w: number, turns: number, flipped: boolean): Vec2 {
  let [s, t] = [flipped ? 1 - u : u, w];
  for (let i = 0; i < turns; i++) [s, t] = [t, 1 - s];
  return [s, t];
}

/** Samples across a pixel of the flat picture, each way: photographs are mostly finer than it. */
const SUB = 2;

function sampled(photo: Texture, x: number, y: number, into: Float64Array): void {
  const { width, height, texels } = photo;
  const px = Math.min(width - 1, Math.max(0, x - 0.5));
  const py = Math.min(height - 1, Math.max(0, y - 0.5));
  const x0 = Math.floor(px);
  const y0 = Math.floor(py);
  const right = x0 + 1 < width ? 4 : 0;
  const below = y0 + 1 < height ? width * 4 : 0;
  const fx = px - x0;
  const fy = py - y0;
  const at = (y0 * width + x0) * 4;
  for (let k = 0; k < 3; k++) {
    const a = at + k;
    const upper = texels[a] * (1 - fx) + texels[a + right] * fx;
    into[k] += upper * (1 - fy) + (texels[a + below] * (1 - fx) + texels[a + below + right] * fx) * fy;
  }
}

/** Pixels a metre at which the finest photograph loses nothing, within bounds. */
export function pixelsPerMetre(skin: Skin): number {
  const finest = BOX_SIDES.map((side) => {
    const of = skin.sides[side];
    if (of?.from !== "photo") return 0;
    const [a, b, c] = of.corners;
    const [w, h] = sideSize(skin.size, side);
    const [across, down] = of.turns % 2 === 0 ? [w, h] : [h, w];
    return Math.max(Math.hypot(b[0] - a[0], b[1] - a[1]) / across, Math.hypot(c[0] - b[0], c[1] - b[1]) / down);
  });
  return Math.min(4000, Math.max(120, ...finest));
}

const BARE = [150, 146, 140];

/** What a side shows in the end, and the turns on the way there; null for nothing, or where sides point at one another. */
export function resolvedSide(
  skin: Skin,
  side: BoxSide,
): { photo: PhotoSide; steps: { turns: number; flipped: boolean }[] } | null {
  const steps: { turns: number; flipped: boolean }[] = [];
  let at: BoxSide = side;
  for (let i = 0; i <= BOX_SIDES.length; i++) {
    const of = skin.sides[at];
    if (!of) return null;
    steps.push({ turns: of.turns, flipped: of.flipped });
    if (of.from === "photo") return { photo: of, steps };
    at = of.side;
  }
  return null;
}

/** The flat picture of all six sides. `photos` are by their hashes; sides whose photograph is not there are grey. */
export function flatPicture(skin: Skin, photos: ReadonlyMap<string, Texture>, pixelsPerMetre: number): Texture {
  const { width, height, rects } = layoutOf(skin.size, pixelsPerMetre);
  const texels = new Uint8Array(width * height * 4).fill(255);
  const sum = new Float64Array(3);
  for (const side of BOX_SIDES) {
    const rect = rects[side];
    const shows = resolvedSide(skin, side);
    const photo = shows && photos.get(shows.photo.picture);
    const map = shows && squareTo(shows.photo.corners);
    for (let y = -EDGE; y < rect.height + EDGE; y++)
      for (let x = -EDGE; x < rect.width + EDGE; x++) {
        sum.fill(0);
        if (photo && map) {
          for (let s = 0; s < SUB * SUB; s++) {
            const clamp = (value: number, most: number) => Math.min(most, Math.max(0, value));
            let u = clamp(x + ((s % SUB) + 0.5) / SUB, rect.width) / rect.width;
            let w = clamp(y + (Math.floor(s / SUB) + 0.5) / SUB, rect.height) / rect.height;
            for (const { turns, flipped } of shows.steps) [u, w] = unturned(u, w, turns, flipped);
            const [px, py] = mapped(map, u, w);
            sampled(photo, px, py, sum);
          }
        } else BARE.forEach((c, k) => (sum[k] = c * SUB * SUB));
        const to = ((rect.y + y) * width + rect.x + x) * 4;
        for (let k = 0; k < 3; k++) texels[to + k] = Math.round(sum[k] / (SUB * SUB));
      }
  }
  return { width, height, texels, wrap: ["clamp", "clamp"] };
}

/** The box with coordinates in the flat picture; lettering reads rightly on all six sides as they are looked at. */
export function skinMesh(size: readonly number[], pixelsPerMetre: number): Mesh {
  const { width, height, rects } = layoutOf(size, pixelsPerMetre);
  const [x, y, z] = [size[0] / 2, size[1] / 2, size[2]];
  // Corners of each side as it is looked at: upper left, upper right, lower right, lower left.
  const corners: Record<BoxSide, [Vec3, Vec3, Vec3, Vec3]> = {
    front: [
      [-x, -y, z],
      [x, -y, z],
      [x, -y, 0],
      [-x, -y, 0],
    ],
    right: [
      [x, -y, z],
      [x, y, z],
      [x, y, 0],
      [x, -y, 0],
    ],
    back: [
      [x, y, z],
      [-x, y, z],
      [-x, y, 0],
      [x, y, 0],
    ],
    left: [
      [-x, y, z],
      [-x, -y, z],
      [-x, -y, 0],
      [-x, y, 0],
    ],
    top: [
      [-x, y, z],
      [x, y, z],
      [x, -y, z],
      [-x, -y, z],
    ],
    bottom: [
      [-x, -y, 0],
      [x, -y, 0],
      [x, y, 0],
      [-x, y, 0],
    ],
  };
  const normals: Record<BoxSide, Vec3> = {
    front: [0, -1, 0],
    right: [1, 0, 0],
    back: [0, 1, 0],
    left: [-1, 0, 0],
    top: [0, 0, 1],
    bottom: [0, 0, -1],
  };
  const mesh = { positions: [] as number[], normals: [] as number[], uvs: [] as number[], indices: [] as number[] };
  for (const side of BOX_SIDES) {
    const first = mesh.positions.length / 3;
    const rect = rects[side];
    corners[side].forEach((p, i) => {
      mesh.positions.push(...p);
      mesh.normals.push(...normals[side]);
      const [u, w] = [i === 1 || i === 2 ? 1 : 0, i >= 2 ? 1 : 0];
      mesh.uvs.push((rect.x + u * rect.width) / width, (rect.y + w * rect.height) / height);
    });
    mesh.indices.push(first, first + 3, first + 2, first, first + 2, first + 1);
  }
  return {
    positions: new Float32Array(mesh.positions),
    normals: new Float32Array(mesh.normals),
    uvs: new Float32Array(mesh.uvs),
    indices: new Uint32Array(mesh.indices),
    material: 0,
  };
}

/** Proportions that the photographs of front, side and top show, at a width: those that are told by none stay. */
export function proportioned(skin: Skin, width = skin.size[0]): Vec3 {
  const ratio = (side: BoxSide): number | null => {
    const of = skin.sides[side];
    if (of?.from !== "photo") return null;
    const [a, b, c, d] = of.corners;
    const length = (p: readonly number[], q: readonly number[]) => Math.hypot(q[0] - p[0], q[1] - p[1]);
    const across = (length(a, b) + length(d, c)) / 2;
    const down = (length(a, d) + length(b, c)) / 2;
    return of.turns % 2 === 0 ? across / down : down / across;
  };
  const front = ratio("front") ?? ratio("back");
  const flank = ratio("right") ?? ratio("left");
  const above = ratio("top") ?? ratio("bottom");
  const height = front ? width / front : skin.size[2];
  // Depth from the top by the width, from the side by the height; the mean where both tell.
  const told = [above && width / above, flank && height * flank].filter((d): d is number => !!d);
  const depth = told.length > 0 ? told.reduce((s, d) => s + d, 0) / told.length : skin.size[1];
  return [width, depth, height];
}
