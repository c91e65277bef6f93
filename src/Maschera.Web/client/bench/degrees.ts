import { info, show, view } from "./state";
import { ask, bench, fail } from "./server";
import { areaWidth, lanes, onPlaced, pixelOf } from "./lanes";
import { hatch, ink } from "./strokes";
import { workOut } from "./derive";

/** The crank's passing of each mark; `first` is the degrees of the first. */
interface Clock { first: number; every: number; seconds: number[]; known: boolean; firing: { cylinder: number; degrees: number }[]; said: string; notes: string[]; valves: { evo: number; evc: number; ivo: number; ivc: number } | null; odd: number[]; speed: { channel: string; teeth: number } | null }

const strip = document.querySelector<HTMLCanvasElement>("#cycle-strip")!;
const said = document.querySelector<HTMLElement>("#clock-said")!;
const button = document.querySelector<HTMLButtonElement>("[data-degrees]")!;
const strokes = ["P", "E", "I", "C"];
const row = 15;
let clock: Clock | null = null;
let on = false;

export const inDegrees = () => on && clock !== null;

/** Seconds at which the crank stands at `degrees`; NaN outside of the clock. */
function secondsAt(degrees: number, on = clock!) {
  const place = (degrees - on.first) / on.every;
  const i = Math.min(Math.floor(place), on.seconds.length - 2);
  if (i < 0 || place > on.seconds.length - 1) return NaN;
  return on.seconds[i] + (place - i) * (on.seconds[i + 1] - on.seconds[i]);
}

/** Crank degrees at a time; beyond the clock by its first or last speed. */
export function degreesAt(seconds: number, on = clock!) {
  const s = on.seconds;
  let low = 0, high = s.length - 1;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (s[middle] <= seconds) low = middle; else high = middle;
  }
  return on.first + (low + (seconds - s[low]) / (s[high] - s[low])) * on.every;
}

const others = new Map<number, Clock | null>();

/**
 * Times of another capture and of this one at which both cranks stand alike, its first whole cycle under ours; null where
 * it has no crank degrees.
 */
export async function onOurDegrees(capture: number): Promise<{ theirs(seconds: number): number; ours(seconds: number): number } | null> {
  if (!others.has(capture)) others.set(capture, await ask<Clock>("GET", `/bench/${capture}/clock?over=${info.id}`).catch(() => null));
  const other = others.get(capture);
  if (!other) return null;
  const cycles = 720 * (Math.ceil(other.first / 720) - Math.ceil(clock!.first / 720));
  return { theirs: (seconds) => secondsAt(degreesAt(seconds) + cycles, other), ours: (seconds) => secondsAt(degreesAt(seconds, other) - cycles) };
}

/** Where the other capture's clock begins and ends, for a window beyond it. */
export const spanOf = (capture: number) => { const s = others.get(capture)!.seconds; return { from: s[0], to: s[s.length - 1] }; };

/** Round degrees in view, some twelve at most, and their places in seconds. */
export function degreeTicks(): { seconds: number[]; labels: string[] } {
  const from = degreesAt(view().from), to = degreesAt(view().to);
  const step = [1, 2, 5, 10, 30, 45, 90, 180, 360, 720, 1440, 3600, 7200, 14400, 36000].find((s) => (to - from) / s <= 12) ?? 72000;
  const ticks: { seconds: number[]; labels: string[] } = { seconds: [], labels: [] };
  for (let d = Math.ceil(from / step) * step; d <= to; d += step) {
    const at = secondsAt(d);
    if (Number.isNaN(at)) continue;
    ticks.seconds.push(at);
    ticks.labels.push(step >= 720 ? `${Math.round(d / 720)}` : `${((d % 720) + 720) % 720}°`);
  }
  return ticks;
}

/** What the axis is called. */
export const degreeTitle = () => {
  const spans = degreesAt(view().to) - degreesAt(view().from);
  return spans > 12 * 360 ? "cycles of 720°" : clock!.known ? `crank degrees after firing TDC of cylinder ${clock!.firing[0].cylinder}` : "crank degrees after the wheel's gap";
};

/** A row for each cylinder; one for the turns alone where the cycle is not known. */
const rowsOf = () => (clock!.known ? clock!.firing.length : 1);

let redraw: () => void = () => {};

async function toggle() {
  if (!clock) {
    try {
      clock = await ask<Clock>("GET", bench("clock"));
    } catch (error) {
      return fail(error);
    }
  }
  on = !on;
  apply();
}

function apply() {
  button.setAttribute("aria-pressed", String(on));
  strip.hidden = said.hidden = !on;
  strip.style.height = `${rowsOf() * row}px`;
  document.querySelector<HTMLElement>("#speed-trace")!.hidden = !on || !clock?.speed;
  said.textContent = on ? [clock!.said, ...clock!.notes].join(". ") : "";
  const words = new URLSearchParams(location.search);
  if (on) words.set("axis", "degrees"); else words.delete("axis");
  history.replaceState(null, "", `${location.pathname}?${words}`);
  redraw();
}

