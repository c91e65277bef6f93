import type { BenchScene, LaneChannel, UnitChoice } from "../scene";

/** The view on the scene, and how the lanes lie. */
export interface View {
  from: number;
  to: number;
}

export const info: BenchScene = JSON.parse(document.querySelector("#bench-data")!.textContent!);
export const arrangement = info.arrangement;

/** The closest view, seconds. */
const least = 2e-6;
const room = () => Math.max(info.to - info.from, least);
const views: View[] = [];
const ahead: View[] = [];
const watchers: (() => void)[] = [];
let current = startView();

export const view = () => current;
export const onView = (watcher: () => void) => {
  watchers.push(watcher);
};
export const channelOf = (id: number) => info.channels.find((c) => c.id === id)!;
export const laneChannelOf = (id: number) => arrangement.lanes.flatMap((lane) => lane.channels).find((c) => c.channel === id)!;

/** The unit a channel is shown in. */
export function unitOf(shown: LaneChannel): UnitChoice {
  const units = channelOf(shown.channel).units;
  return units.find((u) => u.unit === shown.unit) ?? units[0];
}

/** The channel on whose scale a channel is drawn. */
export function scaleKey(channel: number) {
  const lane = arrangement.lanes.find((l) => l.channels.some((c) => c.channel === channel));
  const first = lane?.channels.find((c) => !c.hidden);
  return lane?.shared && first && unitOf(laneChannelOf(channel)).unit === unitOf(first).unit ? first.channel : channel;
}

/** A stored value as it is drawn. */
export function drawn(shown: LaneChannel, unit: UnitChoice, value: number) {
  return (shown.invert ? -1 : 1) * (value * unit.factor + unit.offset) + shown.offset;
}

export function show(from: number, to: number, remember = true) {
  const span = Math.max(least, Math.min(to - from, room()));
  from = Math.max(info.from, Math.min(from, info.to - span));
  if (!Number.isFinite(from)) return;
  if (remember) {
    views.push(current);
    ahead.length = 0;
  }
  current = { from, to: from + span };
  for (const watcher of watchers) watcher();
}

export function zoom(factor: number, at = (current.from + current.to) / 2, remember = true) {
  show(at - (at - current.from) * factor, at + (current.to - at) * factor, remember);
}

export function pan(share: number) {
  const by = share * (current.to - current.from);
  show(current.from + by, current.to + by, false);
}

/** Remembers the view before a drag or a turn of the wheel, once for the whole of it. */
export function rememberView() {
  const last = views[views.length - 1];
  if (!last || last.from !== current.from || last.to !== current.to) views.push(current);
  ahead.length = 0;
}

export function back() {
  step(views, ahead);
}
export function forward() {
  step(ahead, views);
}

function step(from: View[], onto: View[]) {
  const next = from.pop();
  if (!next) return;
  onto.push(current);
  show(next.from, next.to, false);
}

function startView(): View {
  const words = new URLSearchParams(location.search);
  const from = Number(words.get("from") ?? NaN),
    to = Number(words.get("to") ?? NaN);
  return from < to && from >= info.from - room() && to <= info.to + room() ? { from, to } : { from: info.from, to: info.from + room() };
}

/** The address of exactly this view. */
export function address() {
  const words = new URLSearchParams(location.search);
  // The axis chosen stays in the address with the view.
  words.set("from", current.from.toPrecision(12));
  words.set("to", current.to.toPrecision(12));
  return `${location.pathname}?${words}`;
}
