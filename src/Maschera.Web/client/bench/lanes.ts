import uPlot from "uplot";
import type { Lane, LaneChannel } from "../scene";
import { axesOf, secondScale, twoScales, EDGE, LEFT, RIGHT } from "./axes";
import { calm, fail, fetchWindow, type Trace } from "./server";
import { cycleBands, cycleSeries, cycleTables, loadFolds } from "./cycle";
import { holdGrip } from "./grips";
import { breathing, paintColumns, tellColumns } from "../dense";
import { partnerOf, underneath } from "./compare";
import { arrangement, channelOf, drawn, laneChannelOf, onCycle, onView, scaleKey, showAll, unitOf, view } from "./state";
import { drawMarks, drawPlace, drawStrokes, nameMarks, nameValves, paleUnused } from "./strokes";
import { scaleFor } from "../scale";
import { ink } from "../stroke";

export const host = document.querySelector<HTMLElement>("#bench")!;
const scroller = document.querySelector<HTMLElement>("#lanes")!;
/** Pixels of a lane beside its drawing: its name, its lower edge, and the axis under the last one. */
const NAME = 33,
  FOOT = 8,
  AXIS = 40;

/** A lane as it stands on the page. */
export interface LaneView {
  lane: Lane;
  shown: LaneChannel[];
  plot: uPlot;
  frame: HTMLElement;
  name: HTMLElement;
  layer: HTMLElement;
  waiting: uPlot.AlignedData | null;
}

export const lanes: LaneView[] = [];
const scales = new Map<number, [number, number]>();
const built: ((lane: LaneView) => void)[] = [];
const placed: (() => void)[] = [];
let asking = false,
  askAgain = false,
  framed = 0,
  round = 0;

/** Calls back for every lane that was built. */
export const onBuilt = (call: (lane: LaneView) => void) => {
  built.push(call);
};

/** Calls back whenever the lanes show another stretch. */
export const onPlaced = (call: () => void) => {
  placed.push(call);
};

export const visible = () =>
  arrangement.lanes.map((lane) => ({ lane, shown: lane.channels.filter((c) => !c.hidden) })).filter((l) => l.shown.length > 0);
const usualHeight = (count: number) =>
  Math.round(Math.max(84, Math.min(560, (scroller.clientHeight - (AXIS - FOOT) - 4) / count - NAME - FOOT)));

/** Pixels from the page's lane edge to a place in seconds. */
export function pixelOf(plot: uPlot, seconds: number) {
  return plot.valToPos(seconds, "x");
}

export function secondsOf(plot: uPlot, pixel: number) {
  return plot.posToVal(pixel, "x");
}

/** Pixels of the drawing area, and what one of them is in seconds. */
export const areaWidth = () =>
  lanes[0]?.plot.over.clientWidth || Math.max(50, host.clientWidth - LEFT - (twoScales(visible().map((l) => l.shown)) ? RIGHT : EDGE));
export const secondsPerPixel = () => (view().to - view().from) / areaWidth();

/** The lines a channel is drawn with: what lies underneath, the raw trace, then itself. */
export function seriesOf(shown: LaneChannel): uPlot.Series[] {
  if (onCycle()) return cycleSeries(shown);
  const scale = `y${scaleKey(shown.channel)}`;
  const stroke = ink(`--trace-${channelOf(shown.channel).ink}`);
  const common = { scale, points: { show: false }, spanGaps: false };
  return [
    ...(hasPencil(shown) ? [{ ...common, stroke: ink("--soft"), width: 1, dash: [5, 4] }] : []),
    ...(hasRaw(shown) ? [{ ...common, stroke, width: 1, alpha: 0.3 }] : []),
    channelOf(shown.channel).desired
      ? { ...common, stroke: ink("--ink"), width: 1, dash: [6, 4] }
      : { ...common, stroke, width: 1.25, paths: breathing },
  ];
}

/** A capture lies underneath this channel. */
const hasPencil = (shown: LaneChannel) => partnerOf(shown.channel) !== undefined;

/** The raw trace shows faintly beneath a smoothed one; without the standing part it lies elsewhere. */
const hasRaw = (shown: LaneChannel) => shown.copy !== null && !shown.standing;