/** Goes on by whole cycles, so that the next one stands where this one stood. */
export function stepCycle(by: number) {
  if (!inDegrees()) return;
  const { from, to } = view();
  const start = secondsAt(degreesAt(from) + 720 * by);
  if (!Number.isNaN(start)) show(start, start + (to - from), false);
}

/** Each cylinder's strokes over the lanes, told by letter and hatch. */
function drawStrip() {
  if (!inDegrees() || !lanes.length) return;
  const known = clock!.known, rows = rowsOf();
  const left = lanes[0].plot.over.getBoundingClientRect().left - strip.getBoundingClientRect().left;
  const dpr = devicePixelRatio, high = rows * row;
  strip.style.height = `${high}px`;
  strip.width = strip.clientWidth * dpr;
  strip.height = high * dpr;
  const ctx = strip.getContext("2d")!;
  ctx.scale(dpr, dpr);
  ctx.font = '600 11px "Spline Sans Mono"';
  ctx.textBaseline = "middle";
  const x = (degrees: number) => left + pixelOf(lanes[0].plot, secondsAt(degrees));
  const from = degreesAt(view().from), to = degreesAt(view().to), wide = areaWidth();
  const perStroke = wide / ((to - from) / 180);
  clock!.firing.slice(0, rows).forEach(({ cylinder, degrees }, i) => {
    const top = i * row;
    ctx.fillStyle = ink("--ink");
    ctx.textAlign = "right";
    ctx.fillText(known ? String(cylinder) : "turn", left - 8, top + row / 2);
    for (let n = Math.floor((from - degrees) / 180) - 1; degrees + n * 180 <= to; n++) {
      const a = Math.max(left, x(degrees + n * 180)), b = Math.min(left + wide, x(degrees + (n + 1) * 180));
      if (!(b > a)) continue;
      const stroke = ((n % 4) + 4) % 4;
      ctx.fillStyle = ink("--deep");
      if (stroke === 0 && known) ctx.fillStyle = ink("--grid");
      ctx.fillRect(a, top + 1, b - a, row - 2);
      if (known && stroke === 3) hatch(ctx, a, top + 1, b - a, row - 2, "--ink", 5);
      ctx.fillStyle = ink("--ink");
      ctx.fillRect(a, top + 1, 1, row - 2);
      ctx.textAlign = "center";
      if (known && perStroke > 16 && b - a > 12) ctx.fillText(strokes[stroke], (a + b) / 2, top + row / 2 + 0.5);
    }
    if (known && clock!.valves && perStroke > 24) drawValves(ctx, (d) => x(degrees + d), from - degrees, to - degrees, top, left, left + wide);
    if (!clock!.odd.includes(cylinder)) return;
    ctx.strokeStyle = ctx.fillStyle = ink("--fault");
    ctx.lineWidth = 2;
    ctx.strokeRect(left, top + 1, wide, row - 2);
    ctx.textAlign = "right";
    ctx.fillText(`▸${cylinder}`, left - 8, top + row / 2);
  });
}

/** When the valves stand open: exhaust along the top of the row, intake along its bottom. */
function drawValves(ctx: CanvasRenderingContext2D, x: (degrees: number) => number, from: number, to: number, top: number, left: number, right: number) {
  const { evo, evc, ivo, ivc } = clock!.valves!;
  for (let cycle = Math.floor(from / 720) - 1; cycle * 720 <= to; cycle++)
    for (const [opens, closes, at] of [[evo, evc, top + 1], [ivo, ivc, top + row - 3]]) {
      const a = Math.max(left, x(cycle * 720 + opens)), b = Math.min(right, x(cycle * 720 + (closes < opens ? closes + 720 : closes)));
      ctx.fillStyle = ink("--ink");
      if (b > a) ctx.fillRect(a, at, b - a, 2);
    }
}

export function startDegrees(rebuild: () => void) {
  redraw = rebuild;
  onPlaced(drawStrip);
  button.addEventListener("click", toggle);
  document.querySelector("#speed-trace")!.addEventListener("click", () => {
    const { channel, teeth } = clock!.speed!;
    workOut(`Speed of ${channel}`, "", `speed("${channel}", ${teeth})`);
  });
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || (event.target as HTMLElement).closest("input, select, textarea, dialog[open]")) return;
    if (event.key === "d") toggle();
    else if (event.key === "[" || event.key === "]") stepCycle(event.key === "]" ? 1 : -1);
  });
  if (new URLSearchParams(location.search).get("axis") === "degrees" && info.channels.length) toggle();
}
