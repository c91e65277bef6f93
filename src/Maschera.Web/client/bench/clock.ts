import { degreesAt, secondsAt, ticksOf } from "../crank";
import type { Clock } from "../scene";
import { ask, bench } from "./server";
import { axisNow, info, view } from "./state";

/** The capture's clock once it was asked for, or the one a person laid over the trace. */
let clock: Clock | null = null;
let laid = false;

export const inDegrees = () => axisNow() === "degrees" && clock !== null;
export const theClock = () => clock;
/** True where a person laid the order over the trace: only the page knows this clock. */
export const isLaid = () => laid;

/** The clock, asked for the first time. */
export async function needClock() {
  clock ??= await ask<Clock>("GET", bench("clock"));
  return clock;
}

/** Lays a clock of a person's own over the trace; null takes it off. */
export function layClock(own: Clock | null) {
  clock = own;
  laid = own !== null;
}

/** Round degrees in view, and their places in seconds. */
export const degreeTicks = () => ticksOf(clock!, view().from, view().to);

/** What the axis is called. */
export const degreeTitle = () => {
  const spans = degreesAt(clock!, view().to) - degreesAt(clock!, view().from);
  return spans > 12 * 360 ? "cycles of 720°" : cycleTitle();
};

/** From where degrees are counted. */
export const cycleTitle = () =>
  clock!.known ? `crank degrees after firing TDC of cylinder ${clock!.firing[0].cylinder}` : "crank degrees after the wheel's gap";

const others = new Map<number, Clock | null>();

/**
 * Times of another capture and of this one at which both cranks stand alike, its first whole cycle under ours; null where
 * it has no crank degrees.
 */
export async function onOurDegrees(capture: number): Promise<{ theirs(seconds: number): number; ours(seconds: number): number } | null> {
  if (!others.has(capture)) others.set(capture, await ask<Clock>("GET", `/bench/${capture}/clock?over=${info.id}`).catch(() => null));
  const other = others.get(capture);
  if (!other) return null;
  const cycles = 720 * (Math.ceil(other.first / 720) - Math.ceil(clock!.first / 720));
  return {
    theirs: (seconds) => secondsAt(other, degreesAt(clock!, seconds) + cycles),
    ours: (seconds) => secondsAt(clock!, degreesAt(other, seconds) - cycles),
  };
}

/** Where the other capture's clock begins and ends, for a window beyond it. */
export const spanOf = (capture: number) => {
  const s = others.get(capture)!.seconds;
  return { from: s[0], to: s[s.length - 1] };
};