export function build() {
  holdGrip();
  lanes.splice(0).forEach((lane) => lane.plot.destroy());
  host.replaceChildren();
  const list = visible();
  const hint = document.querySelector<HTMLElement>("#no-lanes")!;
  hint.hidden = list.length > 0;
  const right = twoScales(list.map((l) => l.shown)) ? RIGHT : 0;
  list.forEach(({ lane, shown }, i) => {
    const last = i === list.length - 1;
    const frame = document.createElement("div");
    frame.className = "lane";
    const name = document.createElement("div");
    name.className = "name";
    frame.append(name);
    host.append(frame);
    const isRead = !onCycle() && shown.some((c) => channelOf(c.channel).read);
    const isMarked = !onCycle() && shown.some((c) => channelOf(c.channel).marked);
    const plot = new uPlot(
      {
        width: host.clientWidth,
        height: (lane.height ?? usualHeight(list.length)) + (last ? AXIS : FOOT),
        legend: { show: false },
        padding: [7, secondScale(shown) ? 0 : right || EDGE, 0, 0],
        cursor: { sync: { key: "bench" }, drag: { x: false, y: false }, y: false, points: { show: false } },
        scales: {
          x: { time: false, auto: false, min: view().from, max: view().to },
          ...Object.fromEntries(
            shown
              .map((c) => scaleKey(c.channel))
              .map((key) => [`y${key}`, { auto: false, range: () => scales.get(key) ?? ([0, 1] as [number, number]) }]),
          ),
        },
        axes: axesOf(shown, last),
        series: [{}, ...shown.flatMap(seriesOf)],
        bands: onCycle() ? cycleBands(shown) : [],
        hooks: {
          drawClear: [drawStrokes, ...(isMarked ? [drawMarks] : [])],
          drawSeries: [paintColumns],
          draw: [...(isRead ? [paleUnused] : []), drawPlace, ...(isMarked ? [nameMarks] : []), ...(i === 0 ? [nameValves] : [])],
        },
      },
      [[], ...shown.flatMap(seriesOf).map(() => [])] as unknown as uPlot.AlignedData,
      frame,
    );
    const layer = document.createElement("div");
    layer.className = "layer";
    plot.over.append(layer);
    const made: LaneView = { lane, shown, plot, frame, name, layer, waiting: null };
    lanes.push(made);
    built.forEach((call) => call(made));
  });
}

/** Puts the view on the lanes at once with what is there, and asks for the samples. */
export function refresh() {
  paintSoon();
  if (asking) askAgain = true;
  else whileBusy(load).catch(fail);
}

/** True for a lane on the screen or just beyond it; others wait until they are scrolled to. */
function isNear(lane: LaneView) {
  const { top, bottom } = lane.frame.getBoundingClientRect();
  return bottom > -200 && top < innerHeight + 200;
}

let scrolled = 0;
scroller.addEventListener(
  "scroll",
  () => {
    clearTimeout(scrolled);
    scrolled = window.setTimeout(refresh, 60);
  },
  { passive: true },
);

/** One painting a frame: the samples that came meanwhile, or the old ones on the new view. */
function paintSoon() {
  if (!framed)
    framed = requestAnimationFrame(() => {
      framed = 0;
      for (const lane of lanes) if (isNear(lane)) paint(lane);
      placed.forEach((call) => call());
    });
}

function paint(lane: LaneView) {
  lane.plot.batch(() => {
    if (lane.waiting) lane.plot.setData(lane.waiting, false);
    lane.waiting = null;
    lane.plot.setScale("x", { min: view().from, max: view().to });
    for (const key of new Set(lane.shown.map((c) => scaleKey(c.channel))))
      lane.plot.setScale(`y${key}`, { min: scaleOf(key)[0], max: scaleOf(key)[1] });
  });
}

let busy = 0;
/** Tells whoever waits that the lanes are not yet what was asked for. */
export async function whileBusy(work: () => Promise<void>) {
  busy++;
  host.setAttribute("aria-busy", "true");
  try {
    await work();
  } finally {
    if (--busy === 0) host.removeAttribute("aria-busy");
  }
}

async function load() {
  asking = true;
  const mine = ++round;
  try {
    do {
      askAgain = false;
      await fill();
    } while (askAgain && mine === round);
    calm();
    host.dataset.drawn = `${view().from.toFixed(4)}-${view().to.toFixed(4)}`;
  } finally {
    asking = false;
  }
}

