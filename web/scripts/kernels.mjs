/** Compiles the kernels, and writes them as a text that the engine imports: a page that goes alone loads nothing. */
import { writeFile } from "node:fs/promises";
import { fileURLToPath } from "node:url";
import asc from "assemblyscript/asc";

const at = (path) => fileURLToPath(new URL(path, import.meta.url));
let compiled;
const { error, stderr } = await asc.main(
  [
    at("../kernels/kernels.ts"),
    "--outFile",
    "kernels.wasm",
    "--runtime",
    "stub",
    "--enable",
    "simd",
    "-O3",
    "--noAssert",
    "--use",
    "abort=",
  ],
  {
    writeFile: (_name, content) => {
      compiled = content;
    },
  },
);
if (error) {
  console.error(String(stderr ?? error));
  process.exit(1);
}
const text = Buffer.from(compiled).toString("base64");
await writeFile(
  at("../src/engine/kernels.made.ts"),
  `/** Made by scripts/kernels.mjs of kernels/kernels.ts. */\nexport const KERNELS =\n  "${text}";\n`,
);
console.log(`kernels: ${compiled.length} bytes`);
