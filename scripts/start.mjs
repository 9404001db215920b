// npm start: installs what is missing, builds, and serves.
import { bin, ensurePackages, run } from "./ensure.mjs";

ensurePackages();
run(process.execPath, ["scripts/build.mjs"]);
run(bin("tsx"), ["src/server/main.ts"]);
