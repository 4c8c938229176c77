// Builds the styles, scripts and fonts that crates/web embeds: npm ci && npm run build.
import { execFileSync } from "node:child_process";
import { copyFileSync, mkdirSync } from "node:fs";
import { build } from "esbuild";

const out = "../crates/web/assets";
mkdirSync(out, { recursive: true });

await build({
  entryPoints: { app: "src/app.ts", theme: "src/theme.ts" },
  outdir: out,
  bundle: true,
  minify: true,
  target: "es2022",
  legalComments: "none",
});

execFileSync("node_modules/.bin/tailwindcss", ["-i", "src/app.css", "-o", `${out}/app.css`, "--minify"], { stdio: "inherit" });

for (const weight of [400, 700]) {
  const file = `b612-latin-${weight}-normal.woff2`;
  copyFileSync(`node_modules/@fontsource/b612/files/${file}`, `${out}/${file}`);
}

copyFileSync("src/icon.svg", `${out}/icon.svg`);
copyFileSync("node_modules/@fontsource/b612/LICENSE", `${out}/b612-LICENSE.txt`);
