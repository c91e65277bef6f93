import { expect, test } from "@playwright/test";
import { readFileSync } from "node:fs";
import { bench, drawer } from "./pages.mjs";

test("the bench zooms, goes back and fits by key, and asks no other host for anything", async ({ page }) => {
  const elsewhere = [];
  page.on("request", (request) => {
    if (
      !request.url().startsWith(new URL(page.url() === "about:blank" ? request.url() : page.url()).origin) &&
      !request.url().startsWith("data:")
    )
      elsewhere.push(request.url());
  });
  for (const path of ["/", "/jobs/1", "/jobs/1/report", "/engines", "/rig", "/bench/1"]) await page.goto(path);
  await bench(page).waitFor();
  const whole = await page.locator("#window-span").textContent();
  await page.keyboard.press("+");
  await expect(page.locator("#window-span")).not.toHaveText(whole);
  await page.keyboard.press("Backspace");
  await expect(page.locator("#window-span")).toHaveText(whole);
  const { x, y } = await page.locator(".u-over").first().boundingBox();
  const drag = async (from, to) => {
    await page.mouse.move(x + from, y + 40);
    await page.mouse.down();
    await page.mouse.move(x + to, y + 40, { steps: 5 });
    await page.mouse.up();
  };
  await page.keyboard.press("b");
  await drag(200, 320);
  await expect(page.locator("#window-span")).not.toHaveText(whole);
  const boxed = await page.locator("#window-span").textContent();
  await drag(300, 200);
  await expect(page.locator("#window-span")).not.toHaveText(boxed);
  await page.keyboard.press("Backspace");
  await expect(page.locator("#window-span")).toHaveText(boxed);
  await page.keyboard.press("Shift+Backspace");
  await expect(page.locator("#window-span")).not.toHaveText(boxed);
  const left = await page.locator("#window-span").textContent();
  // The address follows the view a moment later.
  await expect.poll(() => Number(new URL(page.url()).searchParams.get("from")).toFixed(3)).toBe(left.split(" ")[0]);
  await page.reload();
  await bench(page).waitFor();
  await expect(page.locator("#window-span")).toHaveText(left);
  await page.keyboard.press("f");
  await expect(page.locator("#window-span")).toHaveText(whole);
  expect(elsewhere).toEqual([]);
});

test("a caliper is dragged, snaps, is moved by key one sample at a time, and can be deleted and brought back", async ({ page }) => {
  await page.goto("/bench/1?from=2&to=3");
  await bench(page).waitFor();
  await page.keyboard.press("m");
  const { x, y, width } = await page.locator(".u-over").nth(2).boundingBox();
  await page.mouse.move(x + 0.2 * width, y + 30);
  await page.mouse.down();
  await page.mouse.move(x + 0.8 * width, y + 30, { steps: 5 });
  await page.mouse.up();
  await expect(page.locator("[data-caliper]")).toHaveCount(1);
  const time = page.locator("[data-caliper] tr", { hasText: "Time" }).locator("td").nth(1);
  const snapped = await time.textContent();
  await page
    .getByRole("slider", { name: /right jaw/ })
    .first()
    .focus();
  // The first step goes from where the jaw snapped to onto a sample, the next from that to the next one.
  await page.keyboard.press("ArrowRight");
  await expect(time).not.toHaveText(snapped);
  const first = await time.textContent();
  await page.keyboard.press("ArrowRight");
  await expect(time).not.toHaveText(first);
  // The stand-in's samples lie 0.08 ms apart.
  expect(Math.abs(Math.abs(Number(await time.textContent()) - Number(first)) - 0.08)).toBeLessThan(0.011);
  await page.reload();
  await bench(page).waitFor();
  await expect(page.locator("[data-caliper]")).toHaveCount(1);
  await page.getByRole("button", { name: "Delete Caliper" }).click();
  await expect(page.locator("[data-caliper]")).toHaveCount(0);
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(page.locator("[data-caliper]")).toHaveCount(1);
  await page.getByRole("button", { name: "Delete Caliper" }).click();
  await expect(page.locator("[data-caliper]")).toHaveCount(0);
});

