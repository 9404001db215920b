import { fileURLToPath } from "node:url";
import vue from "@vitejs/plugin-vue";
import { defineConfig } from "vite";

export default defineConfig({
  root: fileURLToPath(new URL("src/web", import.meta.url)),
  plugins: [vue()],
  build: {
    outDir: fileURLToPath(new URL("dist/web", import.meta.url)),
    emptyOutDir: true,
    target: "es2022",
    assetsInlineLimit: 0,
    chunkSizeWarningLimit: 2000,
  },
  worker: { format: "es" },
});
