import tailwindcss from "@tailwindcss/vite";
import react from "@vitejs/plugin-react";
import license from "rollup-plugin-license";
import { appendFileSync, readdirSync, readFileSync } from "node:fs";
import { defineConfig } from "vitest/config";

const PAGE = "../goshawk/page";

/** Fonts come with the styles, of which the other plugin does not know. */
const fontLicences = {
  name: "font-licences",
  closeBundle() {
    const fonts = "node_modules/@fontsource-variable";
    for (const name of readdirSync(fonts)) {
      const text = readFileSync(`${fonts}/${name}/LICENSE`, "utf8");
      appendFileSync(
        `${PAGE}/licences.txt`,
        `\n---\n\nName: ${name} (font)\nLicense Text:\n===\n\n${text}\n`,
      );
    }
  },
};

export default defineConfig({
  // The page is part of the Python package, which ships it.
  build: {
    outDir: PAGE,
    emptyOutDir: true,
    rollupOptions: {
      input: ["index.html", "listen.html", "small.html"],
      plugins: [
        license({
          thirdParty: { includeSelf: false, output: { file: `${PAGE}/licences.txt` } },
        }),
      ],
    },
  },
  plugins: [react(), tailwindcss(), fontLicences],
  // A busy machine is slow, which is no fault.
  test: { testTimeout: 60_000, isolate: false, pool: "threads" },
  server: {
    fs: { allow: [".."] },
    proxy: { "/api": { target: "http://127.0.0.1:8610", ws: true } },
  },
});
