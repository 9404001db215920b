import * as v from "valibot";
import type { Vec3 } from "../../math/vec3.ts";
import { add, dot, length, normalize, scale, sub, toDegrees, toRadians } from "../../math/vec3.ts";
import { Finite, Id, Vec3Schema } from "../../schema/fields.ts";
import { bareFacesOf } from "../bare.ts";
import type { Face } from "../face.ts";
import { VertexSchema, placedVertex, typedVertex } from "../vertex.ts";
import { fromDrawn } from "./common.ts";
import type { SetRecord } from "./index.ts";
import type { FaceOf, PartHandle, PartKind } from "./kind.ts";
import { partBase } from "./kind.ts";

/** Copies of another part, each by its own way and turn: a row of posts, an avenue, beams, windows. */
export const RowSchema = v.object({
  ...partBase,
  kind: v.literal("row"),
  /** The part that is repeated; it stands for itself, the row has the copies. */
  of: Id,
  /** The foot of that part, from which the ways to the copies' feet are told. */
  first: VertexSchema,
  /** Normal of what the feet stand on, whose planes they keep when the camera changes. */
  normal: Vec3Schema,
  copies: v.pipe(
    v.array(
      v.object({
        foot: VertexSchema,
        /** About the vertical through the part's own middle, degrees. */
        turnDeg: Finite,
      }),
    ),
    v.minLength(1, "has no copies"),
    v.maxLength(500, "has too many copies"),
  ),
  /** Another part that stands in the last place instead of a copy: a newel, a gatepost; null for none. */
  end: v.nullable(Id),
});
export type Row = v.InferOutput<typeof RowSchema>;

/** Ways from the repeated part to its copies, metres. */
export const rowWays = (part: Pick<Row, "first" | "copies">): Vec3[] =>
  part.copies.map(({ foot }) => sub(foot.world as Vec3, part.first.world as Vec3));

/** Lowest and highest corner of the box around faces. */
function boxOf(faces: Face[]): [Vec3, Vec3] {
  const points = faces.flatMap((face) => face.rings[0]);
  const bound = (k: number, of: typeof Math.min) => of(...points.map((p) => p[k]));
  return [[0, 1, 2].map((k) => bound(k, Math.min)) as Vec3, [0, 1, 2].map((k) => bound(k, Math.max)) as Vec3];
}

/** Middle of a part's faces. */
function middleOf(faces: Face[]): Vec3 {
  const [low, high] = boxOf(faces);
  return low.map((x, k) => (x + high[k]) / 2) as Vec3;
}

/** Middle of where a part's faces stand. */
function standOf(faces: Face[]): Vec3 {
  const [low] = boxOf(faces);
  const [x, y] = middleOf(faces);
  return [x, y, low[2]];
}

/** True for the copy in whose place the end piece stands. */
const isEnd = (part: Row, i: number): boolean => part.end !== null && i === part.copies.length - 1;

function rowFaces(part: Row, set: SetRecord): Face[] {
  const member = bareFacesOf(set, part.of);
  if (member.length === 0) return [];
  const end = part.end === null ? [] : bareFacesOf(set, part.end);
  const ways = rowWays(part);
  return part.copies.flatMap(({ turnDeg }, i) => {
    const own = isEnd(part, i) && end.length > 0 ? end : member;
    const way = own === member ? ways[i] : add(ways[i], sub(standOf(member), standOf(end)));
    const centre = middleOf(own);
    const angle = toRadians(turnDeg);
    const [c, s] = [Math.cos(angle), Math.sin(angle)];
    const put = (p: Vec3): Vec3 => {
      if (turnDeg === 0) return add(p, way);
      const [x, y] = [p[0] - centre[0], p[1] - centre[1]];
      return add([centre[0] + c * x - s * y, centre[1] + s * x + c * y, p[2]], way);
    };
    return own.map((face) => ({ id: `${i + 1}.${face.id}`, rings: face.rings.map((ring) => ring.map(put)) }));
  });
}

/** The face of which a row's face is a copy. */
function copiedFace(part: Row, face: string): FaceOf {
  const [number] = face.split(".", 1);
  const of = isEnd(part, Number(number) - 1) ? part.end! : part.of;
  return { part: of, face: face.slice(number.length + 1) };
}

/** A row of copies at even steps, typed. */
export const evenRow = (of: string, step: Vec3, count: number): Omit<Row, keyof typeof partBase> => ({
  kind: "row",
  of,
  first: typedVertex([0, 0, 0]),
  normal: [0, 0, 1],
  copies: Array.from({ length: count }, (_, i) => ({ foot: typedVertex(scale(step, i + 1)), turnDeg: 0 })),
  end: null,
});

/** How a row goes on. */
export interface RowStep {
  /** The even step that comes nearest to all feet (least squares over their numbers), metres. */
  step: Vec3;
  /** Where that has the first foot, metres off it. */
  start: Vec3;
  /** Farthest that a foot lies off the even row, metres. */
  uneven: number;
  /** Climb of the step, degrees. */
  slopeDeg: number;
}

