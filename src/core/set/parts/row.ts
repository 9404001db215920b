import * as v from "valibot";
import type { Vec3 } from "../../math/vec3.ts";
import { add, dot, length, normalize, scale, sub } from "../../math/vec3.ts";
import { Finite, Id, Vec3Schema } from "../../schema/fields.ts";
import type { Face } from "../face.ts";
import { bareFacesOf } from "../bare.ts";
import type { PartHandle, PartKind } from "./kind.ts";
import { partBase } from "./kind.ts";

/** Copies of another part, each by its own way and turn: a row of posts, an avenue, beams, windows. */
export const RowSchema = v.object({
  ...partBase,
  kind: v.literal("row"),
  /** The part that is repeated; it stands for itself, the row has the copies. */
  of: Id,
  copies: v.pipe(
    v.array(
      v.object({
        offset: Vec3Schema,
        /** About the vertical through the part's own middle, degrees. */
        turnDeg: Finite,
      }),
    ),
    v.minLength(1, "has no copies"),
    v.maxLength(500, "has too many copies"),
  ),
});
export type Row = v.InferOutput<typeof RowSchema>;

/** Middle of a part's faces. */
function middleOf(faces: Face[]): Vec3 {
  const points = faces.flatMap((face) => face.rings[0]);
  const low = [0, 1, 2].map((k) => Math.min(...points.map((p) => p[k])));
  const high = [0, 1, 2].map((k) => Math.max(...points.map((p) => p[k])));
  return low.map((x, k) => (x + high[k]) / 2) as Vec3;
}

function rowFaces(part: Row, set: Parameters<PartKind<Row>["faces"]>[1]): Face[] {
  const member = bareFacesOf(set, part.of);
  if (member.length === 0) return [];
  const centre = middleOf(member);
  return part.copies.flatMap(({ offset, turnDeg }, i) => {
    const angle = (turnDeg * Math.PI) / 180;
    const [c, s] = [Math.cos(angle), Math.sin(angle)];
    const put = (p: Vec3): Vec3 => {
      if (turnDeg === 0) return add(p, offset);
      const [x, y] = [p[0] - centre[0], p[1] - centre[1]];
      return add([centre[0] + c * x - s * y, centre[1] + s * x + c * y, p[2]], offset);
    };
    return member.map((face) => ({ id: `${i + 1}.${face.id}`, rings: face.rings.map((ring) => ring.map(put)) }));
  });
}

/** Copies at even steps. */
export const evenCopies = (step: Vec3, count: number): Row["copies"] =>
  Array.from({ length: count }, (_, i) => ({ offset: scale(step, i + 1), turnDeg: 0 }));

/** Mean step of a row, and how far its copies lie off even steps at most, metres. */
export function rowStep(part: Row): { step: Vec3; uneven: number } {
  const last = part.copies[part.copies.length - 1].offset;
  const step = scale(last, 1 / part.copies.length);
  const uneven = Math.max(...part.copies.map(({ offset }, i) => length(sub(offset, scale(step, i + 1)))));
  return { step, uneven };
}

export const row: PartKind<Row> = {
  title: "Row",
  schema: RowSchema,
  faces: rowFaces,
  vertices: () => [],
  turn: (part, move) => {
    for (const copy of part.copies) copy.offset = move(copy.offset as Vec3);
  },
  stretch: (part, share) => {
    for (const copy of part.copies) copy.offset = scale(copy.offset as Vec3, share);
  },
  on: (part) => [part.of],
  handles: (part, set) => {
    const member = bareFacesOf(set, part.of);
    if (member.length === 0) return [];
    const middle = middleOf(member);
    return part.copies.map(({ offset }, i): PartHandle<Row> => ({
      key: `${i}`,
      at: add(middle, offset),
      edit: i === part.copies.length - 1 ? "Stretch row" : "Move copy",
      along: { direction: normalize(part.copies[part.copies.length - 1].offset) },
      // The last copy stretches the whole row, any other one moves by itself.
      put: (p, to) => {
        const wanted = sub(to, middle);
        if (i < part.copies.length - 1) {
          p.copies[i].offset = wanted;
          return;
        }
        const ratio = dot(wanted, offset) / (dot(offset, offset) || 1);
        if (ratio > 0.01) part.copies.forEach((copy, k) => (p.copies[k].offset = scale(copy.offset, ratio)));
      },
    }));
  },
  fields: (part) => {
    const { step } = rowStep(part);
    const metres = length(step);
    return [
      {
        key: "copies",
        label: "copies",
        unit: "count",
        value: part.copies.length,
        least: 1,
        put: (p, count) => {
          const kept = p.copies.slice(0, count);
          for (let i = kept.length; i < count; i++) kept.push({ offset: scale(step, i + 1), turnDeg: 0 });
          p.copies = kept;
        },
      },
      {
        key: "step",
        label: "step",
        unit: "length",
        value: metres,
        least: 0.001,
        put: (p, value) => {
          for (const copy of p.copies) copy.offset = scale(copy.offset, value / (metres || 1));
        },
      },
    ];
  },
  draw: {
    label: "row",
    icon: "pi-ellipsis-h",
    key: "u",
    hints: [
      "Row of what is selected: click its foot",
      "now the foot of the next member, and of every further one that you see; Enter ends",
    ],
    takes: ["foot", "foot"],
    outline: 2,
    build: (points, { selected, set }) => {
      if (!selected || !set[selected]) return "Select the part that the row repeats, then mark a point of each member.";
      if (set[selected].kind === "row") return "A row of a row cannot be made. Select a part.";
      const [first, ...others] = points;
      return {
        kind: "row",
        of: selected,
        copies: others.map((p) => ({ offset: sub(p.world, first.world), turnDeg: 0 })),
      };
    },
  },
};
