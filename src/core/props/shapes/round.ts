import * as v from "valibot";
import { Positive, Share } from "../../schema/fields.ts";
import type { ShapeKind } from "./kind.ts";
import type { Profile } from "./revolve.ts";
import { arc, revolve } from "./revolve.ts";
import { BevelSchema, SizeSchema, bevelField, sizeFields, stretched } from "./sized.ts";

/** Shapes that are turned about the vertical. */

const SphereSchema = v.object({ kind: v.literal("sphere"), size: SizeSchema });
const CylinderSchema = v.object({ kind: v.literal("cylinder"), size: SizeSchema, bevel: BevelSchema });
const ConeSchema = v.object({ kind: v.literal("cone"), size: SizeSchema, top: Share });
const TorusSchema = v.object({ kind: v.literal("torus"), size: SizeSchema });
const CapsuleSchema = v.object({ kind: v.literal("capsule"), diameter: Positive, height: Positive });

type Sphere = v.InferOutput<typeof SphereSchema>;
type Cylinder = v.InferOutput<typeof CylinderSchema>;
type Cone = v.InferOutput<typeof ConeSchema>;
type Torus = v.InferOutput<typeof TorusSchema>;
type Capsule = v.InferOutput<typeof CapsuleSchema>;

const ROWS = 48;
const EDGE = 6;

const ball = (): Profile =>
  Array.from({ length: ROWS + 1 }, (_, i) => {
    const angle = (i / ROWS) * Math.PI - Math.PI / 2;
    return [0.5 * Math.cos(angle), 0.5 + 0.5 * Math.sin(angle), Math.cos(angle), Math.sin(angle)];
  });

export const sphere: ShapeKind<Sphere> = {
  title: "sphere",
  icon: "pi-circle-fill",
  schema: SphereSchema,
  start: () => ({ kind: "sphere", size: [0.4, 0.4, 0.4] }),
  mesh: ({ size }) => stretched(revolve(ball()), size),
  fields: (shape) => sizeFields(shape),
};

function drum(radius: number, height: number, bevel: number): Profile {
  const b = Math.min(bevel, radius, height / 2);
  const edges: Profile =
    b > 0
      ? [...arc(radius - b, b, b, -90, 0, EDGE), ...arc(radius - b, height - b, b, 0, 90, EDGE)]
      : [
          [radius, 0, 0, -1],
          [radius, 0, 1, 0],
          [radius, height, 1, 0],
          [radius, height, 0, 1],
        ];
  return [[0, 0, 0, -1], ...edges, [0, height, 0, 1]];
}

export const cylinder: ShapeKind<Cylinder> = {
  title: "cylinder",
  icon: "pi-database",
  schema: CylinderSchema,
  start: () => ({ kind: "cylinder", size: [0.4, 0.4, 0.6], bevel: 0.005 }),
  mesh: ({ size, bevel }) => stretched(revolve(drum(size[0] / 2, size[2], bevel)), [1, size[1] / size[0], 1]),
  fields: (shape) => [...sizeFields(shape), bevelField(shape)],
};

/** The normal of a cone's side has the slope of the side, turned. */
function coneProfile(radius: number, top: number, height: number): Profile {
  const l = Math.hypot(height, radius - top);
  const [nr, nz] = [height / l, (radius - top) / l];
  const rows: Profile = Array.from({ length: 13 }, (_, i) => {
    const s = i / 12;
    return [radius + (top - radius) * s, height * s, nr, nz];
  });
  return [[0, 0, 0, -1], [radius, 0, 0, -1], ...rows, [top, height, 0, 1], [0, height, 0, 1]];
}

export const cone: ShapeKind<Cone> = {
  title: "cone",
  icon: "pi-caret-up",
  schema: ConeSchema,
  start: () => ({ kind: "cone", size: [0.3, 0.3, 0.5], top: 0 }),
  mesh: ({ size, top }) =>
    stretched(revolve(coneProfile(size[0] / 2, (top * size[0]) / 2, size[2])), [1, size[1] / size[0], 1]),
  fields: (shape) => [
    ...sizeFields(shape),
    { key: "top", label: "top", unit: "factor", value: shape.top, least: 0, most: 1, put: (s, x) => (s.top = x) },
  ],
};

export const torus: ShapeKind<Torus> = {
  title: "torus",
  icon: "pi-circle",
  schema: TorusSchema,
  start: () => ({ kind: "torus", size: [0.7, 0.7, 0.12] }),
  mesh: ({ size }) => {
    const tube = Math.min(size[2], size[0]) / 2;
    // The tube's ring, from below outwards and back; never through the middle.
    const profile = arc(Math.max(tube, size[0] / 2 - tube), tube, tube, -90, 270, ROWS);
    return stretched(revolve(profile), [1, size[1] / size[0], size[2] / (2 * tube)]);
  },
  fields: (shape) => sizeFields(shape),
};

export const capsule: ShapeKind<Capsule> = {
  title: "capsule",
  icon: "pi-minus-circle",
  schema: CapsuleSchema,
  start: () => ({ kind: "capsule", diameter: 0.3, height: 0.9 }),
  mesh: ({ diameter, height }) => {
    const r = diameter / 2;
    const tall = Math.max(height, diameter);
    return revolve([...arc(0, r, r, -90, 0, ROWS / 2), ...arc(0, tall - r, r, 0, 90, ROWS / 2)]);
  },
  fields: (shape) => [
    {
      key: "diameter",
      label: "diameter",
      unit: "length",
      value: shape.diameter,
      least: 1e-4,
      put: (s, x) => (s.diameter = x),
    },
    { key: "height", label: "height", unit: "length", value: shape.height, least: 1e-4, put: (s, x) => (s.height = x) },
  ],
};
