import type uPlot from "uplot";
import { degreesAt, secondsAt } from "../crank";
import { hatch, ink } from "../stroke";
import { theClock } from "./clock";
import { info, onCycle, view } from "./state";
import { markedPlace } from "./place";

/** The cylinder whose strokes are shaded down all lanes; null for none. */
let cylinder: number | null = null;
export const chosenCylinder = () => cylinder;
export const chooseCylinder = (next: number | null) => {
  cylinder = next;
};

/** What runs across, from and to, in crank degrees. */
export function degreesInView() {
  const { from, to } = view();
  return onCycle() ? { from, to } : { from: degreesAt(theClock()!, from), to: degreesAt(theClock()!, to) };
}

/** A place in crank degrees on what runs across. */
export const across = (degrees: number) => (onCycle() ? degrees : secondsAt(theClock()!, degrees));

/** Shades the chosen cylinder's strokes down a lane, and marks when its valves move; the strip above names the strokes. */
export function drawStrokes(plot: uPlot) {
  const firing = firingOfChosen();
  if (firing === null) return;
  const { ctx } = plot;
  const { left, top, width, height } = plot.bbox;
  const { from, to } = degreesInView();
  const x = (degrees: number) => plot.valToPos(across(degrees), "x", true);
  ctx.save();
  clip(plot);
  for (let n = Math.floor((from - firing) / 180); firing + n * 180 < to; n++) {
    const a = Math.max(left, x(firing + n * 180)),
      b = Math.min(left + width, x(firing + (n + 1) * 180));
    if (!(b > a)) continue;
    const stroke = ((n % 4) + 4) % 4;
    ctx.fillStyle = ink(stroke === 0 ? "--trace-2" : "--ink");
    ctx.globalAlpha = [0.16, 0, 0.035, 0.09][stroke];
    ctx.fillRect(a, top, b - a, height);
    ctx.globalAlpha = 1;
  }
  ctx.strokeStyle = ink("--soft");
  ctx.lineWidth = devicePixelRatio;
  ctx.setLineDash([2 * devicePixelRatio, 3 * devicePixelRatio]);
  for (const { at } of valvesInView(plot, firing)) {
    ctx.beginPath();
    ctx.moveTo(at, top);
    ctx.lineTo(at, top + height);
    ctx.stroke();
  }
  ctx.restore();
}

/** Names the chosen cylinder's valve events over the trace, each with its degrees after the cylinder's firing TDC. */
export function nameValves(plot: uPlot) {
  const firing = firingOfChosen();
  if (firing === null) return;
  const { ctx } = plot;
  const dpr = devicePixelRatio;
  ctx.save();
  clip(plot);
  ctx.font = `${11 * dpr}px "Spline Sans Mono"`;
  ctx.textAlign = "left";
  ctx.textBaseline = "alphabetic";
  for (const { name, degrees, at, row } of valvesInView(plot, firing)) {
    const word = `${name.toUpperCase()} ${Math.round(((degrees % 720) + 720) % 720)}°`;
    const base = plot.bbox.top + (12 + (row % 2) * 14) * dpr;
    ctx.fillStyle = ink("--paper");
    ctx.fillRect(at + 2 * dpr, base - 10 * dpr, ctx.measureText(word).width + 4 * dpr, 13 * dpr);
    ctx.fillStyle = ink("--ink");
    ctx.fillText(word, at + 4 * dpr, base);
  }
  ctx.restore();
}

function clip(plot: uPlot) {
  const { left, top, width, height } = plot.bbox;
  plot.ctx.beginPath();
  plot.ctx.rect(left, top, width, height);
  plot.ctx.clip();
}

/** Degrees of the chosen cylinder's firing TDC; null where none is chosen or the cycle is not known. */
function firingOfChosen() {
  const clock = theClock();
  return cylinder === null || !clock?.known ? null : (clock.firing.find((f) => f.cylinder === cylinder)?.degrees ?? null);
}

/** The valve events in view with their pixel, by the engine file; none where more than two cycles are in view. */
function valvesInView(plot: uPlot, firing: number) {
  const { valves } = theClock()!;
  const { from, to } = degreesInView();
  if (!valves || to - from > 1445) return [];
  return Object.entries(valves).flatMap(([name, degrees], row) => {
    const found: { name: string; degrees: number; at: number; row: number }[] = [];
    for (let cycle = Math.floor((from - firing) / 720) - 1; firing + degrees + cycle * 720 <= to; cycle++) {
      const at = plot.valToPos(across(firing + degrees + cycle * 720), "x", true);
      if (firing + degrees + cycle * 720 >= from && Number.isFinite(at)) found.push({ name, degrees, at, row });
    }
    return found;
  });
}

const LEFT_OUT = "not read";

