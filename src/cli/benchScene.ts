/** Rows of tori over a ground, of roughly `target` triangles: a scene with fine parts and much empty space. */
export function torusField(target: number): { positions: Float32Array; indices: Uint32Array } {
  const rings = 24;
  const sides = 12;
  const each = rings * sides * 2;
  const across = Math.max(1, Math.floor(Math.sqrt(target / each)));
  const positions: number[] = [-20, -20, -1, 20, -20, -1, 20, 20, -1, -20, 20, -1];
  const indices: number[] = [0, 1, 2, 0, 2, 3];
  for (let k = 0; k < across * across; k++) {
    const [cx, cy] = [((k % across) / across) * 16 - 8, (Math.floor(k / across) / across) * 16 - 8];
    const start = positions.length / 3;
    const size = 6 / across;
    const tilt = k * 0.7;
    for (let i = 0; i < rings; i++) {
      for (let j = 0; j < sides; j++) {
        const [a, b] = [(i / rings) * 2 * Math.PI, (j / sides) * 2 * Math.PI];
        const r = size * (1 + 0.35 * Math.cos(b));
        const [x, y, z] = [r * Math.cos(a), r * Math.sin(a), size * 0.35 * Math.sin(b)];
        positions.push(cx + x, cy + y * Math.cos(tilt) - z * Math.sin(tilt), y * Math.sin(tilt) + z * Math.cos(tilt));
      }
    }
    for (let i = 0; i < rings; i++) {
      for (let j = 0; j < sides; j++) {
        const at = (p: number, q: number) => start + (p % rings) * sides + (q % sides);
        indices.push(at(i, j), at(i + 1, j), at(i + 1, j + 1), at(i, j), at(i + 1, j + 1), at(i, j + 1));
      }
    }
  }
  return { positions: new Float32Array(positions), indices: new Uint32Array(indices) };
}
