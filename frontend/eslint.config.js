import js from "@eslint/js";
import hooks from "eslint-plugin-react-hooks";
import ts from "typescript-eslint";

const TASKS = ["wiring", "soundcheck", "chain", "balance", "record", "watch"];

/** No folder knows what stands above it, and no task knows another. */
const directions = (folders, forbidden) => ({
  files: folders.map((folder) => `src/${folder}/**`),
  rules: {
    "no-restricted-imports": [
      "error",
      {
        patterns: forbidden.map((folder) => ({
          group: [`**/${folder}/*`],
          message: "What both need belongs into pictures/, live/ or ui/.",
        })),
      },
    ],
  },
});

export default ts.config(
  js.configs.recommended,
  ts.configs.strict,
  hooks.configs.flat.recommended,
  { ignores: ["src/api/schema.gen.ts"] },
  ...TASKS.map((task) => directions([task], [...TASKS.filter((other) => other !== task), "shell"])),
  directions(
    ["levelpath", "listen", "small", "pictures", "live", "ui", "units", "api"],
    [...TASKS, "shell"],
  ),
);
