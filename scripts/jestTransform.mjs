// Jest runs modules in a context of its own, in which each read of a global is a call into the host: numeric code that
// says Math in its innermost loop runs a hundred times slower. Each module gets the globals it names as variables.
import { createTransformer } from "@swc/jest";

const GLOBALS = [
  "ArrayBuffer",
  "Array",
  "Atomics",
  "BigInt",
  "DataView",
  "Float32Array",
  "Float64Array",
  "Infinity",
  "Int32Array",
  "Map",
  "Math",
  "NaN",
  "Number",
  "Object",
  "Set",
  "Uint16Array",
  "Uint32Array",
  "Uint8Array",
  "Uint8ClampedArray",
];

const swc = createTransformer({
  jsc: { parser: { syntax: "typescript" }, target: "es2022" },
  module: { type: "es6" },
});

/** In the first line, so that lines in messages stay those of the file. */
function withGlobals(code) {
  const named = GLOBALS.filter((name) => new RegExp(`(?<![.\\w$])${name}\\b`).test(code));
  return named.length > 0 ? `const { ${named.join(", ")} } = globalThis; ${code}` : code;
}

const passed = (result) => ({ ...result, code: withGlobals(result.code) });

export default {
  ...swc,
  getCacheKey: (...args) => `${swc.getCacheKey(...args)} ${GLOBALS}`,
  process: (...args) => passed(swc.process(...args)),
  processAsync: async (...args) => passed(await swc.processAsync(...args)),
};
