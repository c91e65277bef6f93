import { AxeBuilder } from "@axe-core/playwright";
import { expect, test } from "@playwright/test";
import { readFileSync } from "node:fs";

/** A cranking current of a four-cylinder engine with one weak hump, good enough to be imported and looked at. */
function cranking({ rows = 12_000, delimiter = "," } = {}) {
  const lines = [["Time (s)", "Starter current (A)"].join(delimiter)];
  for (let i = 0; i < rows; i++) lines.push([(i * 5e-4).toFixed(4), (180 + 90 * Math.sin(i / 16)).toFixed(2)].join(delimiter));
  return Buffer.from(lines.join("\n") + "\n");
}

const bench = (page) => page.locator("#bench[data-drawn]:not([aria-busy])");

test("the open jobs show complaint, sentence and step, and can be searched", async ({ page }) => {
  await page.goto("/");
  await expect(page.getByRole("listitem")).toHaveCount(6);
  await expect(page.getByText("Compression is uneven: cylinder 3 at")).toBeVisible();
  await page.keyboard.press("/");
  await page.keyboard.type("plough");
  await expect(page.getByRole("listitem")).toHaveCount(1);
  await page.getByRole("searchbox").fill("no such vehicle");
  await expect(page.getByText("No job matches")).toBeVisible();
});

