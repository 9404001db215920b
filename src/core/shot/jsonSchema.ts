import { toJsonSchema } from "@valibot/to-json-schema";
import { ShotSchema } from "./schema.ts";

/** JSON Schema of the shot document, for others' programs. */
export const shotJsonSchema = (): object => ({
  title: "Red Harbor shot",
  ...toJsonSchema(ShotSchema, { errorMode: "ignore" }),
});
