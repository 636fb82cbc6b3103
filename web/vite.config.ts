import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { defineConfig } from "vitest/config";

export default defineConfig({
  plugins: [react(), tailwindcss()],
  build: {
    // Nothing as data in the text: the page may only load what lies beside it.
    assetsInlineLimit: 0,
    chunkSizeWarningLimit: 900,
  },
  test: { include: ["tests/**/*.test.ts"] },
});
