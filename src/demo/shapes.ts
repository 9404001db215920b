import type { Vec3 } from "#core/math/vec3";
import { add, cross, normalize, scale, sub } from "#core/math/vec3";
import type { Mesh } from "#core/props/model";

/** Collects triangles of one material. Texture coordinates are metres divided by the texture's size in metres. */
export class Builder {
  private positions: number[] = [];
  private normals: number[] = [];
  private uvs: number[] = [];
  private indices: number[] = [];

  private vertex(p: Vec3, n: Vec3, uv: [number, number]): number {
    this.positions.push(...p);
    this.normals.push(...n);
    this.uvs.push(...uv);
    return this.positions.length / 3 - 1;
  }

  /** A parallelogram from `origin` along `a` and `b`; faces a x b. The texture is `metres` wide and turned with a, b. */
  quad(origin: Vec3, a: Vec3, b: Vec3, metres = 1, shift: [number, number] = [0, 0]): this {
    const n = normalize(cross(a, b));
    const la = Math.hypot(...a) / metres;
    const lb = Math.hypot(...b) / metres;
    const [s, t] = shift;
    const i = this.vertex(origin, n, [s, t]);
    this.vertex(add(origin, a), n, [s + la, t]);
    this.vertex(add(add(origin, a), b), n, [s + la, t + lb]);
    this.vertex(add(origin, b), n, [s, t + lb]);
    this.indices.push(i, i + 1, i + 2, i, i + 2, i + 3);
    return this;
  }

  /** A triangle, textured by its own plane. */
  triangle(a: Vec3, b: Vec3, c: Vec3, metres = 1): this {
    const n = normalize(cross(sub(b, a), sub(c, a)));
    const u = normalize(sub(b, a));
    const v = cross(n, u);
    const uv = (p: Vec3): [number, number] => {
      const d = sub(p, a);
      return [(d[0] * u[0] + d[1] * u[1] + d[2] * u[2]) / metres, (d[0] * v[0] + d[1] * v[1] + d[2] * v[2]) / metres];
    };
    const i = this.vertex(a, n, uv(a));
    this.vertex(b, n, uv(b));
    this.vertex(c, n, uv(c));
    this.indices.push(i, i + 1, i + 2);
    return this;
  }

  /** A box between two corners. */
  box(low: Vec3, high: Vec3, metres = 1): this {
    const [w, d, h] = sub(high, low);
    const s: [number, number] = [low[0] * 0.37 + low[2], low[1] * 0.61];
    this.quad(low, [w, 0, 0], [0, 0, h], metres, s);
    this.quad([high[0], high[1], low[2]], [-w, 0, 0], [0, 0, h], metres, s);
    this.quad([high[0], low[1], low[2]], [0, d, 0], [0, 0, h], metres, s);
    this.quad([low[0], high[1], low[2]], [0, -d, 0], [0, 0, h], metres, s);
    this.quad([low[0], low[1], high[2]], [w, 0, 0], [0, d, 0], metres, s);
    this.quad([low[0], high[1], low[2]], [w, 0, 0], [0, -d, 0], metres, s);
    return this;
  }

  /** A surface of revolution about the vertical through `foot`: profile points are [radius, height], from below up. */
  lathe(foot: Vec3, profile: [number, number][], segments = 48): this {
    const rows = profile.length;
    const start = this.positions.length / 3;
    let along = 0;
    profile.forEach(([r, z], row) => {
      if (row > 0) along += Math.hypot(r - profile[row - 1][0], z - profile[row - 1][1]);
      const before = profile[Math.max(0, row - 1)];
      const after = profile[Math.min(rows - 1, row + 1)];
      const slope = normalize([after[1] - before[1], 0, -(after[0] - before[0])]);
      for (let s = 0; s <= segments; s++) {
        const angle = (s / segments) * 2 * Math.PI;
        const [c, q] = [Math.cos(angle), Math.sin(angle)];
        this.vertex(add(foot, [r * c, r * q, z]), [slope[0] * c, slope[0] * q, slope[2]], [s / segments, along]);
      }
    });
    for (let row = 0; row + 1 < rows; row++) {
      for (let s = 0; s < segments; s++) {
        const i = start + row * (segments + 1) + s;
        const j = i + segments + 1;
        this.indices.push(i, i + 1, j + 1, i, j + 1, j);
      }
    }
    return this;
  }

  /** A round bar between two points. */
  bar(from: Vec3, to: Vec3, radius: number, segments = 12): this {
    const axis = normalize(sub(to, from));
    const side = normalize(cross(axis, Math.abs(axis[2]) < 0.9 ? [0, 0, 1] : [1, 0, 0]));
    const other = cross(axis, side);
    const start = this.positions.length / 3;
    for (const end of [from, to]) {
      for (let s = 0; s <= segments; s++) {
        const angle = (s / segments) * 2 * Math.PI;
        const n = add(scale(side, Math.cos(angle)), scale(other, Math.sin(angle)));
        this.vertex(add(end, scale(n, radius)), n, [s / segments, end === from ? 0 : 1]);
      }
    }
    for (let s = 0; s < segments; s++) {
      const i = start + s;
      const j = i + segments + 1;
      this.indices.push(i, i + 1, j + 1, i, j + 1, j);
    }
    return this;
  }

  build(material: number): Mesh {
    return {
      positions: new Float32Array(this.positions),
      normals: new Float32Array(this.normals),
      uvs: new Float32Array(this.uvs),
      indices: new Uint32Array(this.indices),
      material,
    };
  }
}

/** A lathe profile with hard corners: every point doubled, so that normals do not smear over an edge. */
export const hardEdges = (profile: [number, number][]): [number, number][] =>
  profile.flatMap(([r, z], i) => {
    if (i === 0 || i === profile.length - 1) return [[r, z]] as [number, number][];
    const [pr, pz] = profile[i - 1];
    const [nr, nz] = profile[i + 1];
    const e = 0.002;
    const towards = (qr: number, qz: number): [number, number] => {
      const l = Math.hypot(qr - r, qz - z) || 1;
      const s = Math.min(e, l * 0.3) / l;
      return [r + (qr - r) * s, z + (qz - z) * s];
    };
    return [towards(pr, pz), towards(nr, nz)];
  });
