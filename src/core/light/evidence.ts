import * as v from "valibot";
import { Finite } from "../schema/fields.ts";

/** As how many a piece of evidence counts, beside what is known of its exactness. */
export const WeightSchema = v.optional(
  v.pipe(Finite, v.minValue(0.1, "must be 0.1 or more"), v.maxValue(10, "must be 10 or less")),
);
