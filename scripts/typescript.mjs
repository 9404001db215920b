// Lets Node import the project's TypeScript: node --import ./scripts/typescript.mjs src/server/main.ts
import { register } from "node:module";

process.setSourceMapsEnabled(true);
register("./typescriptHooks.mjs", import.meta.url);