test("lanes are joined, shown in another unit, smoothed and hidden, and lie so again after a reload", async ({ page }) => {
  await page.goto("/bench/2");
  await bench(page).waitFor();
  const saved = () => page.waitForResponse((r) => r.url().endsWith("/arrangement") && r.status() === 204);
  await page.getByRole("button", { name: /^Battery voltage/ }).click();
  const sheet = page.locator("#lane-sheet");
  let wait = saved();
  await sheet.getByLabel("Shown in").selectOption("mV");
  await wait;
  wait = saved();
  await sheet.getByRole("combobox", { name: "Lane", exact: true }).selectOption({ label: "with Starter current" });
  await wait;
  await expect(page.locator(".lane")).toHaveCount(2);
  wait = saved();
  await sheet.getByLabel("Smoothed by").selectOption("median");
  await wait;
  wait = saved();
  await sheet.getByLabel("AC coupling").check();
  await wait;
  await sheet.getByRole("button", { name: "Done" }).click();
  await page.getByRole("button", { name: /^Ignition/ }).click();
  wait = saved();
  await sheet.getByRole("button", { name: "Hide" }).click();
  await wait;
  await page.reload();
  await bench(page).waitFor();
  await expect(page.locator(".lane")).toHaveCount(1);
  await expect(page.getByRole("button", { name: /^Battery voltage \(AC coupled, median of 5\)/ })).toBeVisible();
  await drawer(page, "Channels");
  await page.getByRole("button", { name: "Ignition, show" }).click();
  await expect(page.locator(".lane")).toHaveCount(2);
});

test("a channel is worked out from others, a wrong expression says where", async ({ page }) => {
  await page.goto("/bench/3");
  await bench(page).waitFor();
  await drawer(page, "Channels");
  await page.getByLabel("Expression").fill('lowpas("Starter current", 5)');
  await page.getByLabel("Name", { exact: true }).fill("Power");
  await page.getByRole("button", { name: "Work it out" }).click();
  await expect(page.locator("#derive-error")).toContainText("there is no function 'lowpas'");
  // The page is not loaded anew for it: the view stays, and so does what was typed elsewhere.
  await page.evaluate(() => {
    document.body.dataset.stays = "yes";
  });
  await page.getByLabel("Expression").fill('"Starter current" * "Battery voltage"');
  await page.getByRole("button", { name: "Work it out" }).click();
  await expect(page.getByRole("button", { name: /^Power = / })).toBeVisible();
  await bench(page).waitFor();
  await expect(page.locator("body")).toHaveAttribute("data-stays", "yes");
  await expect(page.getByLabel("Expression")).toHaveValue("");
  await drawer(page, "Readings");
  await page.getByText("Read again, or something else").click();
  await expect(page.locator("#roles select").first().locator("option", { hasText: "Power" })).toHaveCount(1);
  await page.getByRole("button", { name: /^Power = / }).click();
  await page.getByRole("button", { name: "Delete this channel" }).click();
  await expect(page.getByRole("button", { name: /^Power = / })).toHaveCount(0);
});

test("the four wheels lie on one scale, and each can have its own", async ({ page }) => {
  await page.goto("/bench/26");
  await bench(page).waitFor();
  const scaleOf = page.locator("#lane-sheet label", { hasText: /^Scale/ }).locator("select");
  const scale = async (name) => {
    await page.getByRole("button", { name: new RegExp(`^${name}`) }).click();
    const read = [
      await page.getByLabel("Bottom of the scale").inputValue(),
      await page.getByLabel("Top of the scale").inputValue(),
      await scaleOf.locator("option:checked").textContent(),
    ];
    await page.getByRole("button", { name: "Done" }).click();
    return read;
  };
  const left = await scale("front left wheel");
  expect(await scale("rear right wheel")).toEqual([left[0], left[1], "as front left wheel speed"]);
  await page.getByRole("button", { name: /^rear right wheel/ }).click();
  await scaleOf.selectOption({ label: "of its own" });
  await page.getByLabel("Top of the scale").fill("200");
  await page.getByLabel("Top of the scale").press("Tab");
  await page.getByRole("button", { name: "Done" }).click();
  expect((await scale("front left wheel")).slice(0, 2)).toEqual(left.slice(0, 2));
  expect((await scale("rear right wheel"))[1]).toBe("200");
});

test("another capture lies underneath and is lined up by key", async ({ page }) => {
  await page.goto("/bench/4");
  await bench(page).waitFor();
  await drawer(page, "Compare");
  await page.getByLabel("Underneath, as a pencil line").selectOption({ index: 1 });
  const grip = page.locator(".pencil");
  await expect(grip).toBeVisible();
  await grip.focus();
  await page.keyboard.press("Shift+ArrowRight");
  await expect.poll(() => page.getByLabel("Moved by, s").inputValue()).not.toBe("0");
  await page.getByLabel("Underneath, as a pencil line").selectOption("");
  await expect(grip).toHaveCount(0);
});

