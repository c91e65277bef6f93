import type uPlot from "uplot";
import { orderIn } from "../order";
import { drawStroke, HIGH, ink } from "../stroke";
import { cyclesIn, type Cycles } from "./sync";

// A firing order over the rolling lanes: the strokes of every cylinder, from one sync pulse to the next.
const form = document.querySelector<HTMLFormElement>("#order")!;
const said = document.querySelector<HTMLElement>("#order-said")!;
const strip = document.querySelector<HTMLCanvasElement>("#stroke-strip")!;
const button = form.querySelector("button")!;

let order: number[] | null = null;

/** Lays the order over what is drawn, or takes it off. */
export function startOrder(redraw: () => void) {
  form.addEventListener("submit", (event) => {
    event.preventDefault();
    const typed = orderIn(String(new FormData(form).get("order")));
    said.textContent = order || typed ? "" : "Write the order like 1-3-4-2: every cylinder once.";
    order = order ? null : typed;
    strip.hidden = !order;
    strip.style.height = `${(order?.length ?? 0) * HIGH}px`;
    button.textContent = order ? "Take it off" : "Lay it over";
    redraw();
  });
}

/** Draws the strokes of what is in view. `values` holds least and greatest of each column, a list a channel. */
export function drawOrder(plot: uPlot | undefined, from: number, each: number, values: ArrayLike<number>[]) {
  if (!order || !plot) return;
  const found = cyclesIn(values[Number(new FormData(form).get("sync"))], from, each);
  tell(found);
  const dpr = devicePixelRatio;
  strip.width = strip.clientWidth * dpr;
  strip.height = order.length * HIGH * dpr;
  const ctx = strip.getContext("2d")!;
  ctx.scale(dpr, dpr);
  ctx.textBaseline = "middle";
  const left = plot.over.getBoundingClientRect().left - strip.getBoundingClientRect().left;
  order.forEach((cylinder, i) => {
    ctx.font = '600 12px "Spline Sans Mono"';
    ctx.fillStyle = ink("--ink");
    ctx.textAlign = "right";
    ctx.fillText(String(cylinder), left - 8, i * HIGH + HIGH / 2 + 0.5);
    for (const [a, b] of found?.cycles ?? []) drawRow(ctx, plot, left, i, a, b);
  });
}

/** One cylinder's strokes in one cycle: its firing lies as far into the cycle as its place in the order. */
function drawRow(ctx: CanvasRenderingContext2D, plot: uPlot, left: number, row: number, from: number, to: number) {
  const wide = plot.over.clientWidth;
  const x = (quarters: number) => left + plot.valToPos(from + ((to - from) * quarters) / 4, "x");
  const fires = (4 * row) / order!.length;
  for (let n = Math.floor(-fires) - 1; fires + n < 4; n++) {
    const a = Math.max(left, x(Math.max(0, fires + n))),
      b = Math.min(left + wide, x(Math.min(4, fires + n + 1)));
    if (b > a) drawStroke(ctx, ((n % 4) + 4) % 4, a, b, row * HIGH, (x(4) - x(0)) / 4);
  }
}

function tell(found: Cycles | null) {
  if (!found) {
    said.textContent = "No two pulses of that signal are in view: show more seconds, or choose the signal that comes once a cycle.";
    return;
  }
  const speeds = found.cycles.map(([a, b]) => 120 / (b - a));
  const [least, most] = [Math.min(...speeds), Math.max(...speeds)].map(Math.round);
  said.textContent =
    `${found.cycles.length} ${found.cycles.length === 1 ? "cycle" : "cycles"} in view, ` +
    `${least === most ? least : `${least} to ${most}`} rpm; even firing, and a steady speed within each cycle.`;
}
