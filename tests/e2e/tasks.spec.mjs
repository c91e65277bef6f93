import { expect, test } from "@playwright/test";
import { bench, drawer } from "./pages.mjs";

// What a diagnostician does most, counted in steps from the opened capture: none takes more than six, on any of the three sizes.
const MOST = 6;
const sizes = [
  [1280, 800],
  [1920, 1080],
  [820, 1180],
];

/** Opens a capture and counts what is done on it. */
async function opened(page, address) {
  await page.goto(address);
  await bench(page).waitFor();
  let steps = 0;
  const step = async (act) => {
    steps++;
    await act();
  };
  const show = async (name) => {
    if ((await page.getByRole("tab", { name }).getAttribute("aria-selected")) !== "true") await step(() => drawer(page, name));
  };
  return {
    step,
    show,
    done: () => expect(steps, "steps").toBeLessThanOrEqual(MOST),
  };
}

for (const [width, height] of sizes)
  test.describe(`${width}x${height}`, () => {
    test.use({ viewport: { width, height } });

    test("the weak cylinder's hump and its value", async ({ page }) => {
      const { step, show, done } = await opened(page, "/bench/1");
      await show("Readings");
      const reading = page.getByRole("article", {
        name: "Relative compression",
      });
      await expect(reading).toContainText("cylinder 3 at 72 %");
      await step(() =>
        reading
          .getByRole("link", { name: /^3 at / })
          .first()
          .click(),
      );
      await expect(page).toHaveURL(/mark=/);
      const { x, y, width: wide } = await page.locator(".u-over").first().boundingBox();
      await step(() => page.mouse.move(x + wide / 2, y + 40));
      await expect(page.locator("[data-pointer]").first()).toHaveText(/^\d/);
      await done();
    });

    test("the cam edge's degrees against known-good", async ({ page }) => {
      const { step, show, done } = await opened(page, "/bench/7");
      await show("Compare");
      if (!(await page.locator(".pencil").count())) await step(() => page.getByRole("button", { name: "Known-good underneath" }).click());
      await step(() => page.getByRole("button", { name: "One cycle" }).click());
      await expect(page.locator("#window-span")).toHaveText("0.0 – 720.0 °");
      await expect(page.locator(".pencil")).toBeVisible();
      await bench(page).waitFor();
      await step(() => page.getByRole("button", { name: "Measure" }).click());
      const { x, y, width: wide } = await page.locator(".u-over").nth(1).boundingBox();
      await step(async () => {
        await page.mouse.move(x + (26 / 720) * wide, y + 30);
        await page.mouse.down();
        await page.mouse.move(x + (141 / 720) * wide, y + 30, { steps: 5 });
        await page.mouse.up();
      });
      await expect(page.locator("[data-span] tr", { hasText: "Between" }).locator("td").nth(1)).toHaveText(/^1(19|20|21)\.\d°$/);
      await done();
      await page.locator("[data-span]").getByRole("button", { name: "Delete" }).click();
    });

    test("an eight-cylinder's order over a bare trace", async ({ page }) => {
      const { step, show, done } = await opened(page, "/bench/22?from=1&to=1.8");
      await show("Cycles");
      await step(() => page.getByRole("combobox", { name: "Firing order" }).fill("1-8-4-3-6-5-7-2"));
      await step(() => page.getByRole("button", { name: "Tap the first firing" }).click());
      const { x, y, width: wide } = await page.locator(".u-over").first().boundingBox();
      for (const share of [0.2, 0.39]) await step(() => page.mouse.click(x + share * wide, y + 40));
      await expect(page.locator("#order-said")).toContainText("rpm where you tapped");
      await expect(page.locator("#cycle-strip")).toBeVisible();
      await done();
      await page.getByRole("button", { name: "Take it off" }).click();
    });

    test("two wheel sensors beside each other", async ({ page }) => {
      const { show, done } = await opened(page, "/bench/26");
      await show("Readings");
      await expect(page.getByRole("article", { name: "Wheel speeds" })).toContainText("Front right falls away");
      for (const name of ["front left wheel speed", "front right wheel speed"])
        await expect(page.getByRole("button", { name: new RegExp(`^${name}`) })).toBeVisible();
      await done();
    });

    test("the worst moment of a pull", async ({ page }) => {
      const { step, show, done } = await opened(page, "/bench/8");
      await show("Readings");
      const worst = page.getByRole("article", { name: "Desired and actual: Boost pressure" }).getByRole("link", { name: / kPa at / });
      await step(() => worst.first().click());
      await expect(page).toHaveURL(/mark=\d+/);
      await done();
    });
  });
