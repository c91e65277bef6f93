import { expect, test } from "@playwright/test";
import { bench, seriousFindings } from "./pages.mjs";

/** Every main view; each is a test of its own, so that a slow machine passes too. */
const views = {
  jobs: "/",
  "a job": "/jobs/1",
  "a job of several cylinders": "/jobs/12",
  "taking a job in": "/jobs/new",
  "codes and tests": "/jobs/5/look",
  engines: "/engines",
  "an engine": "/engines/2",
  "the rig": "/rig",
  "the shelf": "/shelf",
  "cam timing by numbers": "/shelf/by-numbers?goodTurns=160.0&goodEdge=40.0&turns=80.0&edge=21.5",
  "a report": "/jobs/1/report",
  "a report of misfires": "/jobs/2/report",
  "a report of pressures": "/jobs/12/report",
  "a cranking capture": "/bench/1",
  "an idling capture": "/bench/5",
  "cam and crank": "/bench/7",
  pulses: "/bench/22",
  "cylinder pressure": "/bench/24",
  "what was seen": "/jobs/13/seen",
  "a quote": "/jobs/18/quote",
  "a repaired job": "/jobs/18",
  "a job's ledger": "/jobs/12#ledger",
  "the practice room": "/practice",
  "a circuit sheet": "/sheets/35",
  "four wheels": "/bench/26",
  "two sensors of an axle": "/bench/27",
  "a vehicle's visits": "/vehicles/NB0519",
  "known-good figures": "/engines/4/figures",
  "a reading beside known-good figures": "/bench/28",
  "nothing there": "/nowhere",
};

for (const [width, height] of [
  [1280, 800],
  [820, 1180],
])
  for (const [name, path] of Object.entries(views))
    test(`${name}, ${width}x${height}: no serious accessibility finding, nothing cut off`, async ({ page }) => {
      const blocked = [];
      page.on("console", (line) => line.text().includes("Content Security Policy") && blocked.push(line.text()));
      await page.setViewportSize({ width, height });
      await page.goto(path);
      if (path.startsWith("/bench")) await bench(page).waitFor();
      for (const light of ["day", "night"]) {
        await page.evaluate((l) => {
          document.documentElement.dataset.light = l;
        }, light);
        expect(await seriousFindings(page), light).toEqual([]);
      }
      expect(await page.evaluate(() => document.documentElement.scrollWidth - innerWidth)).toBeLessThanOrEqual(0);
      expect(blocked, "what the page's own policy forbids").toEqual([]);
    });
