import js from "@eslint/js";
import prettier from "eslint-config-prettier";
import vue from "eslint-plugin-vue";
import globals from "globals";
import ts from "typescript-eslint";

/** Layers and what each may import (docs/design.md section 4): web, server and cli stand on node and core, core on the kernel's layout. */
const layer = (name, forbidden) => ({
  files: [`src/${name}/**/*.ts`, `src/${name}/**/*.vue`],
  ignores: ["**/*.test.ts"],
  rules: {
    "no-restricted-imports": [
      "error",
      {
        patterns: forbidden.map((other) => ({
          group: [`**/${other}/**`, `#${other}/*`, `**/${other}`],
          message: `src/${name} must not depend on ${other}.`,
        })),
      },
    ],
  },
});

/** Folders of core, each standing on those before it only: no circles (docs/design.md section 4). */
const CORE = [
  "math",
  "text",
  "colour",
  "units",
  "schema",
  "image",
  "optics",
  "plate",
  "notes",
  "props",
  "trace",
  "contact",
  "detect",
  "set",
  "light",
  "match",
  "comp",
  "exchange",
  "render",
  "handover",
  "shot",
  "sit",
];
const coreOrder = CORE.map((name, i) => ({
  files: [`src/core/${name}/**/*.ts`],
  ignores: ["**/*.test.ts"],
  rules: {
    "no-restricted-imports": [
      "error",
      {
        patterns: [
          ...["node", "server", "web", "cli", "demo", "testing", "node:"].map((other) => ({
            group: [`**/${other}/**`, `#${other}/*`, `**/${other}`],
            message: `src/core must not depend on ${other}.`,
          })),
          ...CORE.slice(i + 1).map((other) => ({
            group: [`../${other}/*`, `../../${other}/*`, `#core/${other}/*`],
            message: `core/${name} must not depend on core/${other}, which stands on it.`,
          })),
        ],
      },
    ],
  },
}));

export default ts.config(
  {
    ignores: [
      "dist",
      "build",
      "node_modules",
      "data",
      "src/kernel/**",
      "demo",
      "drizzle",
      "test-results",
      "playwright-report",
    ],
  },
  js.configs.recommended,
  ...ts.configs.recommended,
  ...vue.configs["flat/recommended"],
  { files: ["**/*.vue"], languageOptions: { parserOptions: { parser: ts.parser } } },
  { files: ["src/web/**"], languageOptions: { globals: globals.browser } },
  { files: ["scripts/**", "*.config.*"], languageOptions: { globals: globals.node } },
  {
    rules: {
      "@typescript-eslint/no-unused-vars": ["error", { argsIgnorePattern: "^_" }],
      "vue/multi-word-component-names": "off",
      "no-console": "off",
    },
  },
  ...coreOrder,
  layer("node", ["server", "web", "cli", "demo", "testing"]),
  layer("server", ["web", "cli", "testing"]),
  layer("cli", ["web", "server", "testing"]),
  layer("web", ["node", "server", "cli", "demo", "testing"]),
  {
    files: ["src/core/**/*.ts"],
    ignores: ["**/*.test.ts"],
    rules: { "no-restricted-globals": ["error", "window", "document", "process", "performance", "fetch"] },
  },
  prettier,
);
