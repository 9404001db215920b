import type { Mesh } from "../model.ts";

/** Rows of a profile: radius, height, and the normal's radial and vertical parts; from the lowest up along its outside. */
export type Profile = [number, number, number, number][];

const SEGMENTS = 96;

/** A profile turned about the vertical. Texture coordinates are metres around the widest row and along the profile. */
export function revolve(profile: Profile): Mesh {
  const rows = profile.length;
  const positions = new Float32Array(rows * (SEGMENTS + 1) * 3);
  const normals = new Float32Array(positions.length);
  const uvs = new Float32Array(rows * (SEGMENTS + 1) * 2);
  const widest = Math.max(...profile.map(([r]) => r));
  let along = 0;
  profile.forEach(([r, z, nr, nz], row) => {
    if (row > 0) along += Math.hypot(r - profile[row - 1][0], z - profile[row - 1][1]);
    for (let s = 0; s <= SEGMENTS; s++) {
      const angle = (s / SEGMENTS) * 2 * Math.PI;
      const at = row * (SEGMENTS + 1) + s;
      positions.set([r * Math.cos(angle), r * Math.sin(angle), z], at * 3);
      normals.set([nr * Math.cos(angle), nr * Math.sin(angle), nz], at * 3);
      uvs.set([(s / SEGMENTS) * 2 * Math.PI * widest, along], at * 2);
    }
  });
  const indices: number[] = [];
  for (let row = 0; row + 1 < rows; row++) {
    for (let s = 0; s < SEGMENTS; s++) {
      const i = row * (SEGMENTS + 1) + s;
      const j = i + SEGMENTS + 1;
      indices.push(i, i + 1, j + 1, i, j + 1, j);
    }
  }
  return { positions, normals, uvs, indices: new Uint32Array(indices), material: 0 };
}

/** A quarter circle from angle `from`, degrees above level outwards, about a middle (radius, height). */
export function arc(r: number, z: number, radius: number, from: number, to: number, steps: number): Profile {
  return Array.from({ length: steps + 1 }, (_, i) => {
    const angle = ((from + ((to - from) * i) / steps) * Math.PI) / 180;
    const [c, s] = [Math.cos(angle), Math.sin(angle)];
    return [r + radius * c, z + radius * s, c, s];
  });
}
