import { expect, test } from "@playwright/test";
import { bench } from "./pages.mjs";

// What a diagnostician does most, counted in steps from the opened capture: none takes more than six, on any of the three sizes,
// with the mouse at the desk and with the finger on the tablet.
const MOST = 6;
const sizes = [
  [1280, 800, "mouse"],
  [1920, 1080, "mouse"],
  [820, 1180, "finger"],
];

/** What a hand does with a page. */
const hands = {
  mouse: (page) => ({
    tap: (what) => what.click(),
    tapAt: (x, y) => page.mouse.click(x, y),
    over: (x, y) => page.mouse.move(x, y),
    drag: async (from, to, y) => {
      await page.mouse.move(from, y);
      await page.mouse.down();
      await page.mouse.move(to, y, { steps: 5 });
      await page.mouse.up();
    },
  }),
  finger: (page) => ({
    tap: (what) => what.tap(),
    tapAt: (x, y) => page.touchscreen.tap(x, y),
    over: (x, y) => page.touchscreen.tap(x, y),
    drag: async (from, to, y) => {
      const client = await page.context().newCDPSession(page);
      const touch = (type, ...xs) => client.send("Input.dispatchTouchEvent", { type, touchPoints: xs.map((x) => ({ x, y })) });
      await touch("touchStart", from);
      for (let i = 1; i <= 5; i++) await touch("touchMove", from + ((to - from) * i) / 5);
      await touch("touchEnd");
    },
  }),
};

/** Opens a capture and counts what is done on it. */
async function opened(page, address, hand) {
  await page.goto(address);
  await bench(page).waitFor();
  let steps = 0;
  const step = async (act) => {
    steps++;
    await act();
  };
  const show = async (name) => {
    const tab = page.getByRole("tab", { name });
    if ((await tab.getAttribute("aria-selected")) !== "true") await step(() => hand.tap(tab));
  };
  return {
    step,
    show,
    done: () => expect(steps, "steps").toBeLessThanOrEqual(MOST),
  };
}

for (const [width, height, by] of sizes)
  test.describe(`${width}x${height}, by ${by}`, () => {
    test.use({ viewport: { width, height }, hasTouch: by === "finger" });

    test("the weak cylinder's hump and its value", async ({ page }) => {
      const hand = hands[by](page);
      const { step, show, done } = await opened(page, "/bench/1", hand);
      await show("Readings");
      const reading = page.getByRole("article", {
        name: "Relative compression",
      });
      await expect(reading).toContainText("cylinder 3 at 72 %");
      await step(() => hand.tap(reading.getByRole("link", { name: /^3 at / }).first()));
      await expect(page).toHaveURL(/mark=/);
      const { x, y, width: wide } = await page.locator(".u-over").first().boundingBox();
      await step(() => hand.over(x + wide / 2, y + 40));
      await expect(page.locator("[data-pointer]").first()).toHaveText(/^\d/);
      await done();
    });

    test("the cam edge's degrees against known-good", async ({ page }) => {
      const hand = hands[by](page);
      const { step, show, done } = await opened(page, "/bench/7", hand);
      await show("Compare");
      if (!(await page.locator(".pencil").count())) await step(() => hand.tap(page.getByRole("button", { name: "Known-good underneath" })));
      await step(() => hand.tap(page.getByRole("button", { name: "One cycle" })));
      await expect(page.locator("#window-span")).toHaveText("0.0 – 720.0°");
      await expect(page.locator(".pencil")).toBeVisible();
      await bench(page).waitFor();
      await step(() => hand.tap(page.getByRole("button", { name: "Measure" })));
      const { x, y, width: wide } = await page.locator(".u-over").nth(1).boundingBox();
      await step(() => hand.drag(x + (26 / 720) * wide, x + (141 / 720) * wide, y + 30));
      await expect(page.locator("[data-span] tr", { hasText: "Between" }).locator("td").nth(1)).toHaveText(/^1(19|20|21)\.\d°$/);
      await done();
      await hand.tap(page.locator("[data-span]").getByRole("button", { name: "Delete" }));
    });

    test("an eight-cylinder's order over a bare trace", async ({ page }) => {
      const hand = hands[by](page);
      const { step, show, done } = await opened(page, "/bench/22?from=1&to=1.8", hand);
      await show("Cycles");
      await step(() => page.getByRole("combobox", { name: "Firing order" }).fill("1-8-4-3-6-5-7-2"));
      await step(() => hand.tap(page.getByRole("button", { name: "Tap the first firing" })));
      const { x, y, width: wide } = await page.locator(".u-over").first().boundingBox();
      for (const share of [0.2, 0.39]) await step(() => hand.tapAt(x + share * wide, y + 40));
      await expect(page.locator("#order-said")).toContainText("rpm where you tapped");
      await expect(page.locator("#cycle-strip")).toBeVisible();
      await done();
      await hand.tap(page.getByRole("button", { name: "Take it off" }));
    });

    test("two wheel sensors beside each other", async ({ page }) => {
      const hand = hands[by](page);
      const { step, show, done } = await opened(page, "/bench/26", hand);
      await show("Readings");
      await expect(page.getByRole("article", { name: "Wheel speeds" })).toContainText("Front right falls away");
      for (const name of ["front left wheel speed", "front right wheel speed"])
        await expect(page.getByRole("button", { name: new RegExp(`^${name}`) })).toBeVisible();
      await step(() => hand.tap(page.getByRole("link", { name: /^front right falls at / }).first()));
      await expect(page).toHaveURL(/mark=/);
      await done();
    });

    test("the worst moment of a pull", async ({ page }) => {
      const hand = hands[by](page);
      const { step, show, done } = await opened(page, "/bench/8", hand);
      await show("Readings");
      const worst = page.getByRole("article", { name: "Desired and actual: Boost pressure" }).getByRole("link", { name: / kPa at / });
      await step(() => hand.tap(worst.first()));
      await expect(page).toHaveURL(/mark=\d+/);
      await done();
    });
  });
