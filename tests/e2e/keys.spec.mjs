import { expect, test } from "@playwright/test";
import { bench } from "./pages.mjs";

// The same five tasks with nothing but keys, counted press by press from the opened capture: none takes more than twenty-five.
const MOST = 25;

async function opened(page, address) {
  await page.goto(address);
  await bench(page).waitFor();
  let pressed = 0;
  return {
    keys: async (...names) => {
      for (const name of names) {
        pressed++;
        await page.keyboard.press(name);
      }
    },
    pressed: () => pressed,
  };
}

test("the weak cylinder's hump and its value", async ({ page }) => {
  const { keys, pressed } = await opened(page, "/bench/1");
  await keys("1");
  if (!(await page.getByRole("tab", { name: "Readings" }).getAttribute("aria-selected")).includes("true")) await keys("1");
  const reading = page.getByRole("article", { name: "Relative compression" });
  await expect(reading).toContainText("cylinder 3 at 72 %");
  while ((await page.evaluate(() => document.activeElement.textContent.trim().slice(0, 4))) !== "3 at" && pressed() < MOST) await keys("n");
  await expect(page).toHaveURL(/mark=/);
  await keys("m", "m");
  await expect(page.locator(".measure").first()).toHaveText(/[\d.]+ (ms|s)/);
  expect(pressed(), "keys").toBeLessThanOrEqual(MOST);
  await expect(page.locator(".jaw:focus")).toHaveAttribute("aria-label", /left jaw/);
  await page.keyboard.press("Delete");
  await expect(page.locator(".jaw")).toHaveCount(0);
});

test("the cam edge's degrees against known-good", async ({ page }) => {
  const { keys, pressed } = await opened(page, "/bench/7");
  if (!(await page.locator(".pencil").count())) await keys("k");
  await keys("c");
  await expect(page.locator("#window-span")).toHaveText("0.0 – 720.0°");
  await bench(page).waitFor();
  await keys("l", "m", "m");
  await expect(page.locator(".jaw:focus")).toHaveAttribute("aria-label", /^Left jaw/);
  const left = page.locator(".jaw").first();
  const start = Number(await left.getAttribute("aria-valuenow"));
  await keys("PageUp", ",");
  expect(Number(await left.getAttribute("aria-valuenow"))).toBeLessThan(start - 36);
  await keys("Tab", ".");
  await expect(page.locator(".jaw:focus")).toHaveAttribute("aria-label", /^Right jaw/);
  await expect(page.locator("[data-span] tr", { hasText: "Between" }).locator("td").nth(1)).toHaveText(/^\d+\.\d°$/);
  expect(pressed(), "keys").toBeLessThanOrEqual(MOST);
  await page.keyboard.press("Delete");
  await expect(page.locator(".jaw")).toHaveCount(0);
});

test("an eight-cylinder's order over a bare trace", async ({ page }) => {
  const { keys, pressed } = await opened(page, "/bench/22?from=1&to=1.8");
  await keys("3", "Tab");
  const order = page.getByRole("combobox", { name: "Firing order" });
  while (!(await order.evaluate((field) => field === document.activeElement)) && pressed() < MOST) await keys("Tab");
  await order.selectText();
  await keys(..."18436572", "Enter");
  await expect(page.locator("#order-said")).toContainText("tap the trace where cylinder 1 fires");
  await keys("PageUp", ".", "Enter");
  await expect(page.locator("#order-said")).toContainText("fires the next time");
  await keys("PageDown", "PageDown", "Enter");
  await expect(page.locator("#order-said")).toContainText("rpm where you tapped");
  await expect(page.locator("#cycle-strip")).toBeVisible();
  expect(pressed(), "keys").toBeLessThanOrEqual(MOST);
  await page.getByRole("button", { name: "Take it off" }).click();
});

test("two wheel sensors beside each other", async ({ page }) => {
  const { keys, pressed } = await opened(page, "/bench/26");
  await keys("1");
  if (!(await page.getByRole("tab", { name: "Readings" }).getAttribute("aria-selected")).includes("true")) await keys("1");
  await expect(page.getByRole("article", { name: "Wheel speeds" })).toContainText("Front right falls away");
  await keys("n");
  await expect(page).toHaveURL(/mark=/);
  expect(pressed(), "keys").toBeLessThanOrEqual(MOST);
});

test("the worst moment of a pull", async ({ page }) => {
  const { keys, pressed } = await opened(page, "/bench/8");
  await keys("1");
  if (!(await page.getByRole("tab", { name: "Readings" }).getAttribute("aria-selected")).includes("true")) await keys("1");
  while (!/ kPa at /.test(await page.evaluate(() => document.activeElement.closest("a")?.textContent)) && pressed() < MOST) await keys("n");
  await expect(page).toHaveURL(/mark=\d+/);
  expect(pressed(), "keys").toBeLessThanOrEqual(MOST);
});

test("presses that come while the server still answers the ones before are not lost", async ({ page }) => {
  const { keys } = await opened(page, "/bench/1");
  await keys("m", "m");
  const jaw = page.locator(".jaw:focus");
  await expect(jaw).toHaveAttribute("aria-label", /left jaw/);
  const at = async () => Number(await jaw.getAttribute("aria-valuenow"));
  const before = await at();
  await keys("ArrowRight");
  await expect.poll(at).not.toBe(before);
  const start = await at();
  await keys("ArrowRight");
  await expect.poll(at).not.toBe(start);
  const step = (await at()) - start;
  // A slow network: every answer about steps and calipers comes late.
  for (const late of ["**/step", "**/calipers/*"])
    await page.route(late, async (route) => {
      await new Promise((resolve) => setTimeout(resolve, 90));
      await route.continue();
    });
  for (let i = 0; i < 30; i++) {
    await page.keyboard.press("ArrowRight");
    await page.waitForTimeout([20, 110, 60, 150, 90][i % 5]);
  }
  await expect.poll(async () => Math.round(((await at()) - start) / step)).toBe(31);
  await page.keyboard.press("Delete");
  await expect(page.locator(".jaw")).toHaveCount(0);
});

test("a quick row of presses moves a jaw as far as it says", async ({ page }) => {
  const { keys } = await opened(page, "/bench/1");
  await keys("m", "m");
  const jaw = page.locator(".jaw:focus");
  await expect(jaw).toHaveAttribute("aria-label", /left jaw/);
  const at = async () => Number(await jaw.getAttribute("aria-valuenow"));
  const moved = async (from) => {
    await keys("ArrowRight");
    await expect.poll(at).not.toBe(from);
    return at();
  };
  // The first press leaves the place between samples to which the jaw was drawn.
  const start = await moved(await at());
  const step = (await moved(start)) - start;
  await Promise.all(Array.from({ length: 20 }, () => page.keyboard.press("ArrowRight")));
  await expect.poll(async () => Math.round(((await at()) - start) / step)).toBe(21);
  // Keys that mean nothing to a jaw still belong to the bench.
  const whole = await page.locator("#window-span").textContent();
  await keys("+");
  await expect(page.locator("#window-span")).not.toHaveText(whole);
  await keys("f");
  await expect(page.locator("#window-span")).toHaveText(whole);
  await expect(jaw).toHaveAttribute("aria-label", /left jaw/);
  await page.keyboard.press("Delete");
  await expect(page.locator(".jaw")).toHaveCount(0);
});