test("everything goes out as a file, and a bundle comes in again", async ({ page }) => {
  await page.goto("/bench/2");
  await bench(page).waitFor();
  await drawer(page, "Export");
  const files = {};
  for (const [button, ending] of [
    ["CSV", "csv"],
    ["WAV", "wav"],
    ["Bundle", "zip"],
    ["Picture, SVG", "svg"],
    ["Picture, PNG", "png"],
  ]) {
    const [download] = await Promise.all([page.waitForEvent("download"), page.getByRole("button", { name: button, exact: true }).click()]);
    expect(download.suggestedFilename()).toMatch(new RegExp(`\\.${ending}$`));
    files[ending] = await download.path();
  }
  await page.goto("/jobs/2#captures");
  await page.setInputFiles("input[type=file]", { name: "again.zip", mimeType: "application/zip", buffer: readFileSync(files.zip) });
  await page.getByRole("button", { name: "Look it over" }).click();
  await expect(page.getByText("bundle", { exact: true })).toBeVisible();
  await page.getByRole("button", { name: "Bring it in" }).click();
  await expect(page).toHaveURL(/bench/);
  await bench(page).waitFor();
  await drawer(page, "Readings");
  await expect(page.getByRole("article", { name: "Relative compression" })).toBeVisible();
});

test("another reading is made on the bench and replaces nothing", async ({ page }) => {
  await page.goto("/bench/1");
  await page.getByText("Read again, or something else").click();
  await page.locator("select[name=kind]").selectOption("duty");
  await page.getByLabel("Pulse train").selectOption("Ignition");
  await page.getByRole("button", { name: "Read", exact: true }).click();
  await expect(page.getByRole("article")).toHaveCount(2);
  await expect(page.getByRole("article", { name: "Duty cycle" })).toBeVisible();
});

test("a slipped belt is read against a known-good, and says so again when asked on the bench", async ({ page }) => {
  await page.goto("/jobs/4#readings");
  await expect(
    page
      .getByText(/The cam stands 16\.\d° late/)
      .locator("visible=true")
      .first(),
  ).toBeVisible();
  await page.getByRole("link", { name: "Warm idle, cam and crank" }).click();
  await bench(page).waitFor();
  await expect(page.getByRole("article", { name: "Cam timing" })).toContainText("out of time");
  await page.getByText("Read again, or something else").click();
  await page.locator("select[name=kind]").selectOption("cam-timing");
  await page.getByLabel("Known-good to compare with").selectOption({ label: "none" });
  await page.getByRole("button", { name: "Read", exact: true }).click();
  await expect(page.getByRole("article", { name: "Cam timing" })).toContainText("nothing to compare with");
  await page.getByText("Read again, or something else").click();
  await page.getByLabel("Known-good to compare with").selectOption({ label: "✓ Ghiro 1.0, upper valley shuttle: Known-good: warm idle" });
  await page.getByRole("button", { name: "Read", exact: true }).click();
  await expect(page.getByRole("article", { name: "Cam timing" })).toContainText(/16\.\d° late/);
});

test("an address that asks for degrees is not said to be drawn before it stands in degrees", async ({ page }) => {
  await page.route("**/bench/7/clock", async (route) => {
    await new Promise((resolve) => setTimeout(resolve, 700));
    await route.continue();
  });
  await page.goto("/bench/7?from=0.5&to=0.9&axis=degrees");
  await bench(page).waitFor();
  expect(await page.getByRole("button", { name: "Degrees" }).getAttribute("aria-pressed")).toBe("true");
  expect(await page.locator("#cycle-strip").isVisible()).toBe(true);
});

test("another capture lies underneath by crank degrees", async ({ page }) => {
  await page.goto("/bench/7?axis=degrees&from=1&to=1.3");
  await bench(page).waitFor();
  await drawer(page, "Compare");
  const kept = page.waitForResponse((r) => r.request().method() === "PUT" && r.ok());
  await page.getByLabel("Underneath, as a pencil line").selectOption({ label: "Known-good: warm idle, Ghiro 1.0, upper valley shuttle" });
  await kept;
  const asked = page.waitForRequest((r) => /bench\/6\/clock\?over=7/.test(r.url()));
  await page.reload();
  await asked;
  await bench(page).waitFor();
  // The cam is a tooth of its belt late, and the edge says so; by seconds it is moved onto the one underneath.
  await drawer(page, "Compare");
  await page.getByLabel("The edge is of").selectOption({ label: "Cam sensor" });
  await page.getByRole("button", { name: "Line up on an edge" }).click();
  await expect(page.locator("#line-said")).toHaveText(
    /^Cam sensor, this one (rising|falling) edge at \d\.\d+ s: 1[567]\.\d° later than underneath\. Both/,
  );
  await page.getByRole("button", { name: "Seconds" }).click();
  await page.getByRole("button", { name: "Line up on an edge" }).click();
  await expect(page.locator("#line-said")).toHaveText(/what lies underneath moved by [+−]\d+\.\d\d ms\.$/);
  await expect(page.getByLabel("Moved by, s")).not.toHaveValue("0");
  await page.getByRole("button", { name: "Degrees" }).click();
  await drawer(page, "Cycles");
  await expect(page.locator("#clock-said")).toContainText("60 tooth places");
  await page.getByRole("button", { name: "Speed per tooth as a channel" }).click();
  await expect(page.getByText("Speed of Crank sensor").first()).toBeVisible({ timeout: 20_000 });
});

