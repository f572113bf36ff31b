import react from "@vitejs/plugin-react";
import { defineConfig } from "vite";

// The service serves what is built here; while developing, Vite passes API calls on to it.
export default defineConfig({
  plugins: [react()],
  build: { outDir: "../src/fenland/web/console", emptyOutDir: true, chunkSizeWarningLimit: 900 },
  server: { proxy: { "/v1": "http://127.0.0.1:8460", "/healthz": "http://127.0.0.1:8460" } },
});
