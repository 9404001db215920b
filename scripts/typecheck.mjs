// Types of core (no DOM, no Node), of Node's side, and of the web application.
import { bin, run } from "./ensure.mjs";

run(bin("tsc"), ["-p", "tsconfig.core.json"]);
run(bin("tsc"), ["-p", "tsconfig.node.json"]);
run(bin("vue-tsc"), ["-p", "tsconfig.web.json"]);
