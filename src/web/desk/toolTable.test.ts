import { expect, test } from "@jest/globals";
import { TOOLS, toolOfKey } from "./toolTable.ts";

test("a key takes up one tool of its step, and no tool is out of its key's reach", () => {
  for (const [tool, { step, key }] of TOOLS) if (key) expect([key, toolOfKey(step, key)]).toEqual([key, tool]);
});
