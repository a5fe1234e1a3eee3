import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: { chunkSizeWarningLimit: 700 }, // a chunk a view, and what they share
  server: { proxy: { "/api": "http://127.0.0.1:4180" } },
  // Patience for a machine that does other things beside: no test asserts how long anything took.
  test: { maxWorkers: "100%", setupFiles: "src/testing/setup.ts", restoreMocks: true, testTimeout: 30_000 },
});
