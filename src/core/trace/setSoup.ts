import * as L from "../../kernel/layout.ts";
import type { SceneMemory } from "./memory.ts";
import type { SetPiece } from "./scene.ts";
import type { Resident } from "./resident.ts";

/** The set as one soup of triangles. */

export interface SetSoup {
  positions: Float32Array;
  normals: Float32Array;
  /** Three vertex numbers and the piece's. */
  triangles: Uint32Array;
}

/** All set pieces as one soup, with one flat normal a vertex, from the first triangle that uses it. */
export function joinSet(pieces: SetPiece[]): SetSoup {
  const vertices = pieces.reduce((n, p) => n + p.positions.length / 3, 0);
  const count = pieces.reduce((n, p) => n + p.indices.length / 3, 0);
  const positions = new Float32Array(vertices * 3);
  const normals = new Float32Array(vertices * 3);
  const triangles = new Uint32Array(count * 4);
  let v = 0;
  let t = 0;
  pieces.forEach(({ positions: p, indices }, number) => {
    positions.set(p, v * 3);
    for (let i = 0; i < indices.length; i += 3, t += 4) {
      const a = indices[i] * 3;
      const b = indices[i + 1] * 3;
      const c = indices[i + 2] * 3;
      const ux = p[b] - p[a];
      const uy = p[b + 1] - p[a + 1];
      const uz = p[b + 2] - p[a + 2];
      const vx = p[c] - p[a];
      const vy = p[c + 1] - p[a + 1];
      const vz = p[c + 2] - p[a + 2];
      const n = [uy * vz - uz * vy, uz * vx - ux * vz, ux * vy - uy * vx];
      const s = 1 / (Math.hypot(n[0], n[1], n[2]) || 1);
      for (const at of [a, b, c]) normals.set([n[0] * s, n[1] * s, n[2] * s], v * 3 + at);
      triangles.set([indices[i] + v, indices[i + 1] + v, indices[i + 2] + v, number], t);
    }
    v += p.length / 3;
  });
  return { positions, normals, triangles };
}

/** A set piece's flags. One that not every ray meets is asked by each. */
function setFlags({ flags, ownColour }: SetPiece): number {
  const met =
    (flags.seen ? L.SET_SEEN : 0) |
    (flags.shadow ? L.SET_SHADOW : 0) |
    (flags.reflection ? L.SET_REFLECTION : 0) |
    (flags.bounce ? L.SET_BOUNCE : 0) |
    (flags.blocks ? L.SET_BLOCKS : 0);
  return (
    L.PART_IS_SET |
    met |
    (met === L.SET_ALL ? 0 : L.PART_ASKS) |
    (flags.catches ? L.PART_IS_CATCHER : 0) |
    (ownColour ? L.PART_OWN_COLOUR : 0)
  );
}

export function putSet(memory: SceneMemory, r: Resident, set: SetSoup, pieces: SetPiece[]): void {
  memory.f32(r.positions, set.positions.length).set(set.positions);
  memory.f32(r.normals, set.normals.length).set(set.normals);
  memory.u32(r.triangles, set.triangles.length).set(set.triangles);
  pieces.forEach((piece, i) => {
    const f = memory.f32(r.parts + i * L.PART_BYTES, L.PART_BYTES / 4);
    const u = memory.u32(r.parts + i * L.PART_BYTES, L.PART_BYTES / 4);
    u[L.PART_MATERIAL / 4] = 0;
    u[L.PART_FLAGS / 4] = setFlags(piece);
    f.set(piece.albedo, L.PART_ALBEDO / 4);
    f[L.PART_ROUGHNESS / 4] = piece.roughness;
    f[L.PART_SPECULAR / 4] = piece.specular;
    f[L.PART_GLOW / 4] = piece.glow ?? 0;
    f.set(piece.glowColour ?? [1, 1, 1], L.PART_GLOW_COLOUR / 4);
  });
}
