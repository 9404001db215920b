import type { CurveShape } from "#core/comp/mattes/curve";
import type { Vec2 } from "#core/math/vec3";
import type { Shot } from "#core/shot/schema";
import type { Handle } from "./handle.ts";

/** Outward direction of a curve at one of its points, by its neighbours and the way that it runs round. */
function outwards(points: CurveShape["points"], i: number): Vec2 {
  const n = points.length;
  const [before, after] = [points[(i + n - 1) % n].at, points[(i + 1) % n].at];
  const along: Vec2 = [after[0] - before[0], after[1] - before[1]];
  const length = Math.max(1e-6, Math.hypot(along[0], along[1]));
  let area = 0;
  for (let k = 0; k < n; k++) {
    const [a, b] = [points[k].at, points[(k + 1) % n].at];
    area += a[0] * b[1] - b[0] * a[1];
  }
  const side = area > 0 ? 1 : -1;
  return [(side * along[1]) / length, (-side * along[0]) / length];
}

/** Pixels of the plate at which the feather's handle stands for no feather. */
const REST = 14;

/** Points of a matte's curves, and beside each a handle that pulls out its feather. */
export function matteHandles(shot: Shot, id: string | null): Handle[] {
  const matte = id === null ? undefined : shot.comp.mattes[id];
  if (!matte || id === null) return [];
  return matte.shapes.flatMap(({ shape }, s) => {
    if (shape.kind !== "curve") return [];
    const own = (draft: { comp: Shot["comp"] }) => draft.comp.mattes[id].shapes[s].shape as CurveShape;
    return shape.points.flatMap(({ at, feather }, i): Handle[] => {
      const [x, y] = outwards(shape.points, i);
      return [
        {
          key: `${id}.${s}.${i}`,
          owner: id,
          at: [at[0], at[1]],
          edit: "Move point of matte",
          drag: (draft, to) => void (own(draft as never).points[i].at = [to[0], to[1]]),
        },
        {
          key: `${id}.${s}.${i}.feather`,
          owner: id,
          at: [at[0] + x * (REST + feather / 2), at[1] + y * (REST + feather / 2)],
          edit: "Feather of matte",
          drag: (draft, to) => {
            const out = (to[0] - at[0]) * x + (to[1] - at[1]) * y;
            own(draft as never).points[i].feather = Number(Math.min(1000, Math.max(0, 2 * (out - REST))).toFixed(1));
          },
        },
      ];
    });
  });
}
