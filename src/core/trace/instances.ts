import * as L from "../../kernel/layout.ts";
import type { Model } from "../props/model.ts";
import { invertMatrix, placementMatrix } from "../props/transform.ts";
import type { SceneMemory } from "./memory.ts";
import type { PropPiece } from "./scene.ts";
import { standingAt } from "./bodies.ts";
import type { Resident } from "./resident.ts";

/** Where the props stand. */

/** Writes the instances of all props; tells their boxes in the world and whether any moves. */
export function putInstances(memory: SceneMemory, r: Resident, props: PropPiece[], models: Model[]) {
  const standing = props.flatMap((prop, number) => {
    const model = models.indexOf(prop.model);
    const start = placementMatrix(prop.placement);
    const close = prop.end ? placementMatrix(prop.end) : start;
    return r.bodies.flatMap((body, b) => {
      if (body.model !== model) return [];
      const ends = prop.end ? standingAt(close, body) : null;
      return standingAt(start, body).map((forward, c) => ({
        prop,
        number,
        body: b,
        forward,
        end: ends?.[c] ?? forward,
      }));
    });
  });
  const table = memory.reserve(Math.max(1, standing.length) * L.INSTANCE_BYTES);
  const boxes = new Float32Array(standing.length * 6);
  let moving = false;
  standing.forEach(({ prop, number, body, forward, end }, i) => {
    const at = table + i * L.INSTANCE_BYTES;
    const f = memory.f32(at, L.INSTANCE_BYTES / 4);
    const u = memory.u32(at, L.INSTANCE_BYTES / 4);
    f.set(invertMatrix(forward), L.INSTANCE_INVERSE / 4);
    f.set(forward, L.INSTANCE_FORWARD / 4);
    f.set(end, L.INSTANCE_END / 4);
    u[L.INSTANCE_ROOT / 4] = r.roots[body];
    const seen = prop.visibility;
    const moves = end.some((x, k) => x !== forward[k]);
    moving ||= moves;
    u[L.INSTANCE_FLAGS / 4] =
      (!seen || seen.camera ? L.RAY_CAMERA : 0) |
      (!seen || seen.shadow ? L.RAY_SHADOW : 0) |
      (!seen || seen.reflection ? L.RAY_REFLECTION : 0) |
      (!seen || seen.bounce ? L.RAY_BOUNCE : 0) |
      (moves ? L.INSTANCE_MOVES : 0);
    u[L.INSTANCE_PROP / 4] = number;
    u[L.INSTANCE_UNLIT / 4] = unlitBits(prop.unlit);
    // Between the two ends every point goes straight, so the boxes of both ends hold the whole way.
    const low = [Infinity, Infinity, Infinity];
    const high = [-Infinity, -Infinity, -Infinity];
    const box = r.bounds[body];
    for (const m of moves ? [forward, end] : [forward]) {
      for (let k = 0; k < 3; k++) {
        let a = m[k * 4 + 3];
        let b = m[k * 4 + 3];
        for (let j = 0; j < 3; j++) {
          const p = m[k * 4 + j] * box.low[j];
          const q = m[k * 4 + j] * box.high[j];
          a += Math.min(p, q);
          b += Math.max(p, q);
        }
        // Room for rounding: the rays are turned into the model in single precision.
        const slack = 1e-5 + 2e-6 * Math.max(Math.abs(a), Math.abs(b));
        low[k] = Math.min(low[k], a - slack);
        high[k] = Math.max(high[k], b + slack);
      }
    }
    boxes.set([...low, ...high], i * 6);
  });
  return { table, boxes, moving };
}

/** Bits of the light groups that do not light a prop. */
export function unlitBits(unlit: PropPiece["unlit"]): number {
  if (!unlit) return 0;
  const groups = [
    ...(unlit.sun ? [L.GROUP_SUN] : []),
    ...(unlit.sky ? [L.GROUP_SKY] : []),
    ...unlit.lamps.map((lamp) => L.GROUP_LAMPS + lamp),
  ];
  return groups.reduce((bits, group) => (group < 32 ? bits | (1 << group) : bits), 0) >>> 0;
}

/** Emitting triangles of all props in the world, with the luminance that they are drawn by. */
export function shiningTriangles(memory: SceneMemory, r: Resident, props: PropPiece[], models: Model[]) {
  const shining: { corners: number[]; luminance: number; triangle: number }[] = [];
  for (const prop of props) {
    // A moving lamp cannot be drawn from: paths must find it.
    if (prop.end || prop.visibility?.shadow === false) continue;
    const model = models.indexOf(prop.model);
    const forward = placementMatrix(prop.placement);
    for (const [b, body] of r.bodies.entries()) {
      const groups = body.model === model ? r.emissive.get(b) : undefined;
      if (!groups) continue;
      for (const m of standingAt(forward, body)) {
        const vertex = (i: number) => {
          const [x, y, z] = memory.f32(r.positions + i * 12, 3);
          return [0, 1, 2].map((k) => m[k * 4] * x + m[k * 4 + 1] * y + m[k * 4 + 2] * z + m[k * 4 + 3]);
        };
        for (const { triangles, luminance: level } of groups) {
          for (const triangle of triangles) {
            const [p, q, s] = memory.u32(r.triangles + triangle * L.TRIANGLE_BYTES, 3);
            shining.push({ corners: [...vertex(p), ...vertex(q), ...vertex(s)], luminance: level, triangle });
          }
        }
      }
    }
  }
  return shining;
}
