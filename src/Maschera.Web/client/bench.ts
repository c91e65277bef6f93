import uPlot from "uplot";

interface Hump { from: number; to: number; position: number; cylinder: number | null; low: boolean }
interface LaneInfo { channel: number; name: string; unit: string; ink: number; load: boolean }
interface BenchInfo { from: number; to: number; lanes: LaneInfo[]; humps: Hump[] }

const host = document.querySelector<HTMLElement>("#bench")!;
const info: BenchInfo = JSON.parse(document.querySelector("#bench-data")!.textContent!);
const ink = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();
const laneHeight = () => Math.max(140, Math.min(340, (window.innerHeight - 350) / info.lanes.length));
const width = () => host.clientWidth;
const least = 20e-6;

let view = { from: info.from, to: info.to };
const views: { from: number; to: number }[] = [];
const plots: uPlot[] = [];
let asked = 0;

/** One window of one channel: seconds on the capture's axis, and values. */
async function fetchWindow(channel: number): Promise<uPlot.AlignedData> {
  const { from, to } = view;
  const answer = await fetch(`/bench/window/${channel}?from=${from}&to=${to}&columns=${Math.round(width())}`);
  if (!answer.ok) throw new Error(`The samples could not be read (${answer.status}).`);
  const bytes = await answer.arrayBuffer();
  const n = new DataView(bytes).getInt32(0, true);
  const seconds = Array.from(new Float32Array(bytes, 4, n), (t) => t + from);
  return [seconds, Array.from(new Float32Array(bytes, 4 + 4 * n, n), (v) => (Number.isNaN(v) ? null : v))] as uPlot.AlignedData;
}

/** Tints the compressions with their cylinder's number; a low one is hatched as well as tinted. */
function drawHumps(plot: uPlot) {
  const { ctx } = plot;
  const { left, top, width: wide, height } = plot.bbox;
  ctx.save();
  ctx.beginPath();
  ctx.rect(left, top, wide, height);
  ctx.clip();
  ctx.font = `600 ${12 * devicePixelRatio}px "Spline Sans Mono"`;
  ctx.textAlign = "center";
  for (const hump of info.humps) {
    const a = plot.valToPos(hump.from, "x", true), b = plot.valToPos(hump.to, "x", true);
    if (b < left || a > left + wide) continue;
    ctx.fillStyle = hump.low ? ink("--fault") : ink("--ink");
    ctx.globalAlpha = hump.low ? 0.16 : hump.position % 2 ? 0.07 : 0.025;
    ctx.fillRect(a, top, b - a, height);
    ctx.globalAlpha = 1;
    if (hump.low) hatch(ctx, a, top, b - a, height);
    if (b - a < 13 * devicePixelRatio) continue;
    ctx.fillStyle = hump.low ? ink("--fault") : ink("--soft");
    ctx.fillText(hump.cylinder === null ? `(${hump.position})` : `${hump.cylinder}`, (a + b) / 2, top + height - 6 * devicePixelRatio);
  }
  ctx.restore();
}

function hatch(ctx: CanvasRenderingContext2D, x: number, y: number, w: number, h: number) {
  ctx.save();
  ctx.beginPath();
  ctx.rect(x, y, w, h);
  ctx.clip();
  ctx.strokeStyle = ink("--fault");
  ctx.globalAlpha = 0.25;
  ctx.lineWidth = devicePixelRatio;
  const gap = 9 * devicePixelRatio;
  ctx.beginPath();
  for (let at = x - h; at < x + w; at += gap) {
    ctx.moveTo(at, y + h);
    ctx.lineTo(at + h, y);
  }
  ctx.stroke();
  ctx.restore();
}

function axes(lane: LaneInfo, last: boolean): uPlot.Axis[] {
  const common = { stroke: ink("--soft"), grid: { stroke: ink("--grid"), width: 1 }, ticks: { stroke: ink("--grid"), width: 1, size: 4 }, font: '12px "Spline Sans Mono"' };
  const digits = () => Math.max(1, Math.min(6, Math.ceil(-Math.log10((view.to - view.from) / 10))));
  return [
    { ...common, show: true, size: last ? 40 : 8, label: last ? "seconds" : undefined, labelSize: last ? 16 : 0, labelFont: "12px Archivo", values: (_, ticks) => ticks.map((t) => (last ? t.toFixed(digits()) : "")) },
    { ...common, size: 62, label: lane.unit || "share of full scale", labelSize: 16, labelFont: "12px Archivo" },
  ];
}

async function draw() {
  const mine = ++asked;
  host.setAttribute("aria-busy", "true");
  const data = await Promise.all(info.lanes.map((lane) => fetchWindow(lane.channel)));
  if (mine !== asked) return;
  info.lanes.forEach((_, i) => {
    plots[i].batch(() => {
      plots[i].setData(data[i], false);
      plots[i].setScale("x", { min: view.from, max: view.to });
      const values = (data[i][1] as (number | null)[]).filter((v): v is number => v !== null);
      let low = Infinity, high = -Infinity;
      for (const v of values) { if (v < low) low = v; if (v > high) high = v; }
      const room = (high - low || 1) * 0.08;
      if (values.length) plots[i].setScale("y", { min: low - room, max: high + room });
    });
  });
  host.removeAttribute("aria-busy");
  host.dataset.drawn = `${view.from.toFixed(4)}-${view.to.toFixed(4)}`;
  document.querySelector("#window-span")!.textContent = `${view.from.toFixed(3)} – ${view.to.toFixed(3)} s`;
}

