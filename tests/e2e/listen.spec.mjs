import { chromium, expect, test } from "@playwright/test";
import { mkdtempSync, rmSync, writeFileSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { bench, cranking, seriousFindings } from "./pages.mjs";

/** The plough's job and its recording of the demo world. */
async function plough(request) {
  const job = await (await request.get("/jobs/3")).text();
  return job.match(/\/bench\/(\d+)">Cranking, by ear/)[1];
}

test("a cranking heard by the microphone is kept and read", async ({ request, baseURL, launchOptions }) => {
  const folder = mkdtempSync(join(tmpdir(), "heard-"));
  const recording = join(folder, "cranking.wav");
  writeFileSync(recording, await (await request.get(`/bench/${await plough(request)}/export?format=wav`)).body());
  const browser = await chromium.launch({
    ...launchOptions,
    args: [
      ...launchOptions.args,
      "--use-fake-ui-for-media-stream",
      "--use-fake-device-for-media-stream",
      `--use-file-for-fake-audio-capture=${recording}%noloop`,
    ],
  });
  try {
    const context = await browser.newContext({ viewport: { width: 820, height: 1180 } });
    const page = await context.newPage();
    await page.goto(`${baseURL}/jobs/1/listen`);
    expect(await seriousFindings(page)).toEqual([]);
    await page.getByRole("button", { name: "Listen" }).click();
    await expect(page.getByText(/of 5 s heard/)).toBeVisible();
    await expect(page.getByText("Enough heard")).toBeVisible({ timeout: 30_000 });
    await page.waitForTimeout(600);
    await page.getByRole("button", { name: "Done" }).click();
    await page.waitForURL(/\/bench\/\d+/, { timeout: 60_000 });
    await bench(page).waitFor();
    await expect(page.getByText("Cranking, by ear").first()).toBeVisible();
    await expect(page.getByText("one cylinder at").first()).toBeAttached();
    await expect(page.getByText(/Relative compression/).first()).toBeVisible();
  } finally {
    await browser.close();
    rmSync(folder, { recursive: true });
  }
});

test("a recording made elsewhere is read; what is no sound is refused with a reason", async ({ page, request }) => {
  const recording = await (await request.get(`/bench/${await plough(request)}/export?format=wav`)).body();
  await page.goto("/jobs/3#captures");
  await page.getByRole("link", { name: "Listen to it crank" }).click();
  const file = page.getByLabel(/a WAV file/);
  await page.getByRole("button", { name: "Read it" }).click();
  await expect(page.getByText("There is no recording yet")).toBeVisible();
  await file.setInputFiles({ name: "clamp.csv", mimeType: "text/csv", buffer: cranking() });
  await page.getByRole("button", { name: "Read it" }).click();
  await expect(page.getByText("is no sound. Choose a WAV file")).toBeVisible();
  await file.setInputFiles({ name: "phone.wav", mimeType: "audio/wav", buffer: recording });
  await page.getByRole("button", { name: "Read it" }).click();
  await page.waitForURL(/\/bench\/\d+/);
  await bench(page).waitFor();
  await expect(page.getByText("one cylinder at").first()).toBeVisible();
  // What was heard lies on the lanes as the crank's speed.
  await page.getByRole("button", { name: "The crank's speed as a lane" }).click();
  await expect(page.getByRole("button", { name: /^Crank speed by ear = whine/ })).toBeVisible({ timeout: 20_000 });
});
