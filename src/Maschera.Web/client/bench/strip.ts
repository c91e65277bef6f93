import { theClock } from "./clock";
import { axisNow } from "./state";
import { areaWidth, lanes, onPlaced, pixelOf } from "./lanes";
import { across, chosenCylinder, degreesInView } from "./strokes";
import { drawStroke, HIGH, ink } from "../stroke";

// Each cylinder's strokes over the lanes, told by word or letter and by pattern.
const strip = document.querySelector<HTMLCanvasElement>("#cycle-strip")!;

/** A row for each cylinder; one for the turns alone where the cycle is not known. */
const rowsOf = () => (theClock()!.known ? theClock()!.firing.length : 1);
const isShown = () => axisNow() !== "seconds" && theClock() !== null;

/** Shows or hides the strip, as the axis wants. */
export function layStrip() {
  strip.hidden = !isShown();
  if (isShown()) strip.style.height = `${rowsOf() * HIGH}px`;
}

function drawStrip() {
  if (!isShown() || !lanes.length) return;
  const { known, firing, odd, valves } = theClock()!;
  const rows = rowsOf();
  const left = lanes[0].plot.over.getBoundingClientRect().left - strip.getBoundingClientRect().left;
  const dpr = devicePixelRatio;
  strip.width = strip.clientWidth * dpr;
  strip.height = rows * HIGH * dpr;
  const ctx = strip.getContext("2d")!;
  ctx.scale(dpr, dpr);
  ctx.textBaseline = "middle";
  const x = (degrees: number) => left + pixelOf(lanes[0].plot, across(degrees));
  const { from, to } = degreesInView();
  const wide = areaWidth();
  const perStroke = wide / ((to - from) / 180);
  firing.slice(0, rows).forEach(({ cylinder, degrees }, i) => {
    const top = i * HIGH;
    ctx.font = '600 12px "Spline Sans Mono"';
    ctx.fillStyle = ink(odd.includes(cylinder) ? "--fault" : "--ink");
    ctx.textAlign = "right";
    ctx.fillText(known ? `${cylinder === chosenCylinder() ? "▸" : ""}${cylinder}` : "turn", left - 8, top + HIGH / 2 + 0.5);
    for (let n = Math.floor((from - degrees) / 180) - 1; degrees + n * 180 <= to; n++) {
      const a = Math.max(left, x(degrees + n * 180)),
        b = Math.min(left + wide, x(degrees + (n + 1) * 180));
      if (b > a) drawStroke(ctx, known ? ((n % 4) + 4) % 4 : null, a, b, top, perStroke);
    }
    if (known && valves && perStroke > 24) drawValves(ctx, (d) => x(degrees + d), from - degrees, to - degrees, top, left, left + wide);
    if (cylinder !== chosenCylinder() && !(known && odd.includes(cylinder))) return;
    ctx.strokeStyle = ink(odd.includes(cylinder) ? "--fault" : "--ink");
    ctx.lineWidth = cylinder === chosenCylinder() ? 2 : 1;
    ctx.strokeRect(left + 1, top + 1, wide - 2, HIGH - 2);
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
      [ivo, ivc, top + HIGH - 3],
    ]) {
      // On one cycle a valve that is open over its end goes on at its beginning.
      const a = Math.max(left, x(cycle * 720 + opens)),
        b = Math.min(right, x(cycle * 720 + (closes < opens ? closes + 720 : closes)));
      ctx.fillStyle = ink("--ink");
      if (b > a) ctx.fillRect(a, at, b - a, 2);
    }
}

/** Tells of every tap on a cylinder's row. */
export function startStrip(choose: (cylinder: number) => void) {
  onPlaced(drawStrip);
  strip.addEventListener("click", (event) => {
    const row = Math.floor((event.clientY - strip.getBoundingClientRect().top) / HIGH);
    const hit = theClock()?.known ? theClock()!.firing[row] : undefined;
    if (hit) choose(hit.cylinder);
  });
}
