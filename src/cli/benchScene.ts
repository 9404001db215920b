/** Triangles as positions and indices, without shared vertices between things. */
export interface Soup {
  positions: Float32Array;
  indices: Uint32Array;
}

/** Tori and bumpy spheres in rows over a ground, of roughly `target` triangles: fine parts and much empty space. */
export function benchSoup(target: number): Soup {
  const [rings, sides] = [24, 12];
  const each = rings * sides * 2;
  const across = Math.max(1, Math.round(Math.sqrt(target / each)));
  const positions: number[] = [-20, -20, -1, 20, -20, -1, 20, 20, -1, -20, 20, -1];
  const indices: number[] = [0, 1, 2, 0, 2, 3];
  for (let k = 0; k < across * across; k++) {
    const [cx, cy] = [((k % across) / across) * 16 - 8, (Math.floor(k / across) / across) * 16 - 8];
    const start = positions.length / 3;
    const size = 6 / across;
    const tilt = k * 0.7;
    for (let i = 0; i < rings; i++) {
      for (let j = 0; j < sides; j++) {
        const [x, y, z] = k % 2 === 0 ? torus(i / rings, j / sides, size) : pebble(i / rings, j / (sides - 1), size, k);
        positions.push(cx + x, cy + y * Math.cos(tilt) - z * Math.sin(tilt), y * Math.sin(tilt) + z * Math.cos(tilt));
      }
    }
    for (let i = 0; i < rings; i++) {
      for (let j = 0; j < (k % 2 === 0 ? sides : sides - 1); j++) {
        const at = (p: number, q: number) => start + (p % rings) * sides + (q % sides);
        indices.push(at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j), at(i + 1, j + 1), at(i, j + 1));
      }
    }
  }
  return { positions: new Float32Array(positions), indices: new Uint32Array(indices) };
}

function torus(u: number, v: number, size: number): [number, number, number] {
  const [a, b] = [u * 2 * Math.PI, v * 2 * Math.PI];
  const r = size * (1 + 0.35 * Math.cos(b));
  return [r * Math.cos(a), r * Math.sin(a), size * 0.35 * Math.sin(b)];
}

function pebble(u: number, v: number, size: number, seed: number): [number, number, number] {
  const [a, b] = [u * 2 * Math.PI, v * Math.PI];
  const r = size * (0.8 + 0.2 * Math.sin(3 * a + seed) * Math.sin(5 * b + 2 * seed));
  return [r * Math.sin(b) * Math.cos(a), r * Math.sin(b) * Math.sin(a), r * Math.cos(b)];
}

/** Rays as six rows one after the other: origins x, y, z, then directions. */
export type Rays = Float32Array;

/** A number in 0..1 from two counters, evenly spread (Roberts' sequence). */
const even = (i: number, k: number) => (0.5 + i * [0.7548776662466927, 0.5698402909980532][k]) % 1;

/** Camera rays from above, each row of `count`. */
export function primaryRays(count: number): Rays {
  const rays = new Float32Array(count * 6);
  for (let i = 0; i < count; i++) {
    const d = [even(i, 0) * 2 - 1, even(i, 1) * 2 - 1, -1.6];
    const l = Math.hypot(...d);
    rays[i + 2 * count] = 9;
    for (let k = 0; k < 3; k++) rays[i + (3 + k) * count] = d[k] / l;
  }
  return rays;
}

/** Rays from where others ended: towards a sun, or scattered about the vertical. */
export function secondaryRays(first: Rays, distances: Float32Array, kind: "shadow" | "diffuse"): Rays {
  const count = distances.length;
  const rays = new Float32Array(count * 6);
  for (let i = 0; i < count; i++) {
    const t = Number.isFinite(distances[i]) && distances[i] < 1e29 ? distances[i] - 1e-3 : 5;
    for (let k = 0; k < 3; k++) rays[i + k * count] = first[i + k * count] + t * first[i + (3 + k) * count];
    const d = [0.45, 0.3, 0.84];
    if (kind === "diffuse") {
      const [u, v] = [even(i * 7 + 3, 0), even(i * 7 + 3, 1)];
      const [r, phi] = [Math.sqrt(u), v * 2 * Math.PI];
      d.splice(0, 3, r * Math.cos(phi), r * Math.sin(phi), Math.sqrt(1 - u));
    }
    for (let k = 0; k < 3; k++) rays[i + (3 + k) * count] = d[k];
  }
  return rays;
}
