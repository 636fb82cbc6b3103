/** Builds the program of the page that is handed over (two scripts and a style, which a model is put between), and of the visitors' page. */
import { fileURLToPath } from "node:url";
import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import { build } from "vite";

const at = (path) => fileURLToPath(new URL(path, import.meta.url));

for (const [name, entry] of [
  ["engine", "../src/engine/engine.ts"],
  ["page", "../src/page/main.tsx"],
  // For visitors of a model that is served, by the same style.
  ["visit", "../src/visit/main.tsx"],
]) {
  await build({
    configFile: false,
    root: at(".."),
    logLevel: "warn",
    plugins: [react(), tailwindcss()],
    define: { "process.env.NODE_ENV": '"production"' },
    build: {
      outDir: at("../dist/one-page"),
      emptyOutDir: name === "engine",
      // A script that is no module: those are not run from a disk by every browser.
      lib: { entry: at(entry), name, formats: ["iife"], fileName: () => `${name}.js`, cssFileName: name },
    },
  });
}
