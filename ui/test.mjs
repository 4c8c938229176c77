// Bundles the unit tests and runs them with Node's own test runner.
import { build } from "esbuild";
import { readdirSync } from "node:fs";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { spawnSync } from "node:child_process";

const out = mkdtempSync(join(tmpdir(), "spare-hour-ui-"));
const tests = readdirSync("test").filter((name) => name.endsWith(".test.ts"));
await build({
  entryPoints: tests.map((name) => join("test", name)),
  outdir: out,
  outExtension: { ".js": ".mjs" },
  bundle: true,
  platform: "node",
  format: "esm",
});
const run = spawnSync(process.execPath, ["--test", ...tests.map((name) => join(out, name.replace(".ts", ".mjs")))], { stdio: "inherit" });
rmSync(out, { recursive: true });
process.exit(run.status ?? 1);