function show(from: number, to: number, remember = true) {
  const span = Math.max(least, Math.min(to - from, info.to - info.from));
  from = Math.max(info.from, Math.min(from, info.to - span));
  if (remember) views.push(view);
  view = { from, to: from + span };
  draw().catch(fail);
}

function fail(error: Error) {
  document.querySelector("#bench-error")!.textContent = `${error.message} Reload the page to try again.`;
}

function zoom(factor: number, at = (view.from + view.to) / 2, remember = true) {
  show(at - (at - view.from) * factor, at + (view.to - at) * factor, remember);
}

function build() {
  plots.splice(0).forEach((plot) => plot.destroy());
  host.replaceChildren();
  info.lanes.forEach((lane, i) => {
    const last = i === info.lanes.length - 1;
    const frame = document.createElement("div");
    frame.className = "lane";
    const name = document.createElement("div");
    name.className = "name";
    const swatch = document.createElement("i");
    swatch.style.background = ink(`--trace-${lane.ink}`);
    name.append(swatch, lane.name);
    frame.append(name);
    host.append(frame);
    plots.push(new uPlot({
      width: width(), height: laneHeight() + (last ? 40 : 8), legend: { show: false }, padding: [4, 8, 0, 0],
      cursor: { sync: { key: "bench" }, drag: { x: true, y: false, setScale: false }, y: false, points: { show: false } },
      scales: { x: { time: false, auto: false, min: view.from, max: view.to }, y: { auto: false, min: 0, max: 1 } },
      axes: axes(lane, last),
      series: [{}, { stroke: ink(`--trace-${lane.ink}`), width: 1.25, points: { show: false }, spanGaps: false }],
      hooks: {
        drawClear: lane.load ? [drawHumps] : [],
        setSelect: [(plot) => {
          if (plot.select.width < 6) return;
          show(plot.posToVal(plot.select.left, "x"), plot.posToVal(plot.select.left + plot.select.width, "x"));
          plot.setSelect({ left: 0, width: 0, top: 0, height: 0 }, false);
        }],
      },
    }, [[], []], frame));
    const over = plots[i].over;
    over.addEventListener("wheel", (event) => {
      event.preventDefault();
      zoom(event.deltaY > 0 ? 1.25 : 0.8, plots[i].posToVal(event.offsetX, "x"), false);
    }, { passive: false });
    over.addEventListener("dblclick", () => show(info.from, info.to));
    pinch(over, plots[i]);
  });
}

/** Two fingers zoom round their middle, one finger with another still pans. */
function pinch(over: HTMLElement, plot: uPlot) {
  over.style.touchAction = "pan-y";
  let start: { gap: number; middle: number; view: typeof view } | null = null;
  const reach = (touches: TouchList) => {
    const box = over.getBoundingClientRect();
    const [a, b] = [touches[0].clientX - box.left, touches[1].clientX - box.left];
    return { gap: Math.max(20, Math.abs(a - b)), middle: (a + b) / 2 };
  };
  over.addEventListener("touchstart", (event) => {
    if (event.touches.length === 2) start = { ...reach(event.touches), view: { ...view } };
  }, { passive: true });
  over.addEventListener("touchmove", (event) => {
    if (!start || event.touches.length !== 2) return;
    const now = reach(event.touches);
    const span = (start.view.to - start.view.from) * (start.gap / now.gap);
    const wide = plot.bbox.width / devicePixelRatio;
    const held = start.view.from + (start.middle / wide) * (start.view.to - start.view.from);
    const from = held - (now.middle / wide) * span;
    show(from, from + span, false);
  }, { passive: true });
  over.addEventListener("touchend", () => { start = null; });
}

const actions: Record<string, () => void> = {
  fit: () => show(info.from, info.to),
  in: () => zoom(0.5),
  out: () => zoom(2),
  left: () => show(view.from - (view.to - view.from) / 4, view.to - (view.to - view.from) / 4, false),
  right: () => show(view.from + (view.to - view.from) / 4, view.to + (view.to - view.from) / 4, false),
  back: () => { const last = views.pop(); if (last) show(last.from, last.to, false); },
};
const keys: Record<string, string> = { "f": "fit", "+": "in", "=": "in", "-": "out", "ArrowLeft": "left", "ArrowRight": "right", "Backspace": "back" };

document.addEventListener("click", (event) => {
  const name = (event.target as HTMLElement).closest<HTMLElement>("[data-view]")?.dataset.view;
  if (name) actions[name]();
});
document.addEventListener("keydown", (event) => {
  if (event.ctrlKey || event.metaKey || event.altKey || (event.target as HTMLElement).closest("input, select, textarea, summary, dialog[open]")) return;
  const name = keys[event.key];
  if (!name) return;
  event.preventDefault();
  actions[name]();
});

let resizing = 0;
const redraw = () => { build(); draw().catch(fail); };
window.addEventListener("resize", () => { clearTimeout(resizing); resizing = window.setTimeout(redraw, 120); });
document.addEventListener("light", redraw);
document.fonts.ready.then(redraw);
