import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { assetsInlineLimit: 0, outDir: "../internal/web/dist", emptyOutDir: true, chunkSizeWarningLimit: 900 },
  server: { proxy: { "/api": { target: "http://127.0.0.1:7420", ws: true } } },
  test: { environment: "jsdom", include: ["src/**/*.test.{ts,tsx}"] },
});
