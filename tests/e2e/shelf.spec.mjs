import { expect, test } from "@playwright/test";
import { readFileSync } from "node:fs";
import { bench, drawer } from "./pages.mjs";

test("a sound capture is put on the shelf with its reason, found there, and taken off again", async ({ page }) => {
  await page.goto("/bench/2");
  await bench(page).waitFor();
  await drawer(page, "Compare");
  await page.getByRole("button", { name: "Put on the shelf" }).click();
  await expect(page.getByText("Say why it counts as good")).toBeVisible();
  await page.getByLabel("Why it counts as good").fill("All six cylinders even, no codes");
  await page.getByLabel("Checked by").fill("L. Brina");
  await page.getByRole("button", { name: "Put on the shelf" }).click();
  await expect(page).toHaveURL(/shelf/);
  await expect(page.getByText("All six cylinders even, no codes")).toBeVisible();
  await page.getByRole("searchbox").fill("tasso parked");
  await page.keyboard.press("Enter");
  await expect(page.getByText("Nothing on the shelf matches")).toBeVisible();
  await page.getByRole("searchbox").fill("tasso cranking");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("listitem")).toHaveCount(1);
  await page.getByRole("link", { name: "Cranking after a wet night" }).click();
  await expect(page.getByText("On the shelf as known-good")).toBeVisible();
  await page.getByRole("button", { name: "Take it off the shelf" }).click();
  await expect(page).toHaveURL(/bench\/2$/);
});

test("a bundle goes straight onto the shelf, and all known-good captures of an engine are judged against at once", async ({ page }) => {
  await page.goto("/shelf");
  const [download] = await Promise.all([
    page.waitForEvent("download"),
    page.getByRole("listitem").filter({ hasText: "upper valley shuttle" }).getByRole("link", { name: "Bundle" }).click(),
  ]);
  const file = await download.path();
  await page.getByText("Bring a bundle onto the shelf").click();
  await page.getByLabel("The bundle").setInputFiles({ name: "good.zip", mimeType: "application/zip", buffer: readFileSync(file) });
  await page.locator("select[name=engine]").selectOption("Ghiro 1.0");
  await page.getByRole("button", { name: "Put on the shelf" }).click();
  await expect(page.getByRole("alert")).toContainText("Say why it counts as good");
  await page.getByLabel("The bundle").setInputFiles({ name: "good.zip", mimeType: "application/zip", buffer: readFileSync(file) });
  await page.locator("select[name=engine]").selectOption("Ghiro 1.0");
  await page.getByLabel("Why it counts as good").fill("Measured again after a year");
  await page.getByRole("button", { name: "Put on the shelf" }).click();
  await expect(page).toHaveURL(/bench/);
  await page.goto("/shelf");
  await expect(page.getByText("Measured again after a year")).toBeVisible();
  await page.goto("/bench/7");
  await bench(page).waitFor();
  await page.getByText("Read again, or something else").click();
  await page.locator("select[name=kind]").selectOption("cam-timing");
  await expect(page.getByLabel("Known-good to compare with")).toContainText("all 4 on the shelf for this engine");
  await page.getByRole("button", { name: "Read", exact: true }).click();
  await expect(page.getByRole("article", { name: "Cam timing" })).toContainText("mean of 4 known-good captures");
  await expect(page.getByRole("article", { name: "Cam timing" })).toContainText("one tooth late on the belt");
});
