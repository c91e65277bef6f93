import { arrangement, channelOf, info, onView, show, view } from "./state";
import { fetchWindow, fail, type Trace } from "./server";
import { ink } from "./strokes";

// The whole capture in one strip, with the window on it.
const canvas = document.querySelector<HTMLCanvasElement>("#overview")!;
let trace: Trace | null = null;
let asked = "";

const span = () => info.to - info.from || 1;
const pixel = (seconds: number) => ((seconds - info.from) / span()) * canvas.clientWidth;

export function drawOverview() {
  const channel = arrangement.lanes.flatMap((lane) => lane.channels).find((c) => !c.hidden)?.channel;
  const wide = canvas.clientWidth;
  const wanted = `${channel} ${wide}`;
  if (channel !== undefined && wanted !== asked) {
    asked = wanted;
    fetchWindow([channel], info.from, info.from + span(), Math.max(50, wide)).then(([got]) => { trace = got; paint(channel); }).catch(fail);
  }
  if (channel !== undefined) paint(channel);
}

function paint(channel: number) {
  const dpr = devicePixelRatio, wide = canvas.clientWidth, high = canvas.clientHeight;
  canvas.width = wide * dpr;
  canvas.height = high * dpr;
  const ctx = canvas.getContext("2d")!;
  ctx.scale(dpr, dpr);
  ctx.fillStyle = ink("--deep");
  ctx.fillRect(0, 0, wide, high);
  const a = pixel(view().from), b = Math.max(pixel(view().to), pixel(view().from) + 3);
  ctx.fillStyle = ink("--paper");
  ctx.fillRect(a, 0, b - a, high);
  if (trace) {
    const numbers = trace.values.filter((v): v is number => v !== null);
    let low = Infinity, top = -Infinity;
    for (const v of numbers) { if (v < low) low = v; if (v > top) top = v; }
    ctx.strokeStyle = ink(`--trace-${channelOf(channel).ink}`);
    ctx.globalAlpha = 0.75;
    ctx.beginPath();
    let pen = false;
    trace.seconds.forEach((t, i) => {
      const v = trace!.values[i];
      if (v === null) { pen = false; return; }
      const y = high - 5 - ((v - low) / (top - low || 1)) * (high - 10);
      if (pen) ctx.lineTo(pixel(t), y); else ctx.moveTo(pixel(t), y);
      pen = true;
    });
    ctx.stroke();
    ctx.globalAlpha = 1;
  }
  ctx.strokeStyle = ink("--ink");
  ctx.lineWidth = 1.5;
  ctx.strokeRect(a + 0.75, 0.75, Math.max(1, b - a - 1.5), high - 1.5);
  const share = (seconds: number) => Math.round(((seconds - info.from) / span()) * 1000) / 10;
  canvas.setAttribute("aria-valuenow", String(share(view().from)));
  canvas.setAttribute("aria-valuetext", `${share(view().from)} to ${share(view().to)} percent of the capture`);
}

canvas.addEventListener("pointerdown", (event) => {
  const left = canvas.getBoundingClientRect().left;
  const at = (x: number) => info.from + ((x - left) / canvas.clientWidth) * span();
  const start = at(event.clientX), before = view();
  const inside = start >= before.from && start <= before.to;
  // A press beside the window brings it there; one on it takes hold of it.
  const held = inside ? start - before.from : (before.to - before.from) / 2;
  const width = before.to - before.from;
  if (!inside) show(start - held, start - held + width);
  canvas.setPointerCapture(event.pointerId);
  canvas.onpointermove = (move) => show(at(move.clientX) - held, at(move.clientX) - held + width, false);
  canvas.onpointerup = canvas.onpointercancel = () => { canvas.onpointermove = null; };
});

onView(drawOverview);
