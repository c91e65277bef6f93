// Makes the pictures in docs/screenshots from a running demo: node shoot.mjs http://127.0.0.1:5080 OUTDIR
import { chromium } from "@playwright/test";
const [base, out] = process.argv.slice(2);
const browser = await chromium.launch({ executablePath: "/usr/bin/chromium", args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking", "--disable-component-update", "--disable-sync"] });
const views = [
  ["jobs", "/"], ["job", "/jobs/1"], ["bench", "/bench/1"], ["report", "/jobs/1/report"], ["engine", "/engines/2"], ["rig", "/rig"],
];
for (const [name, path] of views) {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(base + path);
  if (name === "bench") await page.waitForSelector("#bench[data-drawn]:not([aria-busy])");
  await page.screenshot({ path: `${out}/${name}.png` });
  await page.close();
}
await browser.close();
