import { degreesAt, secondsAt } from "../crank";
import { inDegrees, theClock, turn } from "./clock";
import { info, show, view } from "./state";
import { fail } from "./server";
import { areaWidth, lanes, onPlaced, pixelOf } from "./lanes";
import { hatch, ink } from "./strokes";
import { workOut } from "./derive";

const strip = document.querySelector<HTMLCanvasElement>("#cycle-strip")!;
const said = document.querySelector<HTMLElement>("#clock-said")!;
const button = document.querySelector<HTMLButtonElement>("[data-degrees]")!;
const strokes = ["P", "E", "I", "C"];
const row = 15;

/** A row for each cylinder; one for the turns alone where the cycle is not known. */
const rowsOf = () => (theClock()!.known ? theClock()!.firing.length : 1);

let redraw: () => void = () => {};

async function toggle() {
  try {
    await turn();
    apply();
  } catch (error) {
    fail(error);
  }
}

function apply() {
  const on = inDegrees(),
    clock = theClock()!;
  button.setAttribute("aria-pressed", String(on));
  strip.hidden = said.hidden = !on;
  strip.style.height = `${rowsOf() * row}px`;
  document.querySelector<HTMLElement>("#speed-trace")!.hidden = !on || !clock.speed;
  said.textContent = on ? [clock.said, ...clock.notes].join(". ") : "";
  const words = new URLSearchParams(location.search);
  if (on) words.set("axis", "degrees");
  else words.delete("axis");
  history.replaceState(null, "", `${location.pathname}?${words}`);
  redraw();
}

/** Goes on by whole cycles, so that the next one stands where this one stood. */
export function stepCycle(by: number) {
  if (!inDegrees()) return;
  const { from, to } = view();
  const start = secondsAt(theClock()!, degreesAt(theClock()!, from) + 720 * by);
  if (!Number.isNaN(start)) show(start, start + (to - from), false);
}

/** Each cylinder's strokes over the lanes, told by letter and hatch. */
function drawStrip() {
  if (!inDegrees() || !lanes.length) return;
  const known = theClock()!.known,
    rows = rowsOf();
  const left = lanes[0].plot.over.getBoundingClientRect().left - strip.getBoundingClientRect().left;
  const dpr = devicePixelRatio,
    high = rows * row;
  strip.style.height = `${high}px`;
  strip.width = strip.clientWidth * dpr;
  strip.height = high * dpr;
  const ctx = strip.getContext("2d")!;
  ctx.scale(dpr, dpr);
  ctx.font = '600 11px "Spline Sans Mono"';
  ctx.textBaseline = "middle";
  const x = (degrees: number) => left + pixelOf(lanes[0].plot, secondsAt(theClock()!, degrees));
  const from = degreesAt(theClock()!, view().from),
    to = degreesAt(theClock()!, view().to),
    wide = areaWidth();
  const perStroke = wide / ((to - from) / 180);
  theClock()!
    .firing.slice(0, rows)
    .forEach(({ cylinder, degrees }, i) => {
      const top = i * row;
      ctx.fillStyle = ink("--ink");
      ctx.textAlign = "right";
      ctx.fillText(known ? String(cylinder) : "turn", left - 8, top + row / 2);
      for (let n = Math.floor((from - degrees) / 180) - 1; degrees + n * 180 <= to; n++) {
        const a = Math.max(left, x(degrees + n * 180)),
          b = Math.min(left + wide, x(degrees + (n + 1) * 180));
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
      if (known && theClock()!.valves && perStroke > 24)
        drawValves(ctx, (d) => x(degrees + d), from - degrees, to - degrees, top, left, left + wide);
      if (!theClock()!.odd.includes(cylinder)) return;
      ctx.strokeStyle = ctx.fillStyle = ink("--fault");
      ctx.lineWidth = 2;
      ctx.strokeRect(left, top + 1, wide, row - 2);
      ctx.textAlign = "right";
      ctx.fillText(`▸${cylinder}`, left - 8, top + row / 2);
    });
}

/** When the valves stand open: exhaust along the top of the row, intake along its bottom. */
function drawValves(
  ctx: CanvasRenderingContext2D,
  x: (degrees: number) => number,
  from: number,
  to: number,
  top: number,
  left: number,
  right: number,
) {
  const { evo, evc, ivo, ivc } = theClock()!.valves!;
  for (let cycle = Math.floor(from / 720) - 1; cycle * 720 <= to; cycle++)
    for (const [opens, closes, at] of [
      [evo, evc, top + 1],
      [ivo, ivc, top + row - 3],
    ]) {
      const a = Math.max(left, x(cycle * 720 + opens)),
        b = Math.min(right, x(cycle * 720 + (closes < opens ? closes + 720 : closes)));
      ctx.fillStyle = ink("--ink");
      if (b > a) ctx.fillRect(a, at, b - a, 2);
    }
}

export function startDegrees(rebuild: () => void) {
  redraw = rebuild;
  onPlaced(drawStrip);
  button.addEventListener("click", toggle);
  document.querySelector("#speed-trace")!.addEventListener("click", () => {
    const { channel, teeth } = theClock()!.speed!;
    workOut(`Speed of ${channel}`, "", `speed("${channel}", ${teeth})`);
  });
  document.addEventListener("keydown", (event) => {
    if (event.ctrlKey || event.metaKey || event.altKey || (event.target as HTMLElement).closest("input, select, textarea, dialog[open]"))
      return;
    if (event.key === "d") toggle();
    else if (event.key === "[" || event.key === "]") stepCycle(event.key === "]" ? 1 : -1);
  });
  if (new URLSearchParams(location.search).get("axis") === "degrees" && info.channels.length) toggle();
}
