// Bundles the tests of the client's pure functions and runs them with node's own runner.
import { build } from "esbuild";
import { execFileSync } from "node:child_process";
import { mkdtempSync, readdirSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";

const tests = join(dirname(fileURLToPath(import.meta.url)), "../../../tests/client");
const outdir = mkdtempSync(join(tmpdir(), "maschera-client-"));
try {
  const entryPoints = readdirSync(tests)
    .filter((name) => name.endsWith(".test.ts"))
    .map((name) => join(tests, name));
  await build({ entryPoints, outdir, bundle: true, platform: "node", format: "esm", outExtension: { ".js": ".mjs" } });
  const files = readdirSync(outdir).map((name) => join(outdir, name));
  execFileSync(process.execPath, ["--test", "--test-reporter=tap", ...files], { stdio: "inherit" });
} catch (error) {
  process.exitCode = error.status ?? 1;
} finally {
  rmSync(outdir, { recursive: true, force: true });
}