test("the bench goes over to crank degrees, steps by cycles and lays them on each other in the lanes", async ({ page }) => {
  await page.goto("/bench/5?from=2&to=2.4");
  await bench(page).waitFor();
  await page.getByRole("button", { name: "Degrees" }).click();
  await expect(page.locator("#cycle-strip")).toBeVisible();
  await drawer(page, "Cycles");
  await expect(page.locator("#clock-said")).toContainText("60 tooth places − 2");
  const span = await page.locator("#window-span").textContent();
  await page.keyboard.press("]");
  await expect(page.locator("#window-span")).not.toHaveText(span);
  await page.reload();
  await bench(page).waitFor();
  await expect(page.getByRole("button", { name: "Degrees" })).toHaveAttribute("aria-pressed", "true");
  await page.keyboard.press("c");
  await expect(page.locator("#window-span")).toHaveText("0.0 – 720.0°");
  await bench(page).waitFor();
  // The misfiring cylinder is in question by itself; another is chosen by a tap.
  await expect(page.getByRole("group", { name: "Shade the strokes of" }).getByRole("button", { pressed: true })).toHaveText("4");
  await page.getByRole("group", { name: "Shade the strokes of" }).getByRole("button", { name: "2" }).click();
  await expect(page.getByRole("group", { name: "Shade the strokes of" }).getByRole("button", { pressed: true })).toHaveText("2");
  await page.keyboard.press("s");
  await expect(page.locator("#window-span")).toContainText(" s");
  await page.goto("/bench/2");
  await bench(page).waitFor();
  await page.getByRole("button", { name: "Degrees" }).click();
  await expect(page.locator("#clock-said")).toContainText("without a trigger wheel");
});

test("calipers measure degrees on one cycle: the cam's first tooth against the known-good underneath", async ({ page }) => {
  await page.goto("/bench/7");
  await bench(page).waitFor();
  await drawer(page, "Compare");
  await page.getByLabel("Underneath, as a pencil line").selectOption("");
  await page.getByRole("button", { name: "Known-good underneath" }).click();
  await page.keyboard.press("c");
  await expect(page.locator("#window-span")).toHaveText("0.0 – 720.0°");
  await bench(page).waitFor();
  await expect(page.locator(".pencil")).toBeVisible();
  await page.keyboard.press("m");
  const { x, y, width } = await page.locator(".u-over").nth(1).boundingBox();
  // From the falling edge near 24° to the rising one near 143°.
  await page.mouse.move(x + (26 / 720) * width, y + 60);
  await page.mouse.down();
  await page.mouse.move(x + (141 / 720) * width, y + 60, { steps: 5 });
  await page.mouse.up();
  const between = page.locator("[data-span] tr", { hasText: "Between" }).locator("td").nth(1);
  await expect(between).toHaveText(/^1(19|20|21)\.\d°$/);
  await page.locator("[data-span]").getByRole("button", { name: "Delete" }).click();
  await expect(page.locator("[data-span]")).toHaveCount(0);
  await page.keyboard.press("k");
  await expect(page.locator(".pencil")).toHaveCount(0);
});

