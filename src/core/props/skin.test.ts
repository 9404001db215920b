import { describe, expect, test } from "@jest/globals";
import type { Vec2 } from "../math/vec3.ts";
import type { Texture } from "./model.ts";
import type { BoxSide, PhotoSide, Skin } from "./skin.ts";
import {
  BOX_SIDES,
  bareSkin,
  flatPicture,
  layoutOf,
  mapped,
  proportioned,
  sideSize,
  skinMesh,
  squareTo,
} from "./skin.ts";

const HASH = "a".repeat(64);
const whole = (photo: Texture): PhotoSide => ({
  from: "photo",
  picture: HASH,
  name: "photo",
  width: photo.width,
  height: photo.height,
  corners: [
    [0, 0],
    [photo.width, 0],
    [photo.width, photo.height],
    [0, photo.height],
  ],
  turns: 0,
  flipped: false,
});

/** A photograph whose colours tell the place: red across, green down. */
function ramp(width: number, height: number): Texture {
  const texels = new Uint8Array(width * height * 4).fill(255);
  for (let y = 0; y < height; y++)
    for (let x = 0; x < width; x++)
      texels.set([(255 * x) / (width - 1), (255 * y) / (height - 1), 0], (y * width + x) * 4);
  return { width, height, texels };
}

const at = ({ width, texels }: Texture, x: number, y: number) => [
  ...texels.subarray((y * width + x) * 4, (y * width + x) * 4 + 3),
];

describe("photo-skinned box", () => {
  test("the map of a quadrilateral keeps its corners, and sends the crossing of diagonals to their crossing", () => {
    const quad: Vec2[] = [
      [10, 20],
      [90, 5],
      [110, 80],
      [0, 60],
    ];
    const m = squareTo(quad);
    [
      [0, 0],
      [1, 0],
      [1, 1],
      [0, 1],
    ].forEach(([u, v], i) => mapped(m, u, v).forEach((x, k) => expect(x).toBeCloseTo(quad[i][k], 9)));
    // The diagonals' crossing, by intersecting them.
    const [a, b, c, d] = quad;
    const r = [c[0] - a[0], c[1] - a[1]];
    const s = [d[0] - b[0], d[1] - b[1]];
    const t = ((b[0] - a[0]) * s[1] - (b[1] - a[1]) * s[0]) / (r[0] * s[1] - r[1] * s[0]);
    mapped(m, 0.5, 0.5).forEach((x, k) => expect(x).toBeCloseTo(a[k] + t * r[k], 9));
  });

  test("sides lie apart in the flat picture, each in its own proportions", () => {
    const size = [0.6, 0.45, 0.4];
    const { width, height, rects } = layoutOf(size, 500);
    for (const side of BOX_SIDES) {
      const { x, y, width: w, height: h } = rects[side];
      const [sw, sh] = sideSize(size, side);
      expect(w / h).toBeCloseTo(sw / sh, 1);
      expect(x >= 4 && y >= 4 && x + w <= width - 4 && y + h <= height - 4).toBe(true);
      for (const other of BOX_SIDES) {
        if (other === side) continue;
        const o = rects[other];
        expect(x + w + 8 <= o.x || o.x + o.width + 8 <= x || y + h + 8 <= o.y || o.y + o.height + 8 <= y).toBe(true);
      }
    }
  });

  test("a photograph's left is at the left of every side as one looks at it, and its top is up", () => {
    const photo = ramp(60, 40);
    const skin: Skin = bareSkin([0.6, 0.6, 0.4]);
    for (const side of BOX_SIDES) skin.sides[side] = whole(photo);
    const picture = flatPicture(skin, new Map([[HASH, photo]]), 200);
    const mesh = skinMesh(skin.size, 200);
    // Of each side: the colour at its upper left and lower right, and where these are in the world.
    const outward: Record<BoxSide, [number[], number[]]> = {
      front: [
        [1, 0, 0],
        [0, 0, 1],
      ],
      right: [
        [0, 1, 0],
        [0, 0, 1],
      ],
      back: [
        [-1, 0, 0],
        [0, 0, 1],
      ],
      left: [
        [0, -1, 0],
        [0, 0, 1],
      ],
      top: [
        [1, 0, 0],
        [0, 1, 0],
      ],
      bottom: [
        [1, 0, 0],
        [0, -1, 0],
      ],
    };
    BOX_SIDES.forEach((side, s) => {
      const corner = (i: number) => ({
        p: [...mesh.positions.subarray((s * 4 + i) * 3, (s * 4 + i) * 3 + 3)],
        uv: [...mesh.uvs!.subarray((s * 4 + i) * 2, (s * 4 + i) * 2 + 2)],
      });
      const [right, up] = outward[side];
      for (const i of [0, 1, 2, 3]) {
        const { p, uv } = corner(i);
        const middle = [0, 1, 2].map((k) => [0, 1, 2, 3].reduce((sum, j) => sum + corner(j).p[k] / 4, 0));
        const along = right.reduce((sum, r, k) => sum + r * (p[k] - middle[k]), 0);
        const above = up.reduce((sum, r, k) => sum + r * (p[k] - middle[k]), 0);
        const x = Math.min(
          picture.width - 1,
          Math.max(0, Math.round(uv[0] * picture.width - (along > 0 ? 1.5 : -0.5))),
        );
        const y = Math.min(
          picture.height - 1,
          Math.max(0, Math.round(uv[1] * picture.height - (above < 0 ? 1.5 : -0.5))),
        );
        const [red, green] = at(picture, x, y);
        expect(red > 128).toBe(along > 0);
        expect(green > 128).toBe(above < 0);
      }
    });
  });

  test("turned by quarters and flipped; another side's picture with turns of its own; rings of sides stay grey", () => {
    const photo = ramp(50, 50);
    const skin = bareSkin([0.5, 0.5, 0.5]);
    skin.sides.front = { ...whole(photo), turns: 1 };
    skin.sides.back = { from: "side", side: "front", turns: 0, flipped: true };
    skin.sides.left = { from: "side", side: "right", turns: 0, flipped: false };
    skin.sides.right = { from: "side", side: "left", turns: 0, flipped: false };
    const picture = flatPicture(skin, new Map([[HASH, photo]]), 100);
    const { rects } = layoutOf(skin.size, 100);
    const cornerOf = (side: BoxSide, u: 0 | 1, v: 0 | 1) => {
      const { x, y, width, height } = rects[side];
      return at(picture, x + (u ? width - 1 : 0), y + (v ? height - 1 : 0))
        .slice(0, 2)
        .map((c) => (c > 128 ? 1 : 0));
    };
    // A quarter clockwise: the photograph's lower left comes to the upper left.
    expect(cornerOf("front", 0, 0)).toEqual([0, 1]);
    expect(cornerOf("front", 1, 0)).toEqual([0, 0]);
    expect(cornerOf("back", 1, 0)).toEqual([0, 1]);
    expect(at(picture, rects.left.x + 5, rects.left.y + 5)).toEqual([150, 146, 140]);
  });

  test("a parcel's proportions from photographs of front, side and top", () => {
    const photo = (w: number, h: number): PhotoSide => whole({ width: w, height: h, texels: new Uint8Array(0) });
    const skin = bareSkin([0.6, 1, 1]);
    skin.sides.front = photo(600, 400);
    skin.sides.right = photo(450, 400);
    skin.sides.top = { ...photo(450, 600), turns: 1 };
    const [w, d, h] = proportioned(skin);
    expect(w).toBe(0.6);
    expect(h).toBeCloseTo(0.4, 9);
    expect(d).toBeCloseTo(0.45, 9);
  });
});
