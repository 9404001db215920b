import * as v from "valibot";
import { ColourSchema, NotNegative, Share } from "../../schema/fields.ts";
import { linearToLab } from "../../colour/difference.ts";
import { linearToSrgb, luminance as light } from "../../colour/srgb.ts";
import type { ShapeKind } from "./shape.ts";
import { smoothstep } from "./shape.ts";

/** What on the plate has one of some colours. */
const colourSchema = v.object({
  kind: v.literal("colour"),
  /** Linear light of the plate. */
  colours: v.pipe(v.array(ColourSchema), v.maxLength(32)),
  /** Distance in CIE L*a*b* (1976) that still counts wholly, and over which it fades beyond that. */
  within: v.pipe(NotNegative, v.maxValue(200)),
  soft: v.pipe(NotNegative, v.maxValue(200)),
});
export type ColourShape = v.InferOutput<typeof colourSchema>;

export const colour: ShapeKind<ColourShape> = {
  schema: colourSchema,
  label: "Colour",
  fresh: () => ({ kind: "colour", colours: [], within: 8, soft: 8 }),
  cover: ({ colours, within, soft }, { width, height, plate }) => {
    const out = new Float32Array(width * height);
    const labs = colours.map((c) => linearToLab(c[0], c[1], c[2]));
    if (labs.length === 0) return out;
    for (let i = 0; i < out.length; i++) {
      const lab = linearToLab(plate[i * 3], plate[i * 3 + 1], plate[i * 3 + 2]);
      let nearest = Infinity;
      for (const own of labs)
        nearest = Math.min(nearest, Math.hypot(lab[0] - own[0], lab[1] - own[1], lab[2] - own[2]));
      out[i] = 1 - smoothstep(within, within + Math.max(1e-3, soft), nearest);
    }
    return out;
  },
};

/** What on the plate is so bright, as code values (sRGB) of 0 to 1. */
const luminanceSchema = v.object({ kind: v.literal("luminance"), low: Share, high: Share, soft: Share });
export type LuminanceShape = v.InferOutput<typeof luminanceSchema>;

export const luminance: ShapeKind<LuminanceShape> = {
  schema: luminanceSchema,
  label: "Luminance",
  fresh: () => ({ kind: "luminance", low: 0.6, high: 1, soft: 0.1 }),
  cover: ({ low, high, soft }, { width, height, plate }) => {
    const out = new Float32Array(width * height);
    const fade = Math.max(1e-4, soft);
    for (let i = 0; i < out.length; i++) {
      const code = linearToSrgb(light(plate[i * 3], plate[i * 3 + 1], plate[i * 3 + 2]));
      const below = high >= 1 ? 1 : 1 - smoothstep(high, high + fade, code);
      out[i] = (low <= 0 ? 1 : smoothstep(low - fade, low, code)) * below;
    }
    return out;
  },
};
