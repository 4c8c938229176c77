// Builds the styles, scripts and fonts that crates/web embeds: npm ci && npm run build.
import { execFileSync } from "node:child_process";
import { copyFileSync, mkdirSync, readFileSync, writeFileSync } from "node:fs";
import { build } from "esbuild";
import { decompress } from "wawoff2";

const out = "../crates/web/assets";
const fonts = "../crates/web/fonts";
mkdirSync(out, { recursive: true });
mkdirSync(fonts, { recursive: true });

await build({
  entryPoints: { app: "src/app.ts", theme: "src/theme.ts", worker: "src/worker.ts" },
  outdir: out,
  bundle: true,
  minify: true,
  target: "es2022",
  legalComments: "none",
});

execFileSync("node_modules/.bin/tailwindcss", ["-i", "src/app.css", "-o", `${out}/app.css`, "--minify"], { stdio: "inherit" });

for (const weight of [400, 700]) {
  const file = `source-sans-3-latin-${weight}-normal.woff2`;
  copyFileSync(`node_modules/@fontsource/source-sans-3/files/${file}`, `${out}/${file}`);
  // The same face unpacked, for charts that the server draws as PNG.
  writeFileSync(`${fonts}/source-sans-3-${weight}.ttf`, await decompress(readFileSync(`${out}/${file}`)));
}

copyFileSync("src/icon.svg", `${out}/icon.svg`);
copyFileSync("node_modules/@fontsource/source-sans-3/LICENSE", `${out}/source-sans-3-LICENSE.txt`);