/** Tints the stretches a reading speaks of, each with its label; an odd one is hatched as well as tinted. */
export function drawMarks(plot: uPlot) {
  const { ctx, bbox } = plot;
  clipped(plot, () => {
    for (const { mark, i, a, b } of marksIn(plot)) {
      ctx.fillStyle = mark.odd ? ink("--fault") : ink("--ink");
      ctx.globalAlpha = mark.odd ? 0.16 : i % 2 ? 0.025 : 0.07;
      ctx.fillRect(a, bbox.top, b - a, bbox.height);
      ctx.globalAlpha = 1;
      if (mark.odd) hatch(ctx, a, bbox.top, b - a, bbox.height);
    }
  });
}

/** Pales what the marked reading left out before and after its stretch, and says so where there is room. */
export function paleUnused(plot: uPlot) {
  if (!info.used) return;
  const { ctx, bbox } = plot;
  const [from, to] = [info.used.from, info.used.to].map((at) => plot.valToPos(at, "x", true));
  const [left, right] = [bbox.left, bbox.left + bbox.width];
  clipped(plot, () => {
    ctx.font = `${11 * devicePixelRatio}px "Archivo"`;
    ctx.textAlign = "center";
    for (const [a, b, edge] of [
      [left, Math.min(from, right), from],
      [Math.max(to, left), right, to],
    ]) {
      if (b - a < 2 * devicePixelRatio) continue;
      ctx.fillStyle = ink("--paper");
      ctx.globalAlpha = 0.55;
      ctx.fillRect(a, bbox.top, b - a, bbox.height);
      ctx.globalAlpha = 1;
      ctx.fillStyle = ink("--soft");
      ctx.fillRect(edge - devicePixelRatio / 2, bbox.top, devicePixelRatio, bbox.height);
      if (b - a > ctx.measureText(LEFT_OUT).width + 12 * devicePixelRatio)
        label(ctx, LEFT_OUT, (a + b) / 2, bbox.top + 14 * devicePixelRatio);
    }
  });
}

/** The marks in view, in pixels of the canvas. */
function marksIn(plot: uPlot) {
  const { left, width } = plot.bbox;
  return info.marks
    .map((mark, i) => ({ mark, i, a: plot.valToPos(mark.from, "x", true), b: plot.valToPos(mark.to, "x", true) }))
    .filter(({ a, b }) => b >= left && a <= left + width);
}

function clipped({ ctx, bbox }: uPlot, paint: () => void) {
  ctx.save();
  ctx.beginPath();
  ctx.rect(bbox.left, bbox.top, bbox.width, bbox.height);
  ctx.clip();
  paint();
  ctx.restore();
}

/** Names the marks on top of the traces. What is odd is named first; a name without room for it is left out. */
export function nameMarks(plot: uPlot) {
  const { ctx, bbox } = plot;
  const places = marksIn(plot);
  const taken: [from: number, to: number][] = [];
  clipped(plot, () => {
    ctx.font = `600 ${12 * devicePixelRatio}px "Spline Sans Mono"`;
    ctx.textAlign = "center";
    for (const odd of [true, false])
      for (const { mark, a, b } of places) {
        if (mark.odd !== odd) continue;
        const [middle, half] = [(a + b) / 2, ctx.measureText(mark.label).width / 2 + 2 * devicePixelRatio];
        if (taken.some(([from, to]) => middle - half < to && middle + half > from)) continue;
        taken.push([middle - half, middle + half]);
        ctx.fillStyle = odd ? ink("--fault") : ink("--soft");
        label(ctx, mark.label, middle, bbox.top + bbox.height - 6 * devicePixelRatio);
      }
  });
}

/** A word on the lane that a trace behind it does not strike through. */
function label(ctx: CanvasRenderingContext2D, text: string, x: number, y: number) {
  ctx.strokeStyle = ink("--paper");
  ctx.lineWidth = 4 * devicePixelRatio;
  ctx.lineJoin = "round";
  ctx.strokeText(text, x, y);
  ctx.fillText(text, x, y);
}

/** Brackets the place that a figure leads to. */
export function drawPlace(plot: uPlot) {
  const place = markedPlace();
  if (!place || onCycle()) return;
  const { ctx } = plot;
  const { left, top, width, height } = plot.bbox;
  const a = Math.max(left, plot.valToPos(place.from, "x", true)),
    b = Math.min(left + width, plot.valToPos(place.to, "x", true));
  if (b < left || a > left + width) return;
  ctx.save();
  ctx.strokeStyle = ink("--fault");
  ctx.lineWidth = 2 * devicePixelRatio;
  const arm = 6 * devicePixelRatio,
    in_ = devicePixelRatio;
  for (const [x, way] of [
    [a, 1],
    [Math.max(b, a + 2 * arm), -1],
  ]) {
    ctx.beginPath();
    ctx.moveTo(x + way * arm, top + in_);
    ctx.lineTo(x, top + in_);
    ctx.lineTo(x, top + height - in_);
    ctx.lineTo(x + way * arm, top + height - in_);
    ctx.stroke();
  }
  ctx.restore();
}
