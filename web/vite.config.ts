import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { assetsInlineLimit: 0, outDir: "../internal/web/dist", emptyOutDir: true, chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": { target: "http://127.0.0.1:7420", ws: true } } },
  // Only what is drawn needs a page, and says so in its first line: making one for each file takes most of the time.
  test: {
    environment: "node",
    include: process.env.LOOM_TESTS ? process.env.LOOM_TESTS.split(",") : ["src/**/*.test.{ts,tsx}"],
    isolate: !process.env.LOOM_ROOT,
  },
});
