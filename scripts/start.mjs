// npm start: installs what is missing, builds, and serves.
import { fork } from "node:child_process";
import path from "node:path";
import { ensurePackages, root, run } from "./ensure.mjs";

ensurePackages();
run(process.execPath, ["scripts/build.mjs"]);
// The channel between the two closes with this process, however it ends: the server then stops, too.
const server = fork(path.join(root, "src/server/main.ts"), {
  cwd: root,
  execArgv: ["--import", "./scripts/typescript.mjs"],
});
for (const signal of ["SIGINT", "SIGTERM", "SIGHUP"]) process.on(signal, () => server.kill(signal));
server.on("exit", (code) => process.exit(code ?? 1));
// npm runs this in a shell: when that is killed, nobody could stop the server by its terminal any more.
if (process.env.npm_lifecycle_event) {
  const parent = process.ppid;
  setInterval(() => process.ppid !== parent && server.kill("SIGTERM"), 1000).unref();
}
