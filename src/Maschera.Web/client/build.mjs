// Builds scripts, styles and fonts into wwwroot; nothing is fetched when a page is shown.
import { build } from "esbuild";
import { execFileSync } from "node:child_process";
import { cpSync, mkdirSync, rmSync } from "node:fs";
import { dirname, join } from "node:path";
import { fileURLToPath } from "node:url";

const here = dirname(fileURLToPath(import.meta.url));
const out = join(here, "..", "wwwroot");
const fonts = {
  archivo: "archivo-latin-standard-normal.woff2",
  "spline-sans-mono": "spline-sans-mono-latin-wght-normal.woff2",
};

rmSync(out, { recursive: true, force: true });
mkdirSync(join(out, "fonts"), { recursive: true });
for (const [name, file] of Object.entries(fonts))
  cpSync(join(here, "node_modules/@fontsource-variable", name, "files", file), join(out, "fonts", `${name}.woff2`));
cpSync(join(here, "mark.svg"), join(out, "mark.svg"));
await build({
  entryPoints: {
    site: join(here, "site.ts"),
    bench: join(here, "bench/main.ts"),
    live: join(here, "live/main.ts"),
    listen: join(here, "listen/main.ts"),
    rig: join(here, "rig.ts"),
    passkey: join(here, "passkey.ts"),
    worklet: join(here, "listen/worklet.ts"),
  },
  outdir: out,
  bundle: true,
  minify: true,
  sourcemap: false,
  format: "iife",
  target: "es2022",
});
execFileSync(
  process.execPath,
  [join(here, "node_modules/@tailwindcss/cli/dist/index.mjs"), "-i", join(here, "site.css"), "-o", join(out, "site.css"), "--minify"],
  { cwd: here, stdio: "inherit" },
);
