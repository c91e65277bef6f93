import { expect, test } from "@playwright/test";

test("a wrong firing order is refused beside its field", async ({ page }) => {
  await page.goto("/engines/new");
  await page.getByRole("link", { name: "V6, 90° odd-fire" }).click();
  await expect(page.getByLabel("Firing angles in that order")).toHaveValue("0 90 240 330 480 570");
  for (const [order, why] of [
    ["1-6-5-4-3-3", "more than once"],
    ["1-6-5-4-3", "missing"],
    ["1-6-5-4-3-9", "no cylinder 9"],
    ["1-6-x", "write it like 1-3-4-2"],
  ]) {
    await page.getByLabel("Firing order").fill(order);
    await page.getByRole("button", { name: "Save" }).click();
    await expect(page.locator(".field", { hasText: "Firing order" }).locator(".wrong")).toContainText(why);
  }
  await page.getByLabel("Firing order").fill("1-6-5-4-3-2");
  // What is typed is drawn at once.
  await page.getByText("Trigger wheel, valve timing").click();
  await page.getByLabel("Banks").fill("1 2 3 / 4 5 6");
  await page.getByLabel("Teeth, missing ones included").fill("60");
  await page.getByLabel("Missing at each gap").fill("2");
  await page.getByLabel("Cylinder 1 lies at").selectOption("front");
  await page.getByLabel("The first bank lies at").selectOption("right");
  await expect(page.getByRole("img", { name: "Trigger wheel of 60 places" })).toBeVisible();
  await expect(page.getByRole("img", { name: /cylinder 6 third from the front on the left/ })).toBeVisible();
  await page.getByLabel("Name").fill("Volpe V6");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByRole("row", { name: /Volpe V6/ })).toContainText("odd-fire");
});

test("four printed times give the cam's offset, and nonsense is refused", async ({ page }) => {
  await page.goto("/shelf");
  await page.getByRole("link", { name: "Cam timing by numbers." }).click();
  const fields = page.getByRole("textbox");
  for (const [i, text] of ["160,0", "40,0", "80.0", "x"].entries()) await fields.nth(i).fill(text);
  await page.getByRole("button", { name: "Work it out" }).click();
  await expect(page.getByRole("alert")).toHaveText("“x” can't be read as a number: write it like 12.5.");
  await fields.nth(3).fill("90");
  await page.getByRole("button", { name: "Work it out" }).click();
  await expect(page.getByRole("alert")).toContainText("This engine: The edge lies within the two turns");
  await fields.nth(3).fill("21.5");
  await page.getByRole("button", { name: "Work it out" }).click();
  await expect(page.getByText("The cam stands 13.5° late")).toBeVisible();
});
