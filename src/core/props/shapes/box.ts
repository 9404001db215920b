import * as v from "valibot";
import type { Vec3 } from "../../math/vec3.ts";
import type { Mesh } from "../model.ts";
import type { ShapeKind } from "./kind.ts";
import { BevelSchema, SizeSchema, bevelField, sizeFields } from "./sized.ts";

export const BoxSchema = v.object({ kind: v.literal("box"), size: SizeSchema, bevel: BevelSchema });
export type BoxShape = v.InferOutput<typeof BoxSchema>;

/** Six sides: outwards, and the two directions along it. */
const SIDES: [Vec3, Vec3, Vec3][] = [
  [
    [1, 0, 0],
    [0, 1, 0],
    [0, 0, 1],
  ],
  [
    [-1, 0, 0],
    [0, -1, 0],
    [0, 0, 1],
  ],
  [
    [0, 1, 0],
    [-1, 0, 0],
    [0, 0, 1],
  ],
  [
    [0, -1, 0],
    [1, 0, 0],
    [0, 0, 1],
  ],
  [
    [0, 0, 1],
    [1, 0, 0],
    [0, 1, 0],
  ],
  [
    [0, 0, -1],
    [1, 0, 0],
    [0, -1, 0],
  ],
];

/** Steps of a rounded edge from a side to its middle. */
const STEPS = 4;

function boxMesh({ size, bevel }: BoxShape): Mesh {
  const round = Math.min(bevel, ...size.map((s) => s / 2));
  // Along a side: signs of its ends, and how far it has turned towards the next side there.
  const stops =
    round > 0
      ? [-1, 1].flatMap((end) =>
          Array.from({ length: STEPS + 1 }, (_, i): [number, number] => [
            end,
            Math.tan(((Math.PI / 4) * (end < 0 ? i - STEPS : i)) / STEPS),
          ]),
        )
      : ([
          [-1, 0],
          [1, 0],
        ] as [number, number][]);
  const positions: number[] = [];
  const normals: number[] = [];
  const uvs: number[] = [];
  const indices: number[] = [];
  const across = stops.length;
  for (const [n, u, w] of SIDES) {
    const first = positions.length / 3;
    for (const [b, tb] of stops) {
      for (const [a, ta] of stops) {
        const along = [0, 1, 2].map((k) => n[k] + a * Math.abs(u[k]) * Math.sign(u[k]) + b * w[k]);
        const bent = [0, 1, 2].map((k) => n[k] + ta * u[k] + tb * w[k]);
        const l = Math.hypot(...bent);
        for (let k = 0; k < 3; k++) {
          const at = (along[k] * (size[k] - 2 * round)) / 2 + (round * bent[k]) / l;
          positions.push(at + (k === 2 ? size[2] / 2 : 0));
          normals.push(round > 0 ? bent[k] / l : n[k]);
        }
        const metres = (d: Vec3, s: number, t: number) =>
          (Math.abs(d[0] * size[0] + d[1] * size[1] + d[2] * size[2]) * (s + 1)) / 2 + round * t * 0.5;
        uvs.push(metres(u, a, ta), metres(w, b, tb));
      }
    }
    for (let j = 0; j + 1 < across; j++)
      for (let i = 0; i + 1 < across; i++) {
        const at = first + j * across + i;
        indices.push(at, at + 1, at + across + 1, at, at + across + 1, at + across);
      }
  }
  return {
    positions: new Float32Array(positions),
    normals: new Float32Array(normals),
    uvs: new Float32Array(uvs),
    indices: new Uint32Array(indices),
    material: 0,
  };
}

export const box: ShapeKind<BoxShape> = {
  title: "box",
  icon: "pi-box",
  schema: BoxSchema,
  start: () => ({ kind: "box", size: [0.5, 0.5, 0.5], bevel: 0.005 }),
  mesh: boxMesh,
  fields: (shape) => [...sizeFields(shape), bevelField(shape)],
};
