import type uPlot from "uplot";
import { binDegrees, foldHere, ODD, SINGLES, wholeCycles } from "../fold";
import type { Fold, LaneChannel } from "../scene";
import { isLaid, needClock, theClock } from "./clock";
import { partnerOf, under } from "./compare";
import { ask, fetchWindow } from "./server";
import { channelOf, drawn, info, scaleKey, unitOf } from "./state";
import { ink } from "../stroke";

// The third axis: every cycle of a channel on the other, with the known-good's underneath.
const held = new Map<string, Fold>();
/** Columns asked for where the page folds by itself; the server gives no more. */
const mostColumns = 16_000;

/** Forgets every fold, after the clock was changed. */
export const forgetFolds = () => held.clear();

/** Folds of some channels, and of what lies underneath them, asked for once. */
export async function loadFolds(shown: LaneChannel[]) {
  await needClock();
  const own = shown.map((c) => c.channel);
  if (isLaid()) return foldOurselves(own);
  const other = under();
  const below = other ? shown.map((c) => partnerOf(c.channel)?.id).filter((id) => id !== undefined) : [];
  await Promise.all([load(info.id, own, ""), other ? load(other.id, below, `&over=${info.id}`).catch(() => {}) : null]);
}

async function load(capture: number, channels: number[], words: string) {
  const wanted = channels.filter((c) => !held.has(`${capture} ${c}`));
  if (wanted.length === 0) return;
  const folds = await ask<Fold[]>("GET", `/bench/${capture}/cycles?channels=${wanted.join(",")}${words}`);
  for (const fold of folds) held.set(`${capture} ${fold.channel}`, fold);
}

async function foldOurselves(channels: number[]) {
  const wanted = channels.filter((c) => !held.has(`${info.id} ${c}`));
  const { seconds } = theClock()!;
  const columns = Math.min(mostColumns, 720 * wholeCycles(theClock()!).count);
  const traces = await fetchWindow(wanted, seconds[0], seconds[seconds.length - 1], Math.max(720, columns));
  wanted.forEach((channel, i) => {
    const fold = foldHere(channel, traces[i], theClock()!);
    if (!fold) throw new Error("Fewer than two whole cycles lie under the order, so there is nothing to lay on each other.");
    held.set(`${info.id} ${channel}`, fold);
  });
}

export const foldOf = (channel: number) => held.get(`${info.id} ${channel}`);
const foldBelow = (channel: number) => (under() ? held.get(`${under()!.id} ${partnerOf(channel)?.id}`) : undefined);

/** The lines of a channel on one cycle: pencil with its band, single cycles, odd ones, the band, and the mean as the last. */
export function cycleSeries(shown: LaneChannel): uPlot.Series[] {
  const common = { scale: `y${scaleKey(shown.channel)}`, points: { show: false }, spanGaps: false };
  const colour = ink(`--trace-${channelOf(shown.channel).ink}`);
  const edge = { ...common, stroke: "transparent", width: 0 };
  return [
    edge,
    edge,
    { ...common, stroke: ink("--soft"), width: 1.25, dash: [6, 4] },
    ...Array.from({ length: SINGLES }, () => ({ ...common, stroke: colour, width: 1, alpha: 0.16 })),
    ...Array.from({ length: ODD }, () => ({ ...common, stroke: ink("--fault"), width: 1, alpha: 0.65 })),
    edge,
    edge,
    { ...common, stroke: colour, width: 1.75 },
  ];
}

/** Series of one channel on a cycle. */
const EACH = 3 + SINGLES + ODD + 3;

/** The bands between series: of the pencil line, and of the channel itself. */
export function cycleBands(shown: LaneChannel[]): uPlot.Band[] {
  return shown.flatMap((c, i) => {
    const first = 1 + i * EACH;
    return [
      { series: [first, first + 1] as [number, number], fill: `${ink("--soft")}22` },
      { series: [first + EACH - 3, first + EACH - 2] as [number, number], fill: `${ink(`--trace-${channelOf(c.channel).ink}`)}30` },
    ];
  });
}

/** The values of those lines, as they are drawn. */
export function cycleTables(shown: LaneChannel): { x: number[]; y: (number | null)[] }[] {
  const unit = unitOf(shown);
  const line = (values: (number | null)[] | undefined) => ({
    x: values ? binDegrees : [],
    y: values?.map((v) => (v === null ? null : drawn(shown, unit, v))) ?? [],
  });
  const edges = (fold: Fold | undefined, sign: number) =>
    line(fold?.mean.map((m, i) => (m === null || fold.spread[i] === null ? null : m + sign * fold.spread[i]!)));
  const own = foldOf(shown.channel),
    below = foldBelow(shown.channel);
  return [
    edges(below, 1),
    edges(below, -1),
    line(below?.mean),
    ...Array.from({ length: SINGLES }, (_, i) => line(own?.singles[i])),
    ...Array.from({ length: ODD }, (_, i) => line(own?.odd[i]?.values)),
    edges(own, 1),
    edges(own, -1),
    line(own?.mean),
  ];
}
