import type { Vec3 } from "../math/vec3.ts";
import type { Mesh, Model } from "./model.ts";
import { plainMaterial } from "./model.ts";

/** Primitives of one metre that stand on z = 0, centred on the vertical. */

export type PrimitiveKind = "box" | "sphere" | "cylinder";

export function primitiveModel(kind: PrimitiveKind, colour: Vec3, roughness: number, metallic: number): Model {
  const mesh = kind === "box" ? box() : kind === "sphere" ? revolve(ball()) : revolve(drum());
  return {
    meshes: [mesh],
    materials: [plainMaterial({ name: kind, baseColor: [...colour, 1], roughness, metallic })],
    textures: [],
  };
}

function box(): Mesh {
  const positions: number[] = [];
  const normals: number[] = [];
  const indices: number[] = [];
  const faces: [Vec3, Vec3, Vec3][] = [
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
  for (const [n, u, w] of faces) {
    const at = positions.length / 3;
    for (const [a, b] of [
      [-1, -1],
      [1, -1],
      [1, 1],
      [-1, 1],
    ]) {
      for (let k = 0; k < 3; k++) positions.push((n[k] + a * u[k] + b * w[k]) / 2 + (k === 2 ? 0.5 : 0));
      normals.push(...n);
    }
    indices.push(at, at + 1, at + 2, at, at + 2, at + 3);
  }
  return {
    positions: new Float32Array(positions),
    normals: new Float32Array(normals),
    uvs: null,
    indices: new Uint32Array(indices),
    material: 0,
  };
}

/** Profile rows: radius, height, and the normal's radial and vertical parts. */
type Profile = [number, number, number, number][];

const ball = (): Profile =>
  Array.from({ length: 49 }, (_, i) => {
    const angle = (i / 48) * Math.PI - Math.PI / 2;
    return [0.5 * Math.cos(angle), 0.5 + 0.5 * Math.sin(angle), Math.cos(angle), Math.sin(angle)];
  });

const drum = (): Profile => [
  [0, 0, 0, -1],
  [0.5, 0, 0, -1],
  [0.5, 0, 1, 0],
  [0.5, 1, 1, 0],
  [0.5, 1, 0, 1],
  [0, 1, 0, 1],
];

function revolve(profile: Profile): Mesh {
  const segments = 96;
  const positions: number[] = [];
  const normals: number[] = [];
  const indices: number[] = [];
  for (const [r, z, nr, nz] of profile) {
    for (let s = 0; s <= segments; s++) {
      const angle = (s / segments) * 2 * Math.PI;
      positions.push(r * Math.cos(angle), r * Math.sin(angle), z);
      normals.push(nr * Math.cos(angle), nr * Math.sin(angle), nz);
    }
  }
  for (let row = 0; row + 1 < profile.length; row++) {
    for (let s = 0; s < segments; s++) {
      const i = row * (segments + 1) + s;
      const j = i + segments + 1;
      indices.push(i, i + 1, j + 1, i, j + 1, j);
    }
  }
  return {
    positions: new Float32Array(positions),
    normals: new Float32Array(normals),
    uvs: null,
    indices: new Uint32Array(indices),
    material: 0,
  };
}
