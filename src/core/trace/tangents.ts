import type { Mesh } from "../props/model.ts";

/**
 * Directions in which the texture's u grows, three floats a vertex: of the triangles around it, each by its area,
 * laid into the vertex's own tangent plane. Zero where the texture has no direction. A grain that kept each triangle's own
 * direction would show the facets of a smooth surface.
 */
export function vertexTangents({ positions: p, normals, uvs, indices }: Mesh): Float32Array {
  const tangents = new Float32Array(p.length);
  if (!uvs) return tangents;
  for (let i = 0; i < indices.length; i += 3) {
    const a = indices[i];
    const b = indices[i + 1];
    const c = indices[i + 2];
    const s1 = uvs[b * 2] - uvs[a * 2];
    const t1 = uvs[b * 2 + 1] - uvs[a * 2 + 1];
    const s2 = uvs[c * 2] - uvs[a * 2];
    const t2 = uvs[c * 2 + 1] - uvs[a * 2 + 1];
    const determinant = s1 * t2 - s2 * t1;
    if (Math.abs(determinant) < 1e-12) continue;
    const e1 = [0, 1, 2].map((k) => p[b * 3 + k] - p[a * 3 + k]);
    const e2 = [0, 1, 2].map((k) => p[c * 3 + k] - p[a * 3 + k]);
    const u = [0, 1, 2].map((k) => (e1[k] * t2 - e2[k] * t1) / determinant);
    const area = Math.hypot(
      e1[1] * e2[2] - e1[2] * e2[1],
      e1[2] * e2[0] - e1[0] * e2[2],
      e1[0] * e2[1] - e1[1] * e2[0],
    );
    const length = Math.hypot(...u);
    if (!(length > 0)) continue;
    for (const vertex of [a, b, c]) for (let k = 0; k < 3; k++) tangents[vertex * 3 + k] += (area * u[k]) / length;
  }
  for (let v = 0; v < tangents.length; v += 3) {
    const along = tangents[v] * normals[v] + tangents[v + 1] * normals[v + 1] + tangents[v + 2] * normals[v + 2];
    for (let k = 0; k < 3; k++) tangents[v + k] -= along * normals[v + k];
    const length = Math.hypot(tangents[v], tangents[v + 1], tangents[v + 2]);
    for (let k = 0; k < 3; k++) tangents[v + k] = length > 1e-20 ? tangents[v + k] / length : 0;
  }
  return tangents;
}
