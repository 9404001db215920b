// Builds the tracer's module, its thread, and the web application.
import { buildKernel } from "./build-kernel.mjs";
import { bin, ensurePackages, run } from "./ensure.mjs";

ensurePackages();
await buildKernel();
run(bin("vite"), ["build"]);