test("a job is taken in with the keyboard alone, edited, closed, deleted and brought back", async ({ page }) => {
  await page.goto("/jobs/new");
  await page.keyboard.type("Ghiro 1.0, mail sledge");
  await page.keyboard.press("Tab");
  await page.keyboard.type("NB 0999");
  await page.keyboard.press("Tab");
  await page.locator("#Form_EngineId").selectOption({ label: "Ghiro 1.0" });
  await page.keyboard.press("Enter");
  await page.getByLabel("Complaint").fill("Stalls at junctions");
  await page.getByRole("button", { name: "Take it in" }).press("Enter");
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Ghiro 1.0, mail sledge");
  await page.getByRole("link", { name: "Edit" }).click();
  await page.getByLabel("Odometer").fill("-3");
  await page.getByRole("button", { name: "Keep changes" }).click();
  await expect(page.getByText("Kilometres lie from 0")).toBeVisible();
  await page.getByLabel("Odometer").fill("12345");
  await page.getByRole("button", { name: "Keep changes" }).click();
  await expect(page.getByText("12,345 km")).toBeVisible();
  await page.getByRole("button", { name: "Close" }).click();
  await expect(page.getByRole("button", { name: "Reopen" })).toBeVisible();
  await page.getByRole("button", { name: "Delete" }).click();
  await expect(page.getByRole("status")).toContainText("is deleted");
  await page.getByRole("button", { name: "Undo" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Ghiro 1.0, mail sledge");
  await page.getByRole("button", { name: "Delete" }).click();
});

test("a wrong firing order is refused beside its field", async ({ page }) => {
  await page.goto("/engines/new");
  await page.getByRole("link", { name: "V6, 90° odd-fire" }).click();
  await expect(page.getByLabel("Firing angles in that order")).toHaveValue("0 90 240 330 480 570");
  for (const [order, why] of [["1-6-5-4-3-3", "more than once"], ["1-6-5-4-3", "missing"], ["1-6-5-4-3-9", "no cylinder 9"], ["1-6-x", "not a number"]]) {
    await page.getByLabel("Firing order").fill(order);
    await page.getByRole("button", { name: "Keep this engine" }).click();
    await expect(page.locator(".field", { hasText: "Firing order" }).locator(".wrong")).toContainText(why);
  }
  await page.getByLabel("Firing order").fill("1-6-5-4-3-2");
  await page.getByLabel("Name").fill("Volpe V6");
  await page.getByRole("button", { name: "Keep this engine" }).click();
  await expect(page.getByRole("row", { name: /Volpe V6/ })).toContainText("odd-fire");
});

test("the stand-in's weak cylinder is recorded, read and enters the ledger", async ({ page }) => {
  await page.goto("/rig");
  await page.getByLabel("Into the job").selectOption({ index: 1 });
  await page.getByLabel("Leaking cylinder").fill("16");
  await page.getByRole("button", { name: "Crank and record" }).click();
  await expect(page.getByText(/has \d cylinders/)).toBeVisible();
  await page.getByLabel("Leaking cylinder").fill("2");
  await page.getByRole("button", { name: "Crank and record" }).click();
  await expect(page.getByText(/cylinder 2 at \d+ %/)).toBeVisible();
  await bench(page).waitFor();
  await page.locator("nav.rail + main a").first().click();
  await expect(page.getByRole("row", { name: /^2/ }).locator(".stamp")).toBeVisible();
});

test("the bench zooms, goes back and fits by key, and asks no other host for anything", async ({ page }) => {
  const elsewhere = [];
  page.on("request", (request) => { if (!request.url().startsWith(new URL(page.url() === "about:blank" ? request.url() : page.url()).origin) && !request.url().startsWith("data:")) elsewhere.push(request.url()); });
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
  await page.getByRole("slider", { name: /right jaw/ }).first().focus();
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

test("lanes are joined, shown in another unit, smoothed and put aside, and lie so again after a reload", async ({ page }) => {
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
  await sheet.getByLabel("Without its standing part").check();
  await wait;
  await sheet.getByRole("button", { name: "Done" }).click();
  await page.getByRole("button", { name: /^Ignition/ }).click();
  wait = saved();
  await sheet.getByRole("button", { name: "Put aside" }).click();
  await wait;
  await page.reload();
  await bench(page).waitFor();
  await expect(page.locator(".lane")).toHaveCount(1);
  await expect(page.getByRole("button", { name: /^Battery voltage \(standing part removed, median of 5\)/ })).toBeVisible();
  await page.getByRole("button", { name: "Ignition, show" }).click();
  await expect(page.locator(".lane")).toHaveCount(2);
});

test("a channel is worked out from others, a wrong expression says where", async ({ page }) => {
  await page.goto("/bench/3");
  await bench(page).waitFor();
  await page.getByText("New channel from others").click();
  await page.getByLabel("Expression").fill('lowpas("Starter current", 5)');
  await page.getByLabel("Name", { exact: true }).fill("Power");
  await page.getByRole("button", { name: "Work it out" }).click();
  await expect(page.locator("#derive-error")).toContainText("there is no function 'lowpas'");
  await page.getByLabel("Expression").fill('"Starter current" * "Battery voltage"');
  await page.getByRole("button", { name: "Work it out" }).click();
  await expect(page.getByRole("button", { name: /^Power = / })).toBeVisible();
  await page.getByRole("button", { name: /^Power = / }).click();
  await page.getByRole("button", { name: "Delete this channel" }).click();
  await expect(page.getByRole("button", { name: /^Power = / })).toHaveCount(0);
});

test("another capture lies underneath and is lined up by key", async ({ page }) => {
  await page.goto("/bench/4");
  await bench(page).waitFor();
  await page.getByText("Compare", { exact: true }).click();
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
  await page.getByText("Take out", { exact: true }).click();
  const files = {};
  for (const [button, ending] of [["CSV", "csv"], ["WAV", "wav"], ["Bundle", "zip"], ["Picture, SVG", "svg"], ["Picture, PNG", "png"]]) {
    const [download] = await Promise.all([page.waitForEvent("download"), page.getByRole("button", { name: button, exact: true }).click()]);
    expect(download.suggestedFilename()).toMatch(new RegExp(`\\.${ending}$`));
    files[ending] = await download.path();
  }
  await page.goto("/jobs/2");
  await page.setInputFiles("input[type=file]", { name: "again.zip", mimeType: "application/zip", buffer: readFileSync(files.zip) });
  await page.getByRole("button", { name: "Look it over" }).click();
  await expect(page.getByText("bundle", { exact: true })).toBeVisible();
  await page.getByRole("button", { name: "Bring it in" }).click();
  await expect(page).toHaveURL(/bench/);
  await bench(page).waitFor();
  await expect(page.getByRole("article", { name: "Relative compression" })).toBeVisible();
});

test("the live scope rolls, holds, triggers, keeps, and comes back after a dropped connection", async ({ page, context }) => {
  await page.goto("/rig");
  await page.getByRole("button", { name: "Go live" }).click();
  await expect(page).toHaveURL(/live/);
  const drawn = () => page.locator("#live").getAttribute("data-drawn");
  await expect.poll(drawn).not.toBeNull();
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
  await page.getByLabel("The last, s").fill("3");
  await page.getByRole("button", { name: "Keep", exact: true }).click();
  await expect(page.getByRole("link", { name: "Live, the last 3 s" })).toBeVisible({ timeout: 20_000 });
  await page.getByLabel("The last, s").fill("100000");
  await page.getByRole("button", { name: "Keep", exact: true }).click();
  await expect(page.locator("#live-error")).toContainText("are held");
  const { violations } = await new AxeBuilder({ page }).analyze();
  expect(violations.filter((v) => v.impact === "serious" || v.impact === "critical").map((v) => `${v.id}: ${v.nodes.map((n) => n.target).join(" ")}`)).toEqual([]);
  await page.getByRole("button", { name: "Stop the instrument" }).click();
  await expect(page.getByText("Live, the last 3 s").first()).toBeVisible();
  await page.goBack();
  await expect(page.getByText("no longer runs")).toBeVisible();
});

test("a file is looked over, corrected, brought in and read", async ({ page }) => {
  await page.goto("/jobs/2");
  await page.setInputFiles("input[type=file]", { name: "crank.csv", mimeType: "text/csv", buffer: cranking({ delimiter: ";" }) });
  await page.getByRole("button", { name: "Look it over" }).click();
  await expect(page.getByText("semicolon")).toBeVisible();
  await expect(page.getByLabel("What Starter current is")).toHaveValue("current");
  await page.getByLabel("Coolant").fill("warm");
  await page.getByRole("button", { name: "Bring it in" }).click();
  await expect(page.getByText("'warm' is not a number")).toBeVisible();
  await page.getByLabel("Coolant").fill("20");
  await page.getByLabel("Probe of Starter current").selectOption({ label: "turned round" });
  await page.getByRole("button", { name: "Bring it in" }).click();
  await expect(page).toHaveURL(/bench/);
  await bench(page).waitFor();
  await expect(page.getByText("20 °C")).toBeVisible();
});

test("a file that can't be read is refused with its line and leaves nothing", async ({ page }) => {
  await page.goto("/jobs/2");
  const before = await page.getByRole("listitem").count();
  await page.setInputFiles("input[type=file]", { name: "bad.csv", mimeType: "text/csv", buffer: Buffer.from("Time (s),A (V)\n") });
  await page.getByRole("button", { name: "Look it over" }).click();
  await expect(page.getByRole("alert")).toContainText("bad.csv, line 1");
  const late = cranking().toString().split("\n");
  late.splice(9000, 0, "0.1,5");
  await page.setInputFiles("input[type=file]", { name: "late.csv", mimeType: "text/csv", buffer: Buffer.from(late.join("\n")) });
  await page.getByRole("button", { name: "Look it over" }).click();
  await page.getByRole("button", { name: "Bring it in" }).click();
  await expect(page.getByRole("alert")).toContainText("line 9001");
  await expect(page.getByRole("alert")).toContainText("backwards");
  await page.getByRole("link", { name: "Back to the job" }).click();
  await expect(page.getByRole("listitem")).toHaveCount(before);
});

test("another reading is made on the bench and replaces nothing", async ({ page }) => {
  await page.goto("/bench/1");
  await page.locator("select[name=kind]").selectOption("duty");
  await page.getByLabel("Pulse train").selectOption("Ignition");
  await page.getByRole("button", { name: "Read", exact: true }).click();
  await expect(page.getByRole("article")).toHaveCount(2);
  await expect(page.getByRole("article", { name: "Duty cycle" })).toBeVisible();
});

test("a slipped belt is read against a known-good, and says so again when asked on the bench", async ({ page }) => {
  await page.goto("/jobs/4");
  await expect(page.getByText(/The cam stands 16\.\d° late/).first()).toBeVisible();
  await page.getByRole("link", { name: "Warm idle, cam and crank" }).click();
  await bench(page).waitFor();
  await expect(page.getByRole("article", { name: "Cam timing" })).toContainText("fault");
  await page.locator("select[name=kind]").selectOption("cam-timing");
  await page.getByLabel("Known-good to compare with").selectOption({ label: "none" });
  await page.getByRole("button", { name: "Read", exact: true }).click();
  await expect(page.getByRole("article", { name: "Cam timing" })).toContainText("nothing to compare with");
  await page.getByLabel("Known-good to compare with").selectOption({ label: "✓ Ghiro 1.0, upper valley shuttle: Known-good: warm idle" });
  await page.getByRole("button", { name: "Read", exact: true }).click();
  await expect(page.getByRole("article", { name: "Cam timing" })).toContainText(/16\.\d° late/);
});

test("a sound capture is put on the shelf with its reason, found there, and taken off again", async ({ page }) => {
  await page.goto("/bench/2");
  await page.getByText("Put on the shelf").click();
  await page.getByRole("button", { name: "Put it there" }).click();
  await expect(page.getByText("Say why it counts as good")).toBeVisible();
  await page.getByLabel("Why it counts as good").fill("All six cylinders even, no codes");
  await page.getByLabel("Checked by").fill("L. Brina");
  await page.getByRole("button", { name: "Put it there" }).click();
  await expect(page).toHaveURL(/shelf/);
  await expect(page.getByText("All six cylinders even, no codes")).toBeVisible();
  await page.getByRole("searchbox").fill("tasso parked");
  await page.keyboard.press("Enter");
  await expect(page.getByText("Nothing on the shelf matches")).toBeVisible();
  await page.getByRole("searchbox").fill("tasso cranking");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("listitem")).toHaveCount(1);
  await page.getByRole("link", { name: "Cranking after a wet night" }).click();
  await page.getByText("On the shelf as known-good").click();
  await page.getByRole("button", { name: "Take it off the shelf" }).click();
  await expect(page).toHaveURL(/bench\/2$/);
});

test("a bundle goes straight onto the shelf, and all known-good captures of an engine are judged against at once", async ({ page }) => {
  await page.goto("/shelf");
  const [download] = await Promise.all([page.waitForEvent("download"), page.getByRole("listitem").filter({ hasText: "upper valley shuttle" }).getByRole("link", { name: "Bundle" }).click()]);
  const file = await download.path();
  await page.getByText("Bring a bundle onto the shelf").click();
  await page.getByLabel("The bundle").setInputFiles({ name: "good.zip", mimeType: "application/zip", buffer: readFileSync(file) });
  await page.locator("select[name=engine]").selectOption("Ghiro 1.0");
  await page.getByRole("button", { name: "Put it there" }).click();
  await expect(page.getByRole("alert")).toContainText("Say why it counts as good");
  await page.getByLabel("The bundle").setInputFiles({ name: "good.zip", mimeType: "application/zip", buffer: readFileSync(file) });
  await page.locator("select[name=engine]").selectOption("Ghiro 1.0");
  await page.getByLabel("Why it counts as good").fill("Measured again after a year");
  await page.getByRole("button", { name: "Put it there" }).click();
  await expect(page).toHaveURL(/bench/);
  await page.goto("/shelf");
  await expect(page.getByText("Measured again after a year")).toBeVisible();
  await page.goto("/bench/7");
  await page.locator("select[name=kind]").selectOption("cam-timing");
  await expect(page.getByLabel("Known-good to compare with")).toContainText("all 4 on the shelf for this engine");
  await page.getByRole("button", { name: "Read", exact: true }).click();
  await expect(page.getByRole("article", { name: "Cam timing" })).toContainText("mean of 4 known-good captures");
  await expect(page.getByRole("article", { name: "Cam timing" })).toContainText("one tooth late on the belt");
});

test("a running stand-in with a misfire is watched live, kept and read", async ({ page }) => {
  await page.goto("/rig");
  await page.locator("select[name=\"Form.Does\"]").selectOption({ label: "runs on its own fuel" });
  await page.getByLabel("Misfiring cylinder while it runs").fill("2");
  await page.getByRole("button", { name: "Go live" }).click();
  await page.getByRole("button", { name: "Turn the key" }).click();
  await page.waitForTimeout(9_000);
  await page.getByLabel("The last, s").fill("6");
  await page.getByRole("button", { name: "Keep", exact: true }).click();
  await page.getByRole("link", { name: "Live, the last 6 s" }).click({ timeout: 20_000 });
  await expect(page.getByRole("article", { name: "Misfire" })).toContainText("Cylinder 2 misfires");
});

test("another capture lies underneath by crank degrees", async ({ page }) => {
  await page.goto("/bench/7?axis=degrees&from=1&to=1.3");
  await bench(page).waitFor();
  await page.locator("summary", { hasText: "Compare" }).click();
  const kept = page.waitForResponse((r) => r.request().method() === "PUT" && r.ok());
  await page.getByLabel("Underneath, as a pencil line").selectOption({ label: "Known-good: warm idle, Ghiro 1.0, upper valley shuttle" });
  await kept;
  const asked = page.waitForRequest((r) => /bench\/6\/clock\?over=7/.test(r.url()));
  await page.reload();
  await asked;
  await bench(page).waitFor();
  await expect(page.locator("#clock-said")).toContainText("60 tooth places");
  await page.getByRole("button", { name: "Speed per tooth as a channel" }).click();
  await expect(page.getByText("Speed of Crank sensor").first()).toBeVisible({ timeout: 20_000 });
});

test("a log is read by itself, searched by condition, and drawn one value against others", async ({ page }) => {
  await page.goto("/jobs/7");
  await expect(page.getByText("Before and after")).toBeVisible();
  await page.getByRole("link", { name: "Road test, three pulls" }).click();
  await bench(page).waitFor();
  await expect(page.getByRole("article", { name: "Desired and actual: Boost pressure" })).toContainText("below");
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
  await page.locator("#bench .u-over").first().hover({ position: { x: 250, y: 40 } });
  await expect(page.locator("#log-values [data-pointer]").first()).not.toBeEmpty();
  const there = await page.locator("#bench .name [data-pointer]").first().textContent();
  await page.locator("#bench .u-over").first().hover({ position: { x: 520, y: 40 } });
  await expect(page.locator("#bench .name [data-pointer]").first()).not.toHaveText(there);
  await page.getByRole("button", { name: /Maximum of Engine speed, show/ }).click();
  await page.getByText("One value against others").click();
  await page.getByRole("button", { name: "Draw" }).click();
  await expect(page.locator("#against figure")).toBeVisible();
  const { violations } = await new AxeBuilder({ page }).analyze();
  expect(violations.filter((v) => v.impact === "serious" || v.impact === "critical").map((v) => `${v.id}: ${v.nodes.map((n) => n.target).join(" ")}`)).toEqual([]);
});

test("codes are pasted and the stand-in vehicle is read before anything is unplugged", async ({ page }) => {
  await page.goto("/jobs/1");
  await page.getByRole("link", { name: "Codes and tests" }).click();
  await page.getByLabel(/Type or paste codes/).fill("Engine:\nP0340 cam sensor, stored");
  await page.getByRole("button", { name: "Add them" }).click();
  await expect(page.getByText("do not dismiss it")).toBeVisible();
  await page.getByLabel("Misfiring cylinder").fill("3");
  await page.getByRole("button", { name: "Read codes and counters" }).click();
  await expect(page.getByText(/Most misfires: cylinder 3/)).toBeVisible();
  await page.getByLabel("State of P0340").selectOption("own testing");
  await expect(page.getByText("caused by our own testing")).toBeVisible();
  await page.getByRole("link", { name: /Codes and on-board tests/ }).click();
  await expect(page.getByRole("article", { name: "On-board tests" })).toContainText("Oxygen sensor bank 1 sensor 1");
  const { violations } = await new AxeBuilder({ page }).analyze();
  expect(violations.filter((v) => v.impact === "serious" || v.impact === "critical").map((v) => `${v.id}: ${v.nodes.map((n) => n.target).join(" ")}`)).toEqual([]);
  await page.goto("/jobs/1");
  await expect(page.getByText("143", { exact: true })).toBeVisible();
});

test("a CAN log is brought in with its own description", async ({ page }) => {
  await page.goto("/jobs/7");
  const frames = Array.from({ length: 400 }, (_, i) => `(${(100 + i * 0.05).toFixed(6)}) can0 123#${(3200 + i * 4).toString(16).padStart(4, "0").match(/../g).reverse().join("")}000000000000`).join("\n");
  await page.setInputFiles("input[name=file]", { name: "drive.log", mimeType: "text/plain", buffer: Buffer.from(frames + "\n") });
  await page.getByText("It is a CAN log with a description of its own").click();
  await page.setInputFiles("input[name=description]", { name: "bus.dbc", mimeType: "text/plain", buffer: Buffer.from('BO_ 291 Drive: 8 Engine\n SG_ EngineSpeed : 0|16@1+ (0.25,0) [0|16000] "rpm" Gateway\n') });
  await page.getByRole("button", { name: "Look it over" }).click();
  await expect(page.getByText("CAN log", { exact: true })).toBeVisible();
  await page.getByRole("button", { name: "Bring it in" }).click();
  await expect(page).toHaveURL(/bench/);
  await bench(page).waitFor();
  await expect(page.getByText("EngineSpeed").first()).toBeVisible();
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

test("the bench goes over to crank degrees, steps by cycles and lays them on top of each other", async ({ page }) => {
  await page.goto("/bench/5?from=2&to=2.4");
  await bench(page).waitFor();
  await page.getByRole("button", { name: "Degrees" }).click();
  await expect(page.locator("#cycle-strip")).toBeVisible();
  await expect(page.locator("#clock-said")).toContainText("60 tooth places − 2");
  const span = await page.locator("#window-span").textContent();
  await page.keyboard.press("]");
  await expect(page.locator("#window-span")).not.toHaveText(span);
  await page.reload();
  await bench(page).waitFor();
  await expect(page.getByRole("button", { name: "Degrees" })).toHaveAttribute("aria-pressed", "true");
  await page.getByText("Every cycle on top of the other").click();
  await page.getByLabel("Fold on 720°").selectOption({ label: "Cam sensor" });
  await expect(page.getByRole("img", { name: /Cam sensor over one cycle: mean and spread of \d+ cycles/ })).toBeVisible();
  await page.goto("/bench/2");
  await bench(page).waitFor();
  await page.getByRole("button", { name: "Degrees" }).click();
  await expect(page.locator("#clock-said")).toContainText("without a trigger wheel");
});

test("a misfiring cylinder stands out on the bench, in the ledger and in the report", async ({ page }) => {
  await page.goto("/bench/5");
  await expect(page.getByRole("img", { name: /cylinder 4: 16 of 85 missing/ })).toBeVisible();
  await page.goto("/jobs/2");
  await expect(page.getByRole("row", { name: /^4/ }).locator(".stamp").first()).toBeVisible();
  await page.goto("/jobs/2/report");
  await expect(page.getByText("Cylinder 4 misfires: 16 of its 85 firings.").first()).toBeVisible();
});

test("a burnt valve shows in pressure, pulses, ledger and report, and TDC by pressure is kept in the engine file", async ({ page }) => {
  await page.goto("/");
  await page.getByRole("link", { name: "Orsa 1.4, pass bus" }).click();
  await expect(page.getByRole("heading", { name: "Cylinders against each other" })).toBeVisible();
  await expect(page.getByText(/^Cylinder 3 differs:/)).toBeVisible();
  await expect(page.getByRole("row", { name: /^3/ }).locator(".stamp")).toHaveCount(2);
  await expect(page.getByRole("row", { name: /^1/ }).locator(".stamp")).toHaveCount(0);
  const job = page.url();
  await page.getByRole("link", { name: "Cylinder 1, warm idle" }).click();
  await bench(page).waitFor();
  await expect(page.getByRole("img", { name: /Mean pressure over one cycle/ })).toBeVisible();
  await expect(page.getByRole("img", { name: /Peak pressure of each of \d+ cycles/ })).toBeVisible();
  const keep = page.getByRole("button", { name: /^Keep [\d.]+ ° in the engine file$/ });
  const wanted = (await keep.textContent()).match(/[\d.]+/)[0];
  await keep.click();
  await page.waitForURL(/bench/);
  await page.goto("/engines/1");
  await expect(page.locator(`input[value="${Number(wanted)}"]`).first()).toBeVisible();
  await page.goto(job + "/report");
  await expect(page.getByText(/^Cylinder 3 leaks: \d+ % of its charge is lost/).first()).toBeVisible();
  await expect(page.getByRole("img", { name: /Mean cycle at the pick-up/ })).toBeVisible();
});

for (const [width, height] of [[1280, 800], [820, 1180]])
  test(`no serious accessibility finding and nothing cut off at ${width}x${height}`, async ({ page }) => {
    await page.setViewportSize({ width, height });
    for (const path of ["/", "/jobs/1", "/jobs/new", "/engines", "/engines/2", "/rig", "/shelf", "/shelf/by-numbers?goodTurns=160.0&goodEdge=40.0&turns=80.0&edge=21.5", "/jobs/1/report", "/bench/1", "/bench/5", "/bench/7", "/jobs/2/report", "/jobs/12", "/bench/22", "/bench/24", "/jobs/12/report", "/nowhere"]) {
      await page.goto(path);
      if (path.startsWith("/bench")) await bench(page).waitFor();
      for (const light of ["day", "night"]) {
        await page.evaluate((l) => { document.documentElement.dataset.light = l; }, light);
        const { violations } = await new AxeBuilder({ page }).analyze();
        const serious = violations.filter((v) => v.impact === "serious" || v.impact === "critical").map((v) => `${v.id}: ${v.nodes.map((n) => n.target).join(" ")}`);
        expect(serious, `${path} ${light}`).toEqual([]);
      }
      expect(await page.evaluate(() => document.documentElement.scrollWidth - innerWidth), path).toBeLessThanOrEqual(0);
    }
  });
