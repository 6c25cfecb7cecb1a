import { brotliCompressSync } from "node:zlib";
import { readFileSync, readdirSync, writeFileSync } from "node:fs";
import { join } from "node:path";
import react from "@vitejs/plugin-react";
import type { Plugin } from "vite";
import { defineConfig } from "vitest/config";

/** Writes a brotli file beside every asset, so that the server never compresses while somebody waits. */
function precompress(): Plugin {
  return {
    name: "precompress",
    apply: "build",
    closeBundle() {
      const folder = join(import.meta.dirname, "dist", "assets");
      for (const name of readdirSync(folder)) {
        if (/\.(js|css|svg)$/.test(name)) writeFileSync(join(folder, `${name}.br`), brotliCompressSync(readFileSync(join(folder, name))));
      }
    },
  };
}

export default defineConfig({
  plugins: [react(), precompress()],
  test: { setupFiles: ["src/testWords.ts"] },
  build: { chunkSizeWarningLimit: 900, assetsInlineLimit: 0 },
});
