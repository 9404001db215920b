import * as v from "valibot";
import type { Vec3 } from "../../math/vec3.ts";
import { add, toDegrees, toRadians } from "../../math/vec3.ts";
import { Finite, HashSchema, Positive, Text } from "../../schema/fields.ts";
import type { Face } from "../face.ts";
import { hasSetModel, setModelOf } from "../models.ts";
import { VertexSchema, placedVertex, typedVertex } from "../vertex.ts";
import type { PartField, PartKind } from "./kind.ts";
import { LEVEL, partBase } from "./kind.ts";

/** A model of the real place, from a file: every mesh of it may have a material and a role of its own. */
export const ModelSchema = v.object({
  ...partBase,
  kind: v.literal("model"),
  asset: HashSchema,
  fileName: Text,
  /** Where its own origin is. */
  origin: VertexSchema,
  /** About the vertical through its origin, degrees. */
  turnDeg: Finite,
  scale: Positive,
});
export type SetModelPart = v.InferOutput<typeof ModelSchema>;

/** The model's own coordinates in the world. */
function placedFaces({ asset, origin, turnDeg, scale }: SetModelPart): Face[] {
  const model = setModelOf(asset);
  if (!model) return [];
  const [x, y, z] = origin.world;
  const plain = turnDeg === 0 && scale === 1 && x === 0 && y === 0 && z === 0;
  if (plain) return model.faces;
  const angle = toRadians(turnDeg);
  const [c, s] = turnDeg === 0 ? [1, 0] : [Math.cos(angle), Math.sin(angle)];
  const put = (p: Vec3): Vec3 => [
    x + scale * (c * p[0] - s * p[1]),
    y + scale * (s * p[0] + c * p[1]),
    z + scale * p[2],
  ];
  return model.faces.map(({ id, rings }) => ({ id, rings: rings.map((ring) => ring.map(put)) }));
}

const typed = (part: SetModelPart, k: number, label: string): PartField<SetModelPart> => ({
  key: label,
  label,
  unit: "length",
  value: part.origin.world[k],
  least: -1e6,
  put: (p, value) => {
    const world: Vec3 = [...(p.origin.world as Vec3)];
    world[k] = value;
    p.origin = typedVertex(world);
  },
});

export const model: PartKind<SetModelPart> = {
  title: "Model",
  schema: ModelSchema,
  faces: placedFaces,
  ready: ({ asset }) => hasSetModel(asset),
  vertices: (part) => [{ vertex: part.origin, normal: LEVEL }],
  turn: (part, move) => {
    const [x, y] = move([1, 0, 0]);
    const turned = (part.turnDeg + toDegrees(Math.atan2(y, x))) % 360;
    part.turnDeg = turned > 180 ? turned - 360 : turned <= -180 ? turned + 360 : turned;
  },
  stretch: (part, share) => (part.scale *= share),
  floors: () => true,
  frontOnly: true,
  groupOf: (face) => face.split(".", 1)[0],
  groups: ({ asset }) => (setModelOf(asset)?.meshes ?? []).map(({ name }, i) => ({ label: name, value: `${i + 1}` })),
  handles: (part) => {
    const at = part.origin.world as Vec3;
    return [
      {
        key: "origin",
        at,
        edit: "Move model",
        along: { plane: { normal: LEVEL, offset: at[2] } },
        put: (p, to, pixel) => (p.origin = placedVertex(to, pixel)),
      },
      {
        key: "turn",
        at: add(at, [Math.cos(toRadians(part.turnDeg)), Math.sin(toRadians(part.turnDeg)), 0]),
        edit: "Turn model",
        along: { plane: { normal: LEVEL, offset: at[2] } },
        put: (p, to) => (p.turnDeg = toDegrees(Math.atan2(to[1] - at[1], to[0] - at[0]))),
      },
    ];
  },
  fields: (part) => [
    typed(part, 0, "X"),
    typed(part, 1, "Y"),
    typed(part, 2, "Z"),
    {
      key: "turn",
      label: "turn",
      unit: "degrees",
      value: part.turnDeg,
      least: -360,
      put: (p, value) => (p.turnDeg = value),
    },
    {
      key: "scale",
      label: "scale",
      unit: "factor",
      value: part.scale,
      least: 1e-4,
      put: (p, value) => (p.scale = value),
    },
  ],
  draw: null,
};
