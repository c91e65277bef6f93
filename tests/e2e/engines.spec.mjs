import { expect, test } from "@playwright/test";

test("a wrong firing order is refused beside its field", async ({ page }) => {
  await page.goto("/engines/new");
  await page.getByRole("link", { name: "V6, 90° odd-fire" }).click();
  await expect(page.getByLabel("Firing angles in that order")).toHaveValue("0 90 240 330 480 570");
  for (const [order, why] of [
    ["1-6-5-4-3-3", "more than once"],
    ["1-6-5-4-3", "missing"],
    ["1-6-5-4-3-9", "no cylinder 9"],
    ["1-6-x", "not a number"],
  ]) {
    await page.getByLabel("Firing order").fill(order);
    await page.getByRole("button", { name: "Keep this engine" }).click();
    await expect(page.locator(".field", { hasText: "Firing order" }).locator(".wrong")).toContainText(why);
  }
  await page.getByLabel("Firing order").fill("1-6-5-4-3-2");
  await page.getByLabel("Name").fill("Volpe V6");
  await page.getByRole("button", { name: "Keep this engine" }).click();
  await expect(page.getByRole("row", { name: /Volpe V6/ })).toContainText("odd-fire");
});

test("four printed times give the cam's offset, and nonsense is refused", async ({ page }) => {
  await page.goto("/shelf");
  await page.getByRole("link", { name: "Cam timing by numbers." }).click();
  const fields = page.getByRole("textbox");
  for (const [i, text] of ["160,0", "40,0", "80.0", "x"].entries()) await fields.nth(i).fill(text);
  await page.getByRole("button", { name: "Work it out" }).click();
  await expect(page.getByRole("alert")).toHaveText("'x' is not a number.");
  await fields.nth(3).fill("90");
  await page.getByRole("button", { name: "Work it out" }).click();
  await expect(page.getByRole("alert")).toContainText("This engine: The edge lies within the two turns");
  await fields.nth(3).fill("21.5");
  await page.getByRole("button", { name: "Work it out" }).click();
  await expect(page.getByText("The cam stands 13.5° late")).toBeVisible();
});
