// The bench on a long capture: server time of windows, then a tour of pans and zooms in headless Chromium.
// node benchmarks/bench_window.mjs http://127.0.0.1:5080 CAPTURE
import { createRequire } from "node:module";
const require = createRequire(new URL("../tests/e2e/package.json", import.meta.url));
const { chromium } = require("@playwright/test");
const [base, capture] = process.argv.slice(2);
const quantile = (list, q) => [...list].sort((a, b) => a - b)[Math.min(list.length - 1, Math.floor(q * list.length))];

const page0 = await (await fetch(`${base}/bench/${capture}`)).text();
const data = JSON.parse(/id="bench-data" type="application\/json">(.*?)<\/script>/s.exec(page0)[1]);
const ids = data.channels.map((c) => c.id).join(",");
const times = [],
  sizes = [];
let state = 7;
const random = () => (state = (state * 16807) % 2147483647) / 2147483647;
for (let i = 0; i < 600; i++) {
  const span = (data.to - data.from) * 10 ** (-6.5 * random());
  const from = data.from + random() * (data.to - data.from - span);
  const start = performance.now();
  const answer = await fetch(`${base}/bench/window?channels=${ids}&from=${from}&to=${from + span}&columns=1000`);
  const bytes = (await answer.arrayBuffer()).byteLength;
  if (i >= 50) {
    times.push(performance.now() - start);
    sizes.push(bytes);
  }
}
console.log(
  `windows of ${data.channels.length} channels at any scale: median ${quantile(times, 0.5).toFixed(1)} ms, 99th percentile ${quantile(times, 0.99).toFixed(1)} ms, longest ${Math.max(...times).toFixed(1)} ms; ${(quantile(sizes, 0.5) / 1000).toFixed(0)} kB median, ${(Math.max(...sizes) / 1000).toFixed(0)} kB most`,
);

const browser = await chromium.launch({
  executablePath: process.env.CHROMIUM ?? "/usr/bin/chromium",
  args: ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run"],
});
const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
const begun = performance.now();
await page.goto(`${base}/bench/${capture}`);
await page.waitForSelector("#bench[data-drawn]:not([aria-busy])");
console.log(`open to first picture: ${(performance.now() - begun).toFixed(0)} ms`);
// The drawer shut: the lanes take the page.
await page.keyboard.press("0");
await page.waitForTimeout(1000);
await page.evaluate(() => {
  window.frames_ = [];
  let last = performance.now();
  const tick = (now) => {
    window.frames_.push(now - last);
    last = now;
    if (!window.stop_) requestAnimationFrame(tick);
  };
  requestAnimationFrame(tick);
});
const box = await page.locator(".u-over").first().boundingBox();
for (let round = 0; round < 6; round++) {
  await page.mouse.move(box.x + box.width * (0.2 + 0.1 * round), box.y + 40);
  for (let i = 0; i < 25; i++) {
    await page.mouse.wheel(0, -120);
    await page.waitForTimeout(16);
  }
  await page.mouse.down();
  for (let i = 0; i < 30; i++) {
    await page.mouse.move(box.x + box.width * 0.3 + i * 8, box.y + 40);
    await page.waitForTimeout(16);
  }
  await page.mouse.up();
  for (let i = 0; i < 25; i++) {
    await page.mouse.wheel(0, 120);
    await page.waitForTimeout(16);
  }
}
const frames = await page.evaluate(() => {
  window.stop_ = true;
  return window.frames_.slice(2);
});
console.log(
  `tour: ${frames.length} frames, median ${quantile(frames, 0.5).toFixed(1)} ms, 99th percentile ${quantile(frames, 0.99).toFixed(1)} ms, longest ${Math.max(...frames).toFixed(1)} ms, ${frames.filter((f) => f > 50).length} over 50 ms`,
);
await browser.close();
