import { expect, test } from "@playwright/test";
import { seriousFindings } from "./pages.mjs";

test("a circuit is measured with one hand: number, enter, next", async ({ page }) => {
  await page.setViewportSize({ width: 820, height: 1180 });
  await page.goto("/jobs/4/sheet");
  expect(await seriousFindings(page)).toEqual([]);
  await page.getByLabel("Component", { exact: true }).fill("Boost pressure sensor");
  await page.getByLabel("Another component, if there is one").first().fill("Rail pressure sensor");
  await page.getByRole("button", { name: "Start the sheet" }).click();
  await page.waitForURL(/\/sheets\/\d+/);
  await expect(page.getByText("Nothing is measured yet")).toBeVisible();
  const next = page.getByRole("region", { name: "Next value" });
  await expect(next).toContainText("ground against battery −");

  await page.locator("input[name=v0]").focus();
  await page.keyboard.type("0.02");
  await page.keyboard.press("Enter");
  await expect(next).toContainText("supply 5 V against battery −");
  await expect(page.locator("input[name=v1]")).toBeFocused();
  await page.keyboard.type("4.2");
  await page.keyboard.press("Enter");
  await expect(page.getByText("Boost pressure sensor: The supply 5 V has too much resistance", { exact: false })).toBeVisible();
  await expect(page.locator("#said-1")).toHaveText("high resistance");
  await page.keyboard.type("good");
  await page.keyboard.press("Enter");
  await expect(page.getByText("'good' for signal against module signal is no number", { exact: false })).toBeVisible();

  await page.getByText("Probe the stand-in").click();
  await page.getByLabel("Its fault").selectOption({ label: "Rail pressure sensor: signal chafed to ground" });
  await page.getByRole("button", { name: "All of them" }).click();
  await expect(page.getByText("Rail pressure sensor: The signal touches ground", { exact: false })).toBeVisible();
  expect(await seriousFindings(page)).toEqual([]);
  await page.setViewportSize({ width: 1280, height: 800 });
  expect(await page.evaluate(() => document.documentElement.scrollWidth <= innerWidth)).toBe(true);

  await page.getByRole("button", { name: "Delete" }).click();
  await page.waitForURL(/\/jobs\/4(#captures)?$/);
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(page.getByRole("link", { name: "Wires of Boost pressure sensor, Rail pressure sensor" }).first()).toBeVisible();
});
