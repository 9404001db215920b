// Each module is transformed as it is imported. Functions do not keep their names (as general loaders make them do, by a call
// for each that is made): in loops over pixels that took as long as the work itself.
import { readFile } from "node:fs/promises";
import { fileURLToPath } from "node:url";
import { transform } from "esbuild";

export async function load(url, context, next) {
  if (!url.endsWith(".ts")) return next(url, context);
  const file = fileURLToPath(url);
  const { code } = await transform(await readFile(file, "utf8"), {
    loader: "ts",
    format: "esm",
    target: "node20",
    sourcefile: file,
    sourcemap: "inline",
  });
  return { format: "module", source: code, shortCircuit: true };
}
