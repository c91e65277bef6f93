import { expect, test } from "@playwright/test";
import { bench, drawer, seriousFindings } from "./pages.mjs";

test("a log is read by itself, searched by condition, and drawn one value against others", async ({ page }) => {
  await page.goto("/jobs/7#captures");
  await expect(page.getByRole("tab", { name: /Before and after/ })).toBeVisible();
  await page.getByRole("link", { name: "Road test, three pulls" }).click();
  await bench(page).waitFor();
  await expect(page.getByRole("article", { name: "Desired and actual: Boost pressure" })).toContainText("below");
  await drawer(page, "Log");
  await expect(page.locator("#log-events")).toContainText("full pedal from");
  await page.getByLabel("Where this holds").fill("boost > 3");
  await page.getByRole("button", { name: "Find" }).click();
  await expect(page.locator("#log-said")).toContainText("may be");
  await page.getByLabel("Where this holds").fill("pedal > 90");
  await page.getByRole("button", { name: "Find" }).click();
  await expect(page.locator("#log-said")).toContainText("3 stretches");
  const whole = await page.locator("#window-span").textContent();
  await page.locator("#log-found button").first().click();
  await expect(page.locator("#window-span")).not.toHaveText(whole);
  await page
    .locator("#bench .u-over")
    .first()
    .hover({ position: { x: 250, y: 40 } });
  await expect(page.locator("#log-values [data-pointer]").first()).not.toBeEmpty();
  const there = await page.locator("#bench .name [data-pointer]").first().textContent();
  await page
    .locator("#bench .u-over")
    .first()
    .hover({ position: { x: 520, y: 40 } });
  await expect(page.locator("#bench .name [data-pointer]").first()).not.toHaveText(there);
  await page.getByRole("button", { name: /Maximum of Engine speed, show/ }).click();
  await page.getByText("One value against others").click();
  await page.getByRole("button", { name: "Draw" }).click();
  await expect(page.locator("#against figure")).toBeVisible();
  expect(await seriousFindings(page)).toEqual([]);
});
