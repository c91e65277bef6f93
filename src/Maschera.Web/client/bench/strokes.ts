import type uPlot from "uplot";
import { info } from "./state";

export const ink = (name: string) => getComputedStyle(document.documentElement).getPropertyValue(name).trim();

/** Tints the compressions with their cylinder's number; a low one is hatched as well as tinted. */
export function drawHumps(plot: uPlot) {
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

/** Slanting lines over a rectangle. */
export function hatch(ctx: CanvasRenderingContext2D, x: number, y: number, w: number, h: number, colour = "--fault", pitch = 9 * devicePixelRatio) {
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
