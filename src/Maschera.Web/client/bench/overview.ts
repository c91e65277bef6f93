import { arrangement, captureView as view, channelOf, info, onCycle, onView, show } from "./state";
import { fetchWindow, fail, type Trace } from "./server";
import { ink } from "../stroke";

// The whole capture in one strip, with the window on it.
const canvas = document.querySelector<HTMLCanvasElement>("#overview")!;
let trace: Trace | null = null;
let asked = "";
let framed = 0;
/** The whole trace, drawn once: on the ground beside the window, and on the window's. */
let drawn: { beside: HTMLCanvasElement; inside: HTMLCanvasElement } | null = null;

const span = () => info.to - info.from || 1;
const pixel = (seconds: number) => ((seconds - info.from) / span()) * canvas.clientWidth;

/** Draws the strip anew, also after a change of lanes, light or size. */
export function drawOverview() {
  const channel = arrangement.lanes.flatMap((lane) => lane.channels).find((c) => !c.hidden)?.channel;
  if (channel === undefined) return;
  const wanted = `${channel} ${canvas.clientWidth}`;
  drawn = null;
  if (wanted !== asked) {
    asked = wanted;
    fetchWindow([channel], info.from, info.from + span(), Math.max(50, canvas.clientWidth))
      .then(([got]) => {
        trace = got;
        drawn = null;
        paintSoon();
      })
      .catch(fail);
  }
  paintSoon();
}

function paintSoon() {
  if (!framed)
    framed = requestAnimationFrame(() => {
      framed = 0;
      paint();
    });
}

function layer(ground: string, stroke: string) {
  const sheet = document.createElement("canvas");
  const wide = canvas.clientWidth,
    high = canvas.clientHeight;
  sheet.width = wide * devicePixelRatio;
  sheet.height = high * devicePixelRatio;
  const ctx = sheet.getContext("2d")!;
  ctx.scale(devicePixelRatio, devicePixelRatio);
  ctx.fillStyle = ground;
  ctx.fillRect(0, 0, wide, high);
  if (!trace) return sheet;
  let low = Infinity,
    top = -Infinity;
  for (const v of trace.values)
    if (v !== null) {
      if (v < low) low = v;
      if (v > top) top = v;
    }
  ctx.strokeStyle = stroke;
  ctx.globalAlpha = 0.75;
  ctx.beginPath();
  let pen = false;
  trace.seconds.forEach((t, i) => {
    const v = trace!.values[i];
    if (v === null) {
      pen = false;
      return;
    }
    const y = high - 5 - ((v - low) / (top - low || 1)) * (high - 10);
    if (pen) ctx.lineTo(pixel(t), y);
    else ctx.moveTo(pixel(t), y);
    pen = true;
  });
  ctx.stroke();
  return sheet;
}

function paint() {
  const channel = asked ? Number(asked.split(" ")[0]) : info.channels[0].id;
  const stroke = ink(`--trace-${channelOf(channel).ink}`);
  const dpr = devicePixelRatio,
    wide = canvas.clientWidth,
    high = canvas.clientHeight;
  if (!drawn) {
    drawn = { beside: layer(ink("--deep"), stroke), inside: layer(ink("--paper"), stroke) };
    canvas.width = wide * dpr;
    canvas.height = high * dpr;
  }
  const ctx = canvas.getContext("2d")!;
  const a = Math.round(pixel(view().from) * dpr),
    b = Math.max(Math.round(pixel(view().to) * dpr), a + 3);
  ctx.drawImage(drawn.beside, 0, 0);
  ctx.drawImage(drawn.inside, a, 0, b - a, canvas.height, a, 0, b - a, canvas.height);
  ctx.strokeStyle = ink("--ink");
  ctx.lineWidth = 1.5 * dpr;
  ctx.strokeRect(a + 0.75 * dpr, 0.75 * dpr, Math.max(1, b - a - 1.5 * dpr), canvas.height - 1.5 * dpr);
  const share = (seconds: number) => Math.round(((seconds - info.from) / span()) * 1000) / 10;
  canvas.setAttribute("aria-valuenow", String(share(view().from)));
  canvas.setAttribute("aria-valuetext", `${share(view().from)} to ${share(view().to)} percent of the capture`);
}

canvas.addEventListener("pointerdown", (event) => {
  if (onCycle()) return;
  const left = canvas.getBoundingClientRect().left;
  const at = (x: number) => info.from + ((x - left) / canvas.clientWidth) * span();
  const start = at(event.clientX),
    before = view();
  const inside = start >= before.from && start <= before.to;
  // A press beside the window brings it there; one on it takes hold of it.
  const held = inside ? start - before.from : (before.to - before.from) / 2;
  const width = before.to - before.from;
  if (!inside) show(start - held, start - held + width);
  canvas.setPointerCapture(event.pointerId);
  canvas.onpointermove = (move) => show(at(move.clientX) - held, at(move.clientX) - held + width, false);
  canvas.onpointerup = canvas.onpointercancel = () => {
    canvas.onpointermove = null;
  };
});

onView(paintSoon);
