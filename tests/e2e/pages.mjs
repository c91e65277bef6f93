import { AxeBuilder } from "@axe-core/playwright";

/** A cranking current of a four-cylinder engine with one weak hump, good enough to be imported and looked at. */
export function cranking({ rows = 12_000, delimiter = "," } = {}) {
  const lines = [["Time (s)", "Starter current (A)"].join(delimiter)];
  for (let i = 0; i < rows; i++) lines.push([(i * 5e-4).toFixed(4), (180 + 90 * Math.sin(i / 16)).toFixed(2)].join(delimiter));
  return Buffer.from(lines.join("\n") + "\n");
}

/** The lanes, drawn and at rest. */
export const bench = (page) => page.locator("#bench[data-drawn]:not([aria-busy])");

/** Opens a page of the bench's drawer. */
export async function drawer(page, name) {
  const tab = page.getByRole("tab", { name });
  if ((await tab.getAttribute("aria-selected")) !== "true") await tab.click();
}

/** What axe finds serious or worse on a page, in words. */
export async function seriousFindings(page) {
  // Pages of one frame need no second page to gather what was found, which takes twice as long.
  const { violations } = await new AxeBuilder({ page }).setLegacyMode(true).analyze();
  return violations
    .filter((v) => v.impact === "serious" || v.impact === "critical")
    .map((v) => `${v.id}: ${v.nodes.map((n) => n.target).join(" ")}`);
}
