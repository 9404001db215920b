import type { Vec2 } from "#core/math/vec3";
import type { Shot } from "#core/shot/schema";
import type { Handle } from "./handle.ts";

/** Middle and lower right corner of the parts that the plate's grain is measured on: they move and stretch them. */
export const grainHandles = ({ comp, plates }: Shot): Handle[] =>
  comp.grain.areas.flatMap(([left, top, right, bottom], i): Handle[] => {
    const { width, height } = plates.main;
    const middle: Vec2 = [(left + right) / 2, (top + bottom) / 2];
    const within = (x: number, most: number) => Math.min(most, Math.max(0, x));
    return [
      {
        key: `grain.${i}`,
        owner: "",
        at: middle,
        edit: "Move part for the grain",
        drag: (draft, to) => {
          const x = within(left + to[0] - middle[0], width - (right - left));
          const y = within(top + to[1] - middle[1], height - (bottom - top));
          draft.comp.grain.areas[i] = [x, y, x + right - left, y + bottom - top];
        },
      },
      {
        key: `grain.${i}.corner`,
        owner: "",
        at: [right, bottom],
        edit: "Stretch part for the grain",
        drag: (draft, to) => {
          draft.comp.grain.areas[i] = [left, top, Math.max(left + 32, to[0]), Math.max(top + 32, to[1])];
        },
      },
    ];
  });
