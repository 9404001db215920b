import type { GenericSchema } from "valibot";
import type { Mesh } from "../model.ts";

/** A number of a shape that can be typed. */
export interface ShapeField<S> {
  key: string;
  label: string;
  unit: "length" | "count" | "factor";
  value: number;
  least: number;
  most?: number;
  put: (shape: S, value: number) => void;
}

/** A shape that is made here, in metres, standing on z = 0 with its middle over the origin. A shape's own file has all of it. */
export interface ShapeKind<S> {
  title: string;
  icon: string;
  schema: GenericSchema<unknown, S>;
  /** As it is added: of everyday size. */
  start: () => S;
  mesh: (shape: S) => Mesh;
  fields: (shape: S) => ShapeField<S>[];
}
