/** What Node is started with to import the project's TypeScript, in processes of their own. */
export const IMPORT_TYPESCRIPT = ["--import", new URL("../../scripts/typescript.mjs", import.meta.url).href];
