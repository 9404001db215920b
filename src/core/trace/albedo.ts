import { ALBEDO_CELLS, SHEEN_CELLS } from "../../kernel/layout.ts";

// Looked up once: in a sandboxed global scope, as of test runners, every look-up of Math costs.
const { PI, cos, max, min, sin, sqrt } = Math;

/**
 * Share of light that a GGX surface of reflectance 1 returns with single scattering, by the viewer's cosine (across)
 * and by roughness (down), both 0 to 1. Height-correlated Smith masking; half vectors by visible normals (Heitz 2014,
 * JCGT 3(2); Heitz 2018, JCGT 7(4)), so that the integrand is G2 / G1.
 */
export function ggxAlbedo(cells = ALBEDO_CELLS, side = 24): Float32Array {
  const table = new Float32Array(cells * cells);
  const lambda = (alpha: number, z: number) => (sqrt(1 + (alpha * alpha * (1 - z * z)) / max(1e-12, z * z)) - 1) / 2;
  const points = discPoints(side);
  for (let row = 0; row < cells; row++) {
    const alpha = max(0.002, (row / (cells - 1)) ** 2);
    for (let column = 0; column < cells; column++) {
      const vz = max(1e-3, column / (cells - 1));
      const vx = sqrt(1 - vz * vz);
      const length = sqrt(alpha * vx * alpha * vx + vz * vz);
      const [sx, sz] = [(alpha * vx) / length, vz / length];
      const lv = lambda(alpha, vz);
      let sum = 0;
      const half = 0.5 * (1 + sz);
      for (const { p, root, r, sine, weight } of points) {
        const q = (1 - half) * root + half * r * sine;
        const up = sqrt(max(0, 1 - p * p - q * q));
        // The frame of the stretched view: across it y, and in its plane.
        const hx = alpha * (-sz * q + sx * up);
        const hy = alpha * p;
        const hz = max(0, sx * q + sz * up);
        const s = 1 / sqrt(hx * hx + hy * hy + hz * hz);
        const vh = (vx * hx + vz * hz) * s;
        const lz = 2 * vh * hz * s - vz;
        if (lz > 0) sum += (weight * (1 + lv)) / (1 + lv + lambda(alpha, lz));
      }
      table[row * cells + column] = sum / (side * side);
    }
  }
  return table;
}

/** Points of half a disc, whose other half mirrors them, and their weights. */
function discPoints(side: number) {
  return Array.from({ length: side * side }, (_, at) => {
    const [i, j] = [Math.floor(at / side), at % side];
    // Steps get shorter towards the rim, where the long tail of the lobe lies.
    const rest = 1 - (i + 0.5) / side;
    const r = sqrt(1 - rest * rest * rest);
    const phi = ((j + 0.5) / side - 0.5) * PI;
    const p = r * cos(phi);
    return { p, root: sqrt(1 - p * p), r, sine: sin(phi), weight: 3 * rest * rest };
  });
}

/** The same for the sheen of KHR_materials_sheen (Estevez and Kulla 2017), by midpoints over the hemisphere. */
export function sheenAlbedo(cells = SHEEN_CELLS): Float32Array {
  const table = new Float32Array(cells * cells);
  const [up, round] = [32, 16];
  for (let row = 0; row < cells; row++) {
    const alpha = max(0.002, (row / (cells - 1)) ** 2);
    for (let column = 0; column < cells; column++) {
      const vz = max(1e-3, column / (cells - 1));
      const vx = sqrt(1 - vz * vz);
      let sum = 0;
      for (let i = 0; i < up; i++) {
        const lz = (i + 0.5) / up;
        const l = sqrt(1 - lz * lz);
        for (let j = 0; j < round; j++) {
          const phi = ((j + 0.5) / round) * PI;
          const [hx, hy, hz] = [vx + l * cos(phi), l * sin(phi), vz + lz];
          const nh = hz / sqrt(hx * hx + hy * hy + hz * hz);
          const d = ((2 + 1 / alpha) * sqrt(max(0, 1 - nh * nh)) ** (1 / alpha)) / (2 * PI);
          sum += (d * lz) / (4 * (lz + vz - lz * vz));
        }
      }
      table[row * cells + column] = min(1, (sum * 2 * PI) / (up * round));
    }
  }
  return table;
}
