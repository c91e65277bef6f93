import type uPlot from "uplot";
import { info } from "./state";

export const ink = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

/** Tints the stretches a reading speaks of, each with its label; an odd one is hatched as well as tinted. */
export function drawMarks(plot: uPlot) {
  const { ctx } = plot;
  const { left, top, width: wide, height } = plot.bbox;
  ctx.save();
  ctx.beginPath();
  ctx.rect(left, top, wide, height);
  ctx.clip();
  ctx.font = `600 ${12 * devicePixelRatio}px "Spline Sans Mono"`;
  ctx.textAlign = "center";
  for (const [i, mark] of info.marks.entries()) {
    const a = plot.valToPos(mark.from, "x", true),
      b = plot.valToPos(mark.to, "x", true);
    if (b < left || a > left + wide) continue;
    ctx.fillStyle = mark.odd ? ink("--fault") : ink("--ink");
    ctx.globalAlpha = mark.odd ? 0.16 : i % 2 ? 0.025 : 0.07;
    ctx.fillRect(a, top, b - a, height);
    ctx.globalAlpha = 1;
    if (mark.odd) hatch(ctx, a, top, b - a, height);
    if (b - a < 13 * devicePixelRatio) continue;
    ctx.fillStyle = mark.odd ? ink("--fault") : ink("--soft");
    ctx.fillText(mark.label, (a + b) / 2, top + height - 6 * devicePixelRatio);
  }
  ctx.restore();
}

/** Slanting lines over a rectangle. */
export function hatch(
  ctx: CanvasRenderingContext2D,
  x: number,
  y: number,
  w: number,
  h: number,
  colour = "--fault",
  pitch = 9 * devicePixelRatio,
) {
  ctx.save();
  ctx.beginPath();
  ctx.rect(x, y, w, h);
  ctx.clip();
  ctx.strokeStyle = ink(colour);
  ctx.globalAlpha = 0.25;
  ctx.lineWidth = devicePixelRatio;
  ctx.beginPath();
  for (let at = x - h; at < x + w; at += pitch) {
    ctx.moveTo(at, y + h);
    ctx.lineTo(at + h, y);
  }
  ctx.stroke();
  ctx.restore();
}
