/** Writes src/api/facts.gen.ts: figures that have their home in the server's rules, out of the OpenAPI document. */

import { readFileSync, writeFileSync } from "node:fs";

const { "x-facts": facts } = JSON.parse(readFileSync("../docs/openapi.json", "utf8"));
const lines = Object.entries(facts).map(
  ([name, value]) => `export const ${name} = ${JSON.stringify(value)} as const;`,
);
writeFileSync("src/api/facts.gen.ts", `/** Made by facts.mjs. */\n\n${lines.join("\n")}\n`);
