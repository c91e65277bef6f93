import { expect, test } from "@playwright/test";
import { bench, cranking } from "./pages.mjs";

test("a file is looked over, corrected, brought in and read", async ({ page }) => {
  await page.goto("/jobs/2#captures");
  await page.setInputFiles("input[type=file]", { name: "crank.csv", mimeType: "text/csv", buffer: cranking({ delimiter: ";" }) });
  await page.getByRole("button", { name: "Look it over" }).click();
  await expect(page.getByText("semicolon")).toBeVisible();
  await expect(page.getByLabel("What Starter current is")).toHaveValue("current");
  await expect(page.getByRole("img", { name: "From 90 to 270" })).toBeVisible();
  await page.getByLabel("Coolant").fill("warm");
  await page.getByRole("button", { name: "Bring it in" }).click();
  await expect(page.getByText("“warm” can't be read as a number")).toBeVisible();
  await page.getByLabel("Coolant").fill("20");
  await page.getByLabel("Probe of Starter current").selectOption({ label: "turned round" });
  await page.getByRole("button", { name: "Bring it in" }).click();
  await expect(page).toHaveURL(/bench/);
  await bench(page).waitFor();
  await expect(page.getByText("20 °C")).toBeVisible();
});

test("a file that can't be read is refused with its line and leaves nothing", async ({ page }) => {
  await page.goto("/jobs/2#captures");
  const captures = page.getByRole("tabpanel", { name: /^Captures/ }).getByRole("listitem");
  const before = await captures.count();
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
  await page.getByRole("tab", { name: /^Captures/ }).click();
  await expect(captures).toHaveCount(before);
});

test("a CAN log is brought in with its own description", async ({ page }) => {
  await page.goto("/jobs/7#captures");
  const swapped = (value) => value.toString(16).padStart(4, "0").match(/../g).reverse().join("");
  const frame = (i) => `(${(100 + i * 0.05).toFixed(6)}) can0 123#${swapped(3200 + i * 4)}000000000000`;
  const frames = Array.from({ length: 400 }, (_, i) => frame(i)).join("\n");
  await page.setInputFiles("input[name=file]", { name: "drive.log", mimeType: "text/plain", buffer: Buffer.from(frames + "\n") });
  await page.getByText("It is a CAN log with a description of its own").click();
  await page.setInputFiles("input[name=description]", {
    name: "bus.dbc",
    mimeType: "text/plain",
    buffer: Buffer.from('BO_ 291 Drive: 8 Engine\n SG_ EngineSpeed : 0|16@1+ (0.25,0) [0|16000] "rpm" Gateway\n'),
  });
  await page.getByRole("button", { name: "Look it over" }).click();
  await expect(page.getByText("CAN log", { exact: true })).toBeVisible();
  await page.getByRole("button", { name: "Bring it in" }).click();
  await expect(page).toHaveURL(/bench/);
  await bench(page).waitFor();
  await expect(page.getByText("EngineSpeed").first()).toBeVisible();
});
