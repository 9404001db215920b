import * as v from "valibot";
import type { Mesh } from "../model.ts";
import { box } from "./box.ts";
import type { ShapeKind } from "./kind.ts";
import { person } from "./person.ts";
import { plane } from "./plane.ts";
import { capsule, cone, cylinder, sphere, torus } from "./round.ts";
import { text } from "./text.ts";

/** Every shape that can be made. */
export const SHAPES = { box, sphere, cylinder, cone, torus, capsule, plane, text, person };
export type ShapeName = keyof typeof SHAPES;
export const SHAPE_NAMES = Object.keys(SHAPES) as ShapeName[];

/** A shape of any kind, by its own figures. */
export type Shape = { [K in ShapeName]: ReturnType<(typeof SHAPES)[K]["start"]> }[ShapeName];

export const ShapeSchema = v.variant(
  "kind",
  SHAPE_NAMES.map((name) => SHAPES[name].schema) as never,
) as unknown as v.GenericSchema<unknown, Shape>;

export const shapeKind = (shape: Shape): ShapeKind<Shape> => SHAPES[shape.kind] as unknown as ShapeKind<Shape>;

export const shapeMesh = (shape: Shape): Mesh => shapeKind(shape).mesh(shape);
