// Makes the pictures in docs/screenshots from a running demo: node shoot.mjs http://127.0.0.1:5080 OUTDIR
import { chromium, expect } from "@playwright/test";
const [base, out] = process.argv.slice(2);
const browser = await chromium.launch({
  executablePath: "/usr/bin/chromium",
  args: [
    "--no-sandbox",
    "--disable-gpu",
    "--disable-quic",
    "--no-first-run",
    "--disable-background-networking",
    "--disable-component-update",
    "--disable-sync",
  ],
});
/** The bench with a caliper, a pin and the view on a few cycles. */
async function dressBench(page) {
  await page.goto(`${base}/bench/1?from=1.9&to=3.4`);
  await page.waitForSelector("#bench[data-drawn]:not([aria-busy])");
  const { x, y, width } = await page.locator(".u-over").first().boundingBox();
  await page.keyboard.press("m");
  await page.mouse.move(x + 0.27 * width, y + 60);
  await page.mouse.down();
  await page.mouse.move(x + 0.62 * width, y + 60, { steps: 4 });
  const kept = page.waitForResponse((r) => r.url().endsWith("/calipers"));
  await page.mouse.up();
  await kept;
  await page.waitForTimeout(600);
}
const views = [
  ["jobs", "/"],
  ["job", "/jobs/1"],
  ["bench", "/bench/1"],
  ["cam-timing", "/bench/7?from=0.5&to=0.62&axis=degrees"],
  ["cycle", "/bench/7"],
  ["log", "/bench/8?from=8&to=50"],
  ["pressure", "/bench/24?from=1&to=1.4&axis=degrees"],
  ["pulses", "/bench/22?from=1&to=2"],
  ["visits", "/vehicles/NB0519"],
  ["sheet", "/sheets/35"],
  ["quote", "/jobs/18/quote"],
  ["practice", "/practice"],
  ["look", "/jobs/7/look"],
  ["report", "/jobs/18/report"],
  ["engine", "/engines/2"],
  ["rig", "/rig?job=1"],
  ["shelf", "/shelf"],
];
for (const [name, path] of views) {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(base + path);
  if (name === "job" || name === "jobs") {
    await expect(page.getByText(/Weighing what is known|Putting the trail/)).toHaveCount(0, { timeout: 60_000 });
  }
  if (name === "bench") await dressBench(page);
  if (name === "cycle") {
    await page.waitForSelector("#bench[data-drawn]:not([aria-busy])");
    for (const key of ["0", "k", "c", "x"]) {
      await page.keyboard.press(key);
      await page.waitForTimeout(900);
    }
  }
  if (name === "practice") {
    await page.getByRole("button", { name: "Begin: Usual" }).click();
    for (const check of ["look", "codes", "relative-compression", "exhaust-pulses"]) {
      await page.locator(`button[name=check][value=${check}]`).click();
      await page.waitForLoadState();
    }
    await page.getByText("What Maschera makes of it").click();
  }
  if (name === "rig") {
    await page.locator('[data-part="cylinder-3"] .body').click();
    await page.locator(".part-panel:visible").getByText("Exhaust valve burnt").click();
  }
  if (name === "look") {
    await page.getByLabel("Misfiring cylinder").fill("3");
    await page.getByRole("button", { name: "Read codes and counters" }).click();
    await page.waitForTimeout(1200);
  }
  if (name === "log") {
    await page.waitForSelector("#bench[data-drawn]:not([aria-busy])");
    await page
      .locator("#bench .u-over")
      .nth(3)
      .hover({ position: { x: 300, y: 30 } });
    await page.waitForTimeout(500);
  }
  if (path.startsWith("/bench")) await page.waitForSelector("#bench[data-drawn]:not([aria-busy])");
  await page.screenshot({ path: `${out}/${name}.png` });
  await page.close();
}
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
await page.goto(base + "/jobs/2#captures");
const rows = Array.from(
  { length: 9000 },
  (_, i) => `${(i * 0.5).toFixed(1)};${(180 + 90 * Math.sin(i / 16)).toFixed(2).replace(".", ",")};12,4`,
);
await page.setInputFiles("input[name=file]", {
  name: "nebbiola-cranking.csv",
  mimeType: "text/csv",
  buffer: Buffer.from(["Zeit [ms];Starter current [A];Sync [V]", ...rows].join("\n") + "\n"),
});
await page.getByRole("button", { name: "Look it over" }).click();
await page.waitForURL(/imports/);
await page
  .getByRole("img", { name: /^From / })
  .first()
  .waitFor();
await page.screenshot({ path: `${out}/preview.png` });
await page.getByRole("button", { name: "Leave it" }).click();
await page.goto(base + "/rig");
await page.getByRole("button", { name: "Go live" }).click();
await page.getByRole("button", { name: "Turn the key" }).click();
await page.waitForTimeout(8000);
await page.screenshot({ path: `${out}/live.png` });
await page.getByRole("button", { name: "Stop the instrument" }).click();
await browser.close();
