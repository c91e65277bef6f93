import type { BenchScene, LaneChannel, UnitChoice } from "../scene";

/** The view on the scene, and how the lanes lie. */
export interface View {
  from: number;
  to: number;
}

/** What runs across the lanes: the capture's seconds, also where they are labelled in degrees, or the degrees of one cycle. */
export type Axis = "seconds" | "degrees" | "cycle";

/** One ground on which views lie: its ends, the closest view, and the way back. */
interface Ground {
  from: number;
  to: number;
  least: number;
  view: View;
  views: View[];
  ahead: View[];
}

export const info: BenchScene = JSON.parse(document.querySelector("#bench-data")!.textContent!);
export const arrangement = info.arrangement;

/** The closest view on the capture, seconds. */
const least = 2e-6;
const end = Math.max(info.to, info.from + least);
const capture: Ground = { from: info.from, to: end, least, view: startView(), views: [], ahead: [] };
const cycle: Ground = { from: 0, to: 720, least: 2, view: { from: 0, to: 720 }, views: [], ahead: [] };
const watchers: (() => void)[] = [];
const redrawers: (() => void)[] = [];
let axis: Axis = "seconds";

export const axisNow = () => axis;
export const onCycle = () => axis === "cycle";
export const takeAxis = (next: Axis) => {
  axis = next;
};
const ground = () => (axis === "cycle" ? cycle : capture);

/** What the lanes show now: seconds, or degrees of a cycle. */
export const view = () => ground().view;
/** What of the capture is in view, or was before the lanes went over to one cycle; seconds. */
export const captureView = () => capture.view;
export const onView = (watcher: () => void) => {
  watchers.push(watcher);
};
/** Calls back when lanes came or went from elsewhere than a lane's own settings. */
export const onRearranged = (call: () => void) => {
  redrawers.push(call);
};
export const rearranged = () => {
  for (const call of redrawers) call();
};
export const channelOf = (id: number) => info.channels.find((c) => c.id === id)!;
export const laneChannelOf = (id: number) => arrangement.lanes.flatMap((lane) => lane.channels).find((c) => c.channel === id)!;

/** The unit a channel is shown in. */
export function unitOf(shown: LaneChannel): UnitChoice {
  const units = channelOf(shown.channel).units;
  return units.find((u) => u.unit === shown.unit) ?? units[0];
}

/** The channel on whose scale a channel is drawn: the one it was laid on, or the first of its lane's unit where they share. */
export function scaleKey(channel: number) {
  const shown = laneChannelOf(channel);
  const unit = unitOf(shown).unit;
  if (shown.as !== null && laneChannelOf(shown.as)) return unitOf(laneChannelOf(shown.as)).unit === unit ? shown.as : channel;
  const lane = arrangement.lanes.find((l) => l.channels.includes(shown));
  const first = lane?.channels.find((c) => !c.hidden);
  return lane?.shared && first && unit === unitOf(first).unit ? first.channel : channel;
}

/** Those drawn on one scale with a channel, itself among them. */
export function onOneScale(channel: number) {
  const key = scaleKey(channel);
  return arrangement.lanes.flatMap((l) => l.channels).filter((c) => scaleKey(c.channel) === key);
}

/** Lays a channel on another's scale, with those that lie on its own; or gives it one of its own. */
export function layOnScale(shown: LaneChannel, other: number | null) {
  const rest = onOneScale(shown.channel).filter((c) => c !== shown);
  if (other !== null) {
    const key = scaleKey(other);
    for (const c of [shown, ...rest]) c.as = c.channel === key ? null : key;
    return;
  }
  for (const c of rest) c.as = c === rest[0] ? null : rest[0].channel;
  shown.as = null;
}

/** The channel that holds the range of the scale a channel is drawn on. */
export const scaleHolder = (channel: number) => laneChannelOf(scaleKey(channel));

/** A stored value as it is drawn. */
export function drawn(shown: LaneChannel, unit: UnitChoice, value: number) {
  return (shown.invert ? -1 : 1) * (value * unit.factor + unit.offset) + shown.offset;
}

export function show(from: number, to: number, remember = true) {
  const on = ground();
  const span = Math.max(on.least, Math.min(to - from, on.to - on.from));
  from = Math.max(on.from, Math.min(from, on.to - span));
  if (!Number.isFinite(from)) return;
  if (remember) {
    on.views.push(on.view);
    on.ahead.length = 0;
  }
  on.view = { from, to: from + span };
  for (const watcher of watchers) watcher();
}

/** The whole of what runs across the lanes. */
export const showAll = () => show(ground().from, ground().to);

export function zoom(factor: number, at = (view().from + view().to) / 2, remember = true) {
  show(at - (at - view().from) * factor, at + (view().to - at) * factor, remember);
}

export function pan(share: number) {
  const by = share * (view().to - view().from);
  show(view().from + by, view().to + by, false);
}

/** Remembers the view before a drag or a turn of the wheel, once for the whole of it. */
export function rememberView() {
  const { views, ahead, view: now } = ground();
  const last = views[views.length - 1];
  if (!last || last.from !== now.from || last.to !== now.to) views.push(now);
  ahead.length = 0;
}

export function back() {
  step(ground().views, ground().ahead);
}
export function forward() {
  step(ground().ahead, ground().views);
}

function step(from: View[], onto: View[]) {
  const next = from.pop();
  if (!next) return;
  onto.push(view());
  show(next.from, next.to, false);
}

function startView(): View {
  const words = new URLSearchParams(location.search);
  const from = Number(words.get("from") ?? NaN),
    to = Number(words.get("to") ?? NaN);
  const room = end - info.from;
  return from < to && from >= info.from - room && to <= info.to + room ? { from, to } : { from: info.from, to: end };
}

/** The address of exactly this view. */
export function address() {
  const words = new URLSearchParams(location.search);
  words.set("from", capture.view.from.toPrecision(12));
  words.set("to", capture.view.to.toPrecision(12));
  if (axis === "seconds") words.delete("axis");
  else words.set("axis", axis);
  return `${location.pathname}?${words}`;
}
