// npm test: installs what is missing, then lint, types, unit tests and interface tests.
import { bin, ensureChromium, ensurePackages, ensurePhotographs, run } from "./ensure.mjs";

ensurePackages();
ensureChromium();
ensurePhotographs();
run(process.execPath, ["scripts/build.mjs"]);
run(bin("eslint"), ["."]);
run(bin("prettier"), ["--check", "."]);
run(process.execPath, ["scripts/typecheck.mjs"]);
run(bin("jest"), [], { NODE_OPTIONS: "--experimental-vm-modules --no-warnings" });
run(bin("playwright"), ["test"]);