async function fill() {
  if (onCycle()) return fillCycle();
  const { from, to } = view();
  const standing = lanes.filter(isNear);
  const all = standing.flatMap((lane) => lane.shown);
  const copies = all.filter(hasRaw);
  const columns = Math.round(areaWidth());
  const [own, raw, under] = await Promise.all([
    fetchWindow(
      all.map((c) => c.copy ?? c.channel),
      from,
      to,
      columns,
    ),
    fetchWindow(
      copies.map((c) => c.channel),
      from,
      to,
      columns,
    ),
    underneath(all, from, to, columns),
  ]);
  if (standing.some((lane) => !lanes.includes(lane))) return;
  const fitted: Fitted = new Map();
  for (const lane of standing) {
    const columned = [false];
    hold(lane, fitted, (shown) => {
      const unit = unitOf(shown);
      const table = (trace: Trace | undefined) => {
        columned.push(trace?.columns === true);
        return { x: trace?.seconds ?? [], y: trace?.values.map((v) => (v === null ? null : drawn(shown, unit, v))) ?? [] };
      };
      return [
        ...(hasPencil(shown) ? [table(under.get(shown.channel))] : []),
        ...(hasRaw(shown) ? [table(raw[copies.indexOf(shown)])] : []),
        table(own[all.indexOf(shown)]),
      ];
    });
    tellColumns(lane.plot, columned);
  }
  fitScales(fitted);
  paintSoon();
  await new Promise((done) => requestAnimationFrame(done));
}

async function fillCycle() {
  const standing = [...lanes];
  await loadFolds(standing.flatMap((lane) => lane.shown));
  if (!onCycle() || standing.some((lane) => !lanes.includes(lane))) return;
  const fitted: Fitted = new Map();
  for (const lane of standing) hold(lane, fitted, cycleTables);
  fitScales(fitted);
  paintSoon();
}

/** The values in view of each scale, lane after lane. */
type Fitted = Map<number, (number | null)[][]>;

/** Takes the tables of a lane's channels to be painted next, and their values to fit the scales by. */
function hold(lane: LaneView, fitted: Fitted, tablesOf: (shown: LaneChannel) => Table[]) {
  const tables = lane.shown.flatMap((shown) => {
    const made = tablesOf(shown);
    const key = scaleKey(shown.channel);
    fitted.set(key, [...(fitted.get(key) ?? []), ...made.map((t) => t.y)]);
    return made;
  });
  lane.waiting = joined(tables);
}

function fitScales(fitted: Fitted) {
  for (const [key, values] of fitted) scale(laneChannelOf(key), values);
}

/** Values on their own times. */
interface Table {
  x: number[];
  y: (number | null)[];
}

/** Series on axes of their own, on one axis; where all share one nothing is done. */
function joined(tables: Table[]): uPlot.AlignedData {
  const filled = tables.filter((t) => t.x.length > 0);
  if (filled.length === 0) return [[], ...tables.map(() => [])] as unknown as uPlot.AlignedData;
  const first = filled[0].x;
  const same = filled.every((t) => t.x.length === first.length && t.x[0] === first[0] && t.x[t.x.length - 1] === first[first.length - 1]);
  if (same) return [first, ...tables.map((t) => (t.x.length ? t.y : new Array(first.length).fill(undefined)))] as uPlot.AlignedData;
  return uPlot.join(
    tables.map((t) => [t.x, t.y] as uPlot.AlignedData),
    tables.map(() => [1, 2]),
  );
}

/** A kept scale, or one that fits what is visible; it only moves when the trace leaves it or fills little of it. */
function scale(shown: LaneChannel, lists: (number | null)[][]) {
  if (shown.range) {
    scales.set(shown.channel, shown.range);
    return;
  }
  let low = Infinity,
    high = -Infinity;
  for (const list of lists)
    for (const v of list)
      if (v !== null) {
        if (v < low) low = v;
        if (v > high) high = v;
      }
  if (low > high) return;
  const range = Math.abs((channelOf(shown.channel).range ?? 0) * unitOf(shown).factor);
  scales.set(shown.channel, scaleFor(scales.get(shown.channel) ?? [0, 0], low, high, range));
}

export const scaleOf = (channel: number) => scales.get(scaleKey(channel)) ?? [0, 1];

/** Fits the height of everything to what is visible. */
export function fitHeight() {
  for (const lane of arrangement.lanes) for (const c of lane.channels) c.range = null;
  scales.clear();
  refresh();
}

/** Draws all anew after a change to the arrangement. */
export function rebuild() {
  scales.clear();
  build();
  refresh();
}

onView(() => {
  const { from, to } = view();
  const places = onCycle() ? 1 : Math.max(3, Math.min(9, Math.ceil(-Math.log10((to - from) / 100))));
  document.querySelector("#window-span")!.textContent = `${from.toFixed(places)} – ${to.toFixed(places)}${onCycle() ? "°" : " s"}`;
  refresh();
});

export const fit = showAll;
