import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

// The service serves what is built here; while developing, Vite passes API calls on to it.
export default defineConfig({
  plugins: [react()],
  // Addresses relative to the page's <base>, which the service sets: it may be reached under any path.
  base: "./",
  build: { outDir: "../src/fenland/web/console", emptyOutDir: true, chunkSizeWarningLimit: 900 },
  test: { env: { TZ: "Europe/London" } },
  server: { proxy: { "/v1": "http://127.0.0.1:8460", "/healthz": "http://127.0.0.1:8460" } },
});
