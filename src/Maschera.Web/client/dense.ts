import uPlot from "uplot";

// A dense trace breathes: where every column is filled from bottom to top its edges are drawn with a pale band between
// them; elsewhere the line itself.

/** Which series of a plot stand in columns of least and greatest. */
const inColumns = new WeakMap<uPlot, boolean[]>();
export const tellColumns = (plot: uPlot, series: boolean[]) => inColumns.set(plot, series);

/** A column is full where it spans this share of the plot's height, and dense where most of its neighbours are, or all. */
const FULL = 0.3,
  NEIGHBOURS = 20,
  MOST = 0.7;

/** Columns of one stretch without a gap, in pixels: the greatest value has the least of them. */
interface Column {
  x: number;
  least: number;
  most: number;
}

/** How pale a band is, and how thick a line, px. */
const PALE = 0.23,
  THICK = 1.25;

const line = uPlot.paths.linear!();

/** Lines of points as they are; columns are painted by `paintColumns`, for upright rectangles cost far less than slanting strokes. */
export const breathing: uPlot.Series.PathBuilder = (plot, series, first, last) =>
  inColumns.get(plot)?.[series] ? null : line(plot, series, first, last);

/** Paints a series of columns: a hook after each series. */
export function paintColumns(plot: uPlot, series: number) {
  if (!inColumns.get(plot)?.[series] || !plot.data[series]?.length) return;
  const { ctx } = plot;
  const { left, top, width, height } = plot.bbox;
  const stroke = plot.series[series].stroke;
  ctx.save();
  ctx.beginPath();
  ctx.rect(left, top, width, height);
  ctx.clip();
  ctx.fillStyle = (typeof stroke === "function" ? (stroke as (u: uPlot, s: number) => string)(plot, series) : stroke) as string;
  for (const run of runs(plot, series)) paintRun(ctx, run, FULL * height);
  ctx.restore();
}

function paintRun(ctx: CanvasRenderingContext2D, run: Column[], full: number) {
  const dense = denseOf(run, full);
  const thick = THICK * devicePixelRatio;
  const wide = run.length > 1 ? (run[run.length - 1].x - run[0].x) / (run.length - 1) : 1;
  const upright = (at: Column, a: number, b: number) =>
    ctx.fillRect(Math.round(at.x - wide / 2), Math.min(a, b) - thick / 2, Math.max(1, Math.ceil(wide)), Math.abs(b - a) + thick);
  for (let i = 0; i < run.length; i++) {
    const at = run[i],
      before = run[i - 1];
    if (!dense[i]) {
      // It reaches up or down to where the column before it ended.
      upright(at, before ? Math.min(at.most, before.least) : at.most, before ? Math.max(at.least, before.most) : at.least);
      continue;
    }
    const [from, to] = [dense[i - 1] ? run[i - 1] : at, at];
    upright(at, from.most, to.most);
    upright(at, from.least, to.least);
    ctx.globalAlpha = PALE;
    upright(at, at.most, at.least);
    ctx.globalAlpha = 1;
  }
}

/** For each column whether it and most of its neighbours are full. */
function denseOf(run: Column[], full: number) {
  const sums = [0];
  for (const { least, most } of run) sums.push(sums[sums.length - 1] + (Math.abs(most - least) > full ? 1 : 0));
  if (sums[run.length] > MOST * run.length) return run.map(() => true);
  return run.map((_, i) => {
    const from = Math.max(0, i - NEIGHBOURS),
      to = Math.min(run.length, i + NEIGHBOURS + 1);
    return sums[to] - sums[from] > MOST * (to - from);
  });
}

/** The columns between gaps. */
function runs(plot: uPlot, series: number) {
  const xs = plot.data[0],
    ys = plot.data[series] as (number | null | undefined)[];
  const scale = plot.series[series].scale!;
  const x0 = plot.valToPos(xs[0], "x", true);
  const perX = xs.length > 1 ? (plot.valToPos(xs[xs.length - 1], "x", true) - x0) / (xs[xs.length - 1] - xs[0] || 1) : 0;
  const y0 = plot.valToPos(0, scale, true),
    perY = plot.valToPos(1, scale, true) - y0;
  const all: Column[][] = [[]];
  let before: number | null = null;
  for (let i = 0; i < ys.length; i++) {
    const value = ys[i];
    if (value === undefined) continue;
    if (value === null) {
      if (all[all.length - 1].length) all.push([]);
      before = null;
    } else if (before === null) before = value;
    else {
      all[all.length - 1].push({ x: x0 + (xs[i] - xs[0]) * perX, least: y0 + before * perY, most: y0 + value * perY });
      before = null;
    }
  }
  return all;
}
