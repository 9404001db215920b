/** What Node is started with to import the project's TypeScript, in processes of their own. */
export const IMPORT_TYPESCRIPT = ["--import", new URL("../../scripts/typescript.mjs", import.meta.url).href];

/** The same for those that hold whole pictures: little is left lying before it is collected. */
export const HEAVY_PROCESS = ["--expose-gc", "--max-semi-space-size=4", ...IMPORT_TYPESCRIPT];
