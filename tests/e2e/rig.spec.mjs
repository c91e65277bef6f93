import { expect, test } from "@playwright/test";
import { bench, seriousFindings } from "./pages.mjs";

test("the stand-in's weak cylinder is recorded, read and enters the ledger", async ({ page }) => {
  await page.goto("/rig");
  await page.getByLabel("Into the job").selectOption({ index: 1 });
  // Another job has another engine; the page comes anew with it drawn.
  await page.waitForURL(/rig\?job=/);
  await page.getByRole("button", { name: /^Cylinder 2/ }).focus();
  await page.keyboard.press("Enter");
  await page.locator(".part-panel:visible").getByText("Exhaust valve does not seat").click();
  await expect(page.locator('[data-given="cylinder-2"]')).toHaveText("valve leaks");
  await page.locator('[data-part="battery"] .body').click();
  await expect(page.locator(".part-panel:visible")).toContainText("Weak: sags while cranking");
  await page.getByLabel("For, s").fill("900");
  await page.getByRole("button", { name: "Crank and record" }).click();
  await expect(page.getByText("From 2 to 30 seconds.")).toBeVisible();
  await expect(page.locator('[data-given="cylinder-2"]')).toHaveText("valve leaks");
  await page.getByLabel("For, s").fill("5");
  await page.getByRole("button", { name: "Crank and record" }).click();
  await expect(page.getByText(/cylinder 2 at \d+ %/)).toBeVisible();
  await bench(page).waitFor();
  await page.locator("a.wayback").click();
  await page.getByRole("tab", { name: "Ledger" }).click();
  await expect(page.getByRole("row", { name: /^2/ }).locator(".stamp")).toBeVisible();
});

test("a split hose is driven and logged, and a cut wire is measured with the meter", async ({ page }) => {
  await page.goto("/rig");
  await page.locator('[data-part="hose"] .body').click();
  await page.locator(".part-panel:visible").getByText("Split behind the cooler").click();
  await expect(page.locator('[data-given="hose"]')).toHaveText("split");
  await page.getByRole("button", { name: "Drive and log" }).click();
  await expect(page.getByRole("article", { name: "Desired and actual: Boost pressure" })).toContainText("stays below", { timeout: 30_000 });
  await page.goto("/rig");
  await page.getByRole("button", { name: "Wires of the crank sensor" }).focus();
  await page.keyboard.press("Enter");
  await page.locator(".part-panel:visible").getByText("Its signal is cut").click();
  await page.getByRole("button", { name: "Measure the wires" }).click();
  await page.getByRole("button", { name: "All of them" }).click();
  await expect(page.locator("#judged")).toContainText("open");
});

test("the live scope rolls, holds, triggers, keeps, and comes back after a dropped connection", async ({ page, context }) => {
  await page.goto("/rig");
  await page.getByRole("button", { name: "Go live" }).click();
  await expect(page).toHaveURL(/live/);
  const drawn = () => page.locator("#live").getAttribute("data-drawn");
  await expect.poll(drawn).not.toBeNull();
  await page.getByRole("tab", { name: "Trigger" }).click();
  await page.getByRole("textbox", { name: "Level" }).fill("100");
  await page.getByRole("button", { name: "Arm" }).click();
  await expect(page.locator("#trigger-state")).toHaveText("Armed, waiting");
  await page.getByRole("button", { name: "Turn the key" }).click();
  await expect(page.locator("#trigger-state")).toContainText("Fired at");
  await expect(page.getByRole("button", { name: "Run on" })).toBeVisible();
  const held = await drawn();
  await page.keyboard.press("+");
  await expect.poll(drawn).not.toBe(held);
  await page.getByRole("button", { name: "Run on" }).click();
  await context.setOffline(true);
  await page.waitForTimeout(500);
  await context.setOffline(false);
  const before = Number((await drawn()).split("-").pop());
  await expect.poll(async () => Number((await drawn()).split("-").pop()), { timeout: 20_000 }).toBeGreaterThan(before + 1);
  // Before three seconds have passed there are fewer to keep, and the capture is named by those.
  await expect.poll(async () => Number.parseFloat(await page.locator("#clock").textContent())).toBeGreaterThan(3.2);
  await page.getByRole("tab", { name: "Keep" }).click();
  await page.getByLabel("The last, s").fill("3");
  await page.getByRole("button", { name: "Keep", exact: true }).click();
  await expect(page.getByRole("link", { name: "Live, the last 3 s" })).toBeVisible({ timeout: 20_000 });
  await page.getByLabel("The last, s").fill("100000");
  await page.getByRole("button", { name: "Keep", exact: true }).click();
  await expect(page.locator("#live-error")).toContainText("are held");
  expect(await seriousFindings(page)).toEqual([]);
  await page.getByRole("button", { name: "Stop the instrument" }).click();
  await expect(page.getByText("Live, the last 3 s").first()).toBeVisible();
  await page.goBack();
  await expect(page.getByText("no longer runs")).toBeVisible();
});

