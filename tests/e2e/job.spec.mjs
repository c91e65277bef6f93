import { expect, test } from "@playwright/test";
import { bench, drawer, seriousFindings } from "./pages.mjs";

const gritter = async (page) => {
  await page.goto("/");
  await page.getByRole("link", { name: "Camoscio 2.0 D, gritter" }).click();
};

test("a job stands in one view: suspects, next check with what each outcome means, ledger and wheel", async ({ page }) => {
  await page.setViewportSize({ width: 1280, height: 800 });
  await page.goto("/jobs/1");
  const next = page.getByRole("region", { name: "Next check" });
  await expect(next.getByRole("table", { name: "What each outcome would mean" })).toContainText("→");
  for (const part of [page.getByRole("list", { name: "Suspects" }), next, page.getByRole("region", { name: "Cylinders" })]) {
    const box = await part.boundingBox();
    expect(box.y + box.height).toBeLessThan(640);
  }
  await next.getByText("How to hook up").click();
  await expect(next.getByText(/socket|clamp|probe|lamp/i).first()).toBeVisible();
  expect(await seriousFindings(page)).toEqual([]);
});

test("tabs turn by pointer, arrow and address, and the trail takes a remark", async ({ page }) => {
  await page.goto("/jobs/1#captures");
  await expect(page.getByRole("link", { name: "Cranking, fuel pump fuse out" })).toBeVisible();
  await page.getByRole("tab", { name: /^Captures/ }).focus();
  await page.keyboard.press("ArrowRight");
  await expect(page.getByText("In firing order.")).toBeVisible();
  await expect(page).toHaveURL(/#ledger$/);
  await page.getByRole("tab", { name: "Trail" }).click();
  await page.getByLabel(/Write into the trail/).fill("Plugs stay in: compression first");
  await page.getByRole("button", { name: "Write" }).click();
  await expect(page.getByText("“Plugs stay in: compression first”")).toBeVisible();
  await page.getByRole("button", { name: /Delete the remark/ }).click();
  await expect(page.getByRole("status")).toContainText("The remark is deleted");
});

test("a remark written on the bench takes its view along, and the trail draws it", async ({ page }) => {
  await page.goto("/bench/1?from=2.4&to=3.2");
  await bench(page).waitFor();
  await drawer(page, "Measures");
  await page.getByLabel("What this view shows, or rules out").fill("The third hump is the low one");
  await page.getByRole("button", { name: "Write, with this view" }).click();
  await expect(page.getByRole("status")).toContainText("It stands in the trail");
  await expect(page).toHaveURL(/bench\/1\?.*from=2\.4/);
  await page.goto("/jobs/1#trail");
  const picture = page.getByRole("img", { name: "The view this was written at" });
  await expect(picture).toBeVisible();
  expect(await picture.evaluate((image) => image.decode().then(() => image.naturalWidth))).toBeGreaterThan(100);
  await page.getByRole("button", { name: /Delete the remark/ }).click();
  await expect(page.getByRole("status")).toContainText("The remark is deleted");
});

test("a repaired job says that it is proved, on its page, in the list and in the report", async ({ page }) => {
  await page.goto("/");
  await expect(page.getByRole("listitem").filter({ hasText: "gritter" })).toContainText("Repair proved");
  await gritter(page);
  await expect(page.getByRole("region", { name: "Repair" })).toContainText("Proved under like conditions");
  await page.getByRole("link", { name: "Quote and repair" }).click();
  await expect(page.getByRole("cell", { name: "170.90" })).toBeVisible();
  expect(await seriousFindings(page)).toEqual([]);
  await page.goBack();
  await page.getByRole("link", { name: "Report" }).click();
  await expect(page.getByText("Charge air is lost: a hose or the cooler leaks.", { exact: true })).toBeVisible();
  await expect(page.getByText("The repair is proved.")).toBeVisible();
  expect(await seriousFindings(page)).toEqual([]);
});

test("what the customer reads is at most two pages, then comes the evidence", async ({ page }) => {
  await gritter(page);
  await page.goto(`${page.url().split("#")[0]}/report`);
  const pdf = (await page.pdf({ preferCSSPageSize: true })).toString("latin1");
  const pages = pdf.match(/\/Type\s*\/Page[^s]/g).length;
  await page.evaluate(() => document.querySelectorAll(".report .evidence").forEach((part) => part.remove()));
  const customer = (await page.pdf({ preferCSSPageSize: true })).toString("latin1").match(/\/Type\s*\/Page[^s]/g).length;
  expect(customer).toBeLessThanOrEqual(2);
  expect(pages).toBeGreaterThan(customer);
});

test("a fault is looked for in the practice room with the keyboard and named", async ({ page }) => {
  await page.goto("/practice");
  await page.getByRole("button", { name: "Begin: Plain" }).press("Enter");
  await page.getByRole("button", { name: /^Relative compression/ }).press("Enter");
  await expect(page.getByText("8 minutes so far").or(page.getByText("minutes so far"))).toBeVisible();
  await expect(page.getByRole("link", { name: "Look at it" })).toBeVisible();
  expect(await seriousFindings(page)).toEqual([]);
  await page.getByLabel("Fault").selectOption("starter-drag");
  await page.getByRole("button", { name: "That is it" }).click();
  await expect(page.getByRole("region", { name: "How it ended" })).toContainText("It was:");
  await page.getByRole("button", { name: "Another one" }).click();
  await expect(page.getByText("Nothing yet but what the driver says")).toBeVisible();
});
