// npm test: installs what is missing, then lint, types, unit tests and interface tests.
import { bin, ensureChromium, ensurePackages, ensurePhotographs, run, runTogether } from "./ensure.mjs";

ensurePackages();
ensureChromium();
ensurePhotographs();
run(process.execPath, ["scripts/build.mjs"]);
await runTogether([
  [process.execPath, "scripts/typecheck.mjs"],
  [bin("eslint"), "."],
  [bin("prettier"), "--check", "."],
]);
run(bin("jest"), [], { NODE_OPTIONS: "--experimental-vm-modules --no-warnings" });
run(bin("playwright"), ["test"]);
