/** Writes src/api/facts.gen.ts and src/colors.gen.css: figures and colors that have their home in Python, out of the OpenAPI document. */

import { readFileSync, writeFileSync } from "node:fs";

const document = JSON.parse(readFileSync("../docs/openapi.json", "utf8"));
const lines = Object.entries(document["x-facts"]).map(
  ([name, value]) =>
    // Labels are texts of the server.
    name.endsWith("_LABELS")
      ? `export const ${name} = fromServer({ label: ${JSON.stringify(value)} as const }).label;`
      : `export const ${name} = ${JSON.stringify(value)} as const;`,
);
lines.unshift('import { fromServer } from "../text/text";', "");
writeFileSync("src/api/facts.gen.ts", `/** Made by facts.mjs. */\n\n${lines.join("\n")}\n`);

const block = (selector, colors, scheme) =>
  `${selector} {\n${Object.entries(colors)
    .map(([name, value]) => `  --${name}: ${value};\n`)
    .join("")}  color-scheme: ${scheme};\n}\n`;
const { dusk, daylight } = document["x-colors"];
writeFileSync(
  "src/colors.gen.css",
  `/* Made by facts.mjs. */\n${block(":root", dusk, "dark")}\n${block('[data-theme="daylight"]', daylight, "light")}`,
);
