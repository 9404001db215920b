import path from "node:path";
import { createApp } from "./app.ts";
import { AssetStore } from "./assets.ts";
import { lockDataFolder } from "./dataFolder.ts";
import { openDatabase } from "./db/open.ts";
import { seedDemo } from "./demo.ts";
import { FinalQueue } from "./finals.ts";

/** Starts the server: HARBOR_DATA (default ./data), HARBOR_PORT (4680), HARBOR_HOST (127.0.0.1), HARBOR_DEMO=0 for no demo. */
async function main(): Promise<void> {
  const folder = path.resolve(process.env.HARBOR_DATA ?? "data");
  const port = Number(process.env.HARBOR_PORT ?? 4680);
  const host = process.env.HARBOR_HOST ?? "127.0.0.1";
  if (!["127.0.0.1", "localhost", "::1"].includes(host)) {
    throw new Error("HARBOR_HOST must be a loopback address: other machines are not let in yet.");
  }
  const unlock = lockDataFolder(folder);
  process.on("exit", unlock);
  const { db, close } = await openDatabase(folder);
  const assets = new AssetStore(path.join(folder, "assets"));
  if (process.env.HARBOR_DEMO !== "0") await seedDemo(db, assets);
  const finals = new FinalQueue(db, assets, path.join(folder, "finals"));
  await finals.resume();
  const server = createApp({ db, assets, finals }).listen(port, host, (error) => {
    if (error) {
      console.error(`Port ${port} cannot be used (${error.message}). Set HARBOR_PORT to another one.`);
      process.exit(1);
    }
    console.log(`Red Harbor is at http://${host}:${port}/ (data in ${folder})`);
  });
  const stop = async () => {
    server.close();
    await finals.close();
    await close();
    process.exit(0);
  };
  process.on("SIGINT", () => void stop());
  process.on("SIGTERM", () => void stop());
}

main().catch((error: unknown) => {
  console.error((error as Error).message);
  process.exit(1);
});