test("a firing order is laid over a trace by two taps, and its strokes stand over all lanes", async ({ page }) => {
  await page.goto("/bench/22?from=1&to=1.8");
  await bench(page).waitFor();
  await drawer(page, "Cycles");
  await page.getByRole("combobox", { name: "Firing order" }).fill("1-2-1");
  await page.getByRole("button", { name: "Tap the first firing" }).click();
  await expect(page.locator("#order-said")).toContainText("like 1-3-4-2");
  await page.getByRole("combobox", { name: "Firing order" }).fill("1-8-4-3-6-5-7-2");
  await page.getByRole("button", { name: "Tap the first firing" }).click();
  const { x, y, width } = await page.locator(".u-over").first().boundingBox();
  // Two sparks of the ignition lead follow each other every 0.15 s.
  const sparks = await page.evaluate(async () => {
    const found = [];
    for (let at = 1.05, n = 0; n < 2; n++) {
      const answer = await fetch("/bench/22/snap-next", {
        method: "POST",
        headers: {
          "content-type": "application/json",
          RequestVerificationToken: document.querySelector("input[name=__RequestVerificationToken]").value,
        },
        body: JSON.stringify({
          channel: JSON.parse(document.querySelector("#bench-data").textContent).channels[0].id,
          at,
          reach: 0.01,
          to: "level",
          level: 30,
          back: false,
        }),
      });
      at = (await answer.json()).seconds + 0.03;
      found.push(at - 0.03);
    }
    return found;
  });
  for (const at of sparks) await page.mouse.click(x + ((at - 1) / 0.8) * width, y + 60);
  await expect(page.locator("#order-said")).toContainText("rpm where you tapped");
  await expect(page.locator("#cycle-strip")).toBeVisible();
  await expect(page.getByRole("group", { name: "Shade the strokes of" }).getByRole("button")).toHaveText([
    "1",
    "8",
    "4",
    "3",
    "6",
    "5",
    "7",
    "2",
  ]);
  await page.getByRole("button", { name: "Take it off" }).click();
  await expect(page.locator("#cycle-strip")).toBeHidden();
});

test("a figure leads to its place on the lanes, and the address holds it", async ({ page }) => {
  await page.goto("/bench/8");
  await bench(page).waitFor();
  await page
    .getByRole("article", { name: "Desired and actual: Boost pressure" })
    .getByRole("link", { name: / kPa at / })
    .first()
    .click();
  await expect(page).toHaveURL(/mark=\d+/);
  const marked = await page.locator("#window-span").textContent();
  await page.goto(page.url());
  await bench(page).waitFor();
  await expect(page.locator("#window-span")).toHaveText(marked);
});

test("a role is corrected in its sentence and the reading is made again at once", async ({ page }) => {
  await page.goto("/bench/3");
  await bench(page).waitFor();
  const article = page.getByRole("article", { name: "Relative compression" });
  await article.locator("form.from select").first().selectOption("Battery voltage");
  await page.waitForLoadState();
  await bench(page).waitFor();
  await expect(page.getByRole("article", { name: "Relative compression" })).toHaveCount(1);
  await expect(article.locator("form.from select").first()).toHaveValue("Battery voltage");
  await article.locator("form.from select").first().selectOption("Starter current");
  await bench(page).waitFor();
  await expect(article.locator("form.from select").first()).toHaveValue("Starter current");
});

test("the drawer opens by key, grows, shuts, and lies so again after a reload; the traces get the room", async ({ page }) => {
  await page.goto("/bench/1");
  await bench(page).waitFor();
  const wide = () =>
    page
      .locator(".u-over")
      .first()
      .evaluate((over) => over.clientWidth);
  expect(await wide()).toBeGreaterThanOrEqual(760);
  await page.keyboard.press("2");
  await expect(page.getByRole("tabpanel", { name: "Measures" })).toBeVisible();
  await page.keyboard.press("0");
  await expect(page.getByRole("tabpanel")).toHaveCount(0);
  await expect.poll(wide).toBeGreaterThanOrEqual(1150);
  await page.reload();
  await bench(page).waitFor();
  await expect(page.getByRole("tabpanel")).toHaveCount(0);
  await page.getByRole("button", { name: /Relative compression/ }).click();
  await expect(page.getByRole("article", { name: "Relative compression" })).toBeVisible();
});

test("single keys can be switched off and on again", async ({ page }) => {
  await page.goto("/bench/1");
  await bench(page).waitFor();
  const whole = await page.locator("#window-span").textContent();
  await page.keyboard.press("?");
  await page.getByLabel(/single letters do all this/).uncheck();
  await page.keyboard.press("Escape");
  await expect(page.locator("#keys")).toBeHidden();
  await page.keyboard.press("+");
  await page.keyboard.press("0");
  await expect(page.locator("#window-span")).toHaveText(whole);
  await expect(page.getByRole("tabpanel", { name: "Readings" })).toBeVisible();
  await page.keyboard.press("?");
  await page.getByLabel(/single letters do all this/).check();
  await page.keyboard.press("Escape");
  await expect(page.locator("#keys")).toBeHidden();
  await page.keyboard.press("+");
  await expect(page.locator("#window-span")).not.toHaveText(whole);
});
