import * as v from "valibot";
import type { PixelWay } from "./fields.ts";

/** How many times more pixels there are along each way. */
export type PixelScale = Record<PixelWay, number>;

type Schema = v.GenericSchema & {
  pipe?: readonly (v.GenericSchema | { kind: string; type: string; requirement?: unknown; metadata?: object })[];
  wrapped?: Schema;
  item?: Schema;
  items?: readonly Schema[];
  entries?: Record<string, Schema>;
  key?: Schema;
  value?: Schema;
  options?: readonly Schema[];
};

/** What the steps of a pipe, and of pipes within it, say of a number: the way that it counts pixels along, and its bounds. */
function saidOf(schema: Schema): { way?: PixelWay; least: number; most: number } {
  const said: { way?: PixelWay; least: number; most: number } = { least: -Infinity, most: Infinity };
  for (const step of schema.pipe ?? []) {
    if (step.kind === "schema") {
      if (step === schema || !("pipe" in step)) continue;
      const inner = saidOf(step as Schema);
      said.way ??= inner.way;
      said.least = Math.max(said.least, inner.least);
      said.most = Math.min(said.most, inner.most);
    } else if ("requirement" in step && typeof step.requirement === "number") {
      if (step.type === "min_value") said.least = Math.max(said.least, step.requirement);
      if (step.type === "max_value") said.most = Math.min(said.most, step.requirement);
    } else if ("metadata" in step && step.metadata && "pixels" in step.metadata)
      said.way = step.metadata.pixels as PixelWay;
  }
  return said;
}

/**
 * A value of a schema in which every number that counts pixels (`inPixels`) counts `scale` times as many, within its bounds;
 * everything else is as it was.
 */
export function perPixel(schema: v.GenericSchema, value: unknown, scale: PixelScale): unknown {
  if (value === null || value === undefined) return value;
  const { wrapped, item, items, entries, value: each, options, pipe } = schema as Schema;
  if (wrapped) return perPixel(wrapped, value, scale);
  if (typeof value === "number") {
    const { way, least, most } = saidOf(schema as Schema);
    return way ? Math.min(most, Math.max(least, value * scale[way])) : value;
  }
  if (typeof value !== "object") return value;
  if (options) {
    const option = options.find((o) => v.is(o, value));
    return option ? perPixel(option, value, scale) : value;
  }
  if (Array.isArray(value)) {
    if (items) return value.map((x, i) => perPixel(items[i], x, scale));
    return item ? value.map((x) => perPixel(item, x, scale)) : value;
  }
  if (entries || each) {
    const of = (key: string): Schema | undefined => entries?.[key] ?? each;
    return Object.fromEntries(
      Object.entries(value).map(([key, x]) => {
        const inner = of(key);
        return [key, inner ? perPixel(inner, x, scale) : x];
      }),
    );
  }
  // A pipe about another pipe: the inner one knows its entries.
  const first = pipe?.[0];
  return first && first !== schema && first.kind === "schema" ? perPixel(first as Schema, value, scale) : value;
}