test("a running stand-in with a misfire is watched live, kept and read", async ({ page }) => {
  await page.goto("/rig");
  await page.locator('select[name="Form.Does"]').selectOption({ label: "runs on its own fuel" });
  await page.locator('[data-part="cylinder-2"] .body').click();
  await page.locator(".part-panel:visible").getByText("Misfires now and then").click();
  await page.getByRole("button", { name: "Go live" }).click();
  await page.getByRole("button", { name: "Turn the key" }).click();
  // Made anew every second of what is held: the cylinder is named before anything is kept.
  await expect(page.getByRole("article", { name: "Misfire" })).toContainText("Cylinder 2 misfires", { timeout: 30_000 });
  await page.waitForTimeout(4_000);
  await page.getByRole("tab", { name: "Keep" }).click();
  await page.getByLabel("The last, s").fill("6");
  await page.getByRole("button", { name: "Keep", exact: true }).click();
  await page.getByRole("link", { name: "Live, the last 6 s" }).click({ timeout: 20_000 });
  await expect(page.getByRole("article", { name: "Misfire" })).toContainText("Cylinder 2 misfires");
});

test("a firing order lies over the rolling lanes, from one spark to the next", async ({ page }) => {
  await page.goto("/rig");
  await page.getByRole("button", { name: "Go live" }).click();
  await page.getByRole("button", { name: "Turn the key" }).click();
  await page.getByRole("tab", { name: "Strokes" }).click();
  const order = page.getByRole("combobox", { name: "Firing order" });
  const said = page.locator("#order-said");
  await order.fill("1-1");
  await page.getByRole("button", { name: "Lay it over" }).click();
  await expect(said).toContainText("like 1-3-4-2");
  await order.fill("1-3-4-2");
  await page.getByRole("button", { name: "Lay it over" }).click();
  await expect(page.getByRole("img", { name: /Which cylinder is in which stroke/ })).toBeVisible();
  // The stand-in cranks with some 200 turns a minute.
  await expect(said).toContainText(/cycles in view, (1[5-9]|2\d|3[0-4])\d/, { timeout: 20_000 });
  await page.getByRole("button", { name: "Hold" }).click();
  await expect(said).toContainText("cycles in view");
  await page.getByRole("button", { name: "Take it off" }).click();
  await expect(page.getByRole("img", { name: /Which cylinder is in which stroke/ })).toBeHidden();
  await page.getByRole("button", { name: "Stop the instrument" }).click();
});

test("the breathing engine is watched live through a transducer, kept and read", async ({ page }) => {
  // A slow network: the key can be pressed only once the page hears it.
  await page.route("**/live.js", async (route) => {
    await new Promise((done) => setTimeout(done, 2_000));
    await route.continue();
  });
  await page.goto("/rig");
  await page.locator('select[name="Form.Does"]').selectOption({ label: "runs, its gas watched" });
  await page.getByRole("button", { name: "Go live" }).click();
  await expect(page).toHaveURL(/live/);
  await page.getByRole("button", { name: "Turn the key" }).click();
  await expect(page.getByRole("button", { name: "Release the key" })).toBeVisible();
  // By the instrument's own seconds, which lag behind on a busy machine; they stand there once the first samples have come.
  const clock = page.locator("#clock");
  await expect(clock).toContainText(/\d/, { timeout: 20_000 });
  const seconds = async () => parseFloat(await clock.textContent());
  const turned = await seconds();
  await expect.poll(seconds, { timeout: 40_000 }).toBeGreaterThan(turned + 5);
  await page.getByRole("tab", { name: "Keep" }).click();
  await page.getByLabel("The last, s").fill("4");
  await page.getByRole("button", { name: "Keep", exact: true }).click();
  await page.getByRole("link", { name: "Live, the last 4 s" }).click({ timeout: 20_000 });
  await expect(page.getByRole("article", { name: "Cylinder pressure" })).toContainText("as it should be");
});