/** The even row through the feet of the first part and its copies. */
export function rowStep(part: Pick<Row, "first" | "copies">): RowStep {
  const ways: Vec3[] = [[0, 0, 0], ...rowWays(part)];
  const mean = (ways.length - 1) / 2;
  const centre = scale(
    ways.reduce((sum, way) => add(sum, way), [0, 0, 0] as Vec3),
    1 / ways.length,
  );
  let step: Vec3 = [0, 0, 0];
  let squares = 0;
  ways.forEach((way, i) => {
    step = add(step, scale(way, i - mean));
    squares += (i - mean) ** 2;
  });
  step = scale(step, 1 / squares);
  const start = sub(centre, scale(step, mean));
  const uneven = Math.max(...ways.map((way, i) => length(sub(way, add(start, scale(step, i))))));
  return { step, start, uneven, slopeDeg: toDegrees(Math.atan2(step[2], Math.hypot(step[0], step[1]))) };
}

/** Copies' ways changed by a map; their feet are typed from then on. */
function reach(part: Row, ways: readonly Vec3[]): void {
  part.copies.forEach((copy, i) => (copy.foot = typedVertex(add(part.first.world as Vec3, ways[i]))));
}

export const row: PartKind<Row> = {
  title: "Row",
  schema: RowSchema,
  faces: rowFaces,
  vertices: (part) =>
    [part.first, ...part.copies.map(({ foot }) => foot)].map((vertex) => ({ vertex, normal: part.normal as Vec3 })),
  turn: (part, move) => (part.normal = move(part.normal as Vec3)),
  on: (part) => [part.of],
  uses: (part) => (part.end === null ? [] : [part.end]),
  forget: (part, id) => {
    if (part.end === id) part.end = null;
  },
  likeOf: ({ of }) => of,
  faceLike: copiedFace,
  handles: (part, set) => {
    const member = bareFacesOf(set, part.of);
    if (member.length === 0) return [];
    const middle = middleOf(member);
    const ways = rowWays(part);
    const last = ways.length - 1;
    return ways.map((way, i): PartHandle<Row> => ({
      key: `${i}`,
      at: add(middle, way),
      edit: i === last ? "Stretch row" : "Move copy",
      along: { direction: normalize(ways[last]) },
      // The last copy stretches the whole row, any other one moves by itself.
      put: (p, to) => {
        const wanted = sub(to, middle);
        if (i < last) {
          p.copies[i].foot = typedVertex(add(part.first.world as Vec3, wanted));
          return;
        }
        const ratio = dot(wanted, way) / (dot(way, way) || 1);
        if (ratio > 0.01)
          reach(
            p,
            ways.map((each) => scale(each, ratio)),
          );
      },
    }));
  },
  fields: (part) => {
    const { step, slopeDeg } = rowStep(part);
    const ways = rowWays(part);
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
          const from = ways[Math.min(count, ways.length) - 1];
          for (let i = kept.length; i < count; i++) {
            const way = add(from, scale(step, i + 1 - ways.length));
            kept.push({ foot: typedVertex(add(p.first.world as Vec3, way)), turnDeg: 0 });
          }
          p.copies = kept;
        },
      },
      {
        key: "step",
        label: "step",
        unit: "length",
        value: metres,
        least: 0.001,
        put: (p, value) =>
          reach(
            p,
            ways.map((way) => scale(way, value / (metres || 1))),
          ),
      },
      {
        key: "slope",
        label: "slope",
        unit: "degrees",
        value: slopeDeg,
        least: -89,
        // Each copy is as far from the first one as before.
        put: (p, degrees) =>
          reach(
            p,
            ways.map((way) => {
              const level = Math.hypot(way[0], way[1]);
              if (level === 0) return way;
              const angle = toRadians(Math.min(89, degrees) - slopeDeg) + Math.atan2(way[2], level);
              const far = length(way) * Math.cos(angle);
              return [(way[0] / level) * far, (way[1] / level) * far, length(way) * Math.sin(angle)];
            }),
          ),
      },
    ];
  },
  choices: (part, set) => [
    {
      key: "end",
      label: "end piece",
      value: part.end,
      options: Object.values(set).flatMap(({ id, name, kind }) =>
        id !== part.of && id !== part.id && kind !== "row" && kind !== "opening" ? [{ label: name, value: id }] : [],
      ),
      put: (p, id) => (p.end = id),
    },
  ],
  acts: (part) => {
    const { step, start } = rowStep(part);
    return [
      {
        key: "even",
        label: "even out",
        put: (p) =>
          reach(
            p,
            p.copies.map((_, i) => add(start, scale(step, i + 1))),
          ),
      },
    ];
  },
  figures: (part) => {
    const { step, slopeDeg, uneven } = rowStep(part);
    return [
      { label: "step", unit: "length", value: length(step) },
      { label: "slope", unit: "degrees", value: slopeDeg },
      { label: "uneven by up to", unit: "length", value: uneven },
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
        first: fromDrawn(first),
        normal: first.normal,
        copies: others.map((p) => ({ foot: placedVertex(p.world, p.pixel), turnDeg: 0 })),
        end: null,
      };
    },
  },
};
