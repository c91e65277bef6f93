import { degreesAt } from "./crank";
import type { Clock, Fold } from "./scene";
import type { Trace } from "./wire";

/** Values a cycle: one a degree. */
export const BINS = 720;

/** Single cycles shown, and odd ones; BenchCycles.cs sends no more. */
export const SINGLES = 12,
  ODD = 5;

/** The middle of each degree. */
export const binDegrees = Array.from({ length: BINS }, (_, i) => i + 0.5);

/** Whole cycles of a clock: number of the first one, and how many. */
export function wholeCycles(clock: Clock) {
  const first = Math.ceil(clock.first / BINS);
  const last = clock.first + (clock.seconds.length - 1) * clock.every;
  return { first, count: Math.max(0, Math.floor(last / BINS) - first) };
}

/** Folds a trace on one cycle by a clock that only the page knows; null where there are fewer than two whole cycles. */
export function foldHere(channel: number, trace: Trace, clock: Clock): Fold | null {
  const { first, count } = wholeCycles(clock);
  if (count < 2) return null;
  const sums = Array.from({ length: count }, () => new Float64Array(BINS));
  const hits = Array.from({ length: count }, () => new Uint16Array(BINS));
  trace.seconds.forEach((seconds, i) => {
    const value = trace.values[i];
    if (typeof value !== "number") return;
    const place = Math.floor(degreesAt(clock, seconds) - first * BINS);
    const cycle = Math.floor(place / BINS);
    if (cycle < 0 || cycle >= count) return;
    sums[cycle][place % BINS] += value;
    hits[cycle][place % BINS]++;
  });
  const cycles = sums.map((sum, c) => bridged(Array.from(sum, (s, i) => (hits[c][i] ? s / hits[c][i] : null))));
  const mean: (number | null)[] = [],
    spread: (number | null)[] = [];
  for (let i = 0; i < BINS; i++) {
    const values = cycles.map((c) => c[i]).filter((v) => v !== null);
    const middle = values.reduce((a, v) => a + v, 0) / values.length;
    mean.push(values.length ? middle : null);
    spread.push(values.length > 1 ? Math.sqrt(values.reduce((a, v) => a + (v - middle) ** 2, 0) / (values.length - 1)) : null);
  }
  const shown = Math.min(count, SINGLES);
  const singles = Array.from({ length: shown }, (_, i) => cycles[Math.floor((i * count) / shown)]);
  return { channel, cycles: count, mean, spread, singles, odd: [] };
}

/** Degrees without a sample between two that have one lie on the line through them; longer gaps stay. */
function bridged(values: (number | null)[], most = 30) {
  let last = -1;
  for (let i = 0; i < values.length; i++) {
    if (values[i] === null) continue;
    for (let k = last + 1; last >= 0 && i - last <= most && k < i; k++)
      values[k] = values[last]! + ((values[i]! - values[last]!) * (k - last)) / (i - last);
    last = i;
  }
  return values;
}

/** Degrees within one cycle. */
export const wrapped = (degrees: number) => ((degrees % BINS) + BINS) % BINS;

/** The steepest or the highest or lowest place of the mean within some pixels, in degrees. */
export function snapOn(mean: (number | null)[], at: number, reach: number) {
  const near: { d: number; v: number; slope: number }[] = [];
  for (let d = Math.ceil(at - reach); d <= at + reach; d++) {
    const [before, v, after] = [mean[wrapped(d - 1)], mean[wrapped(d)], mean[wrapped(d + 1)]];
    if (typeof v === "number" && typeof before === "number" && typeof after === "number")
      near.push({ d, v, slope: Math.abs(after - before) / 2 });
  }
  if (near.length < 3) return at;
  const swing = Math.max(...near.map((n) => n.v)) - Math.min(...near.map((n) => n.v));
  const known = mean.filter((v) => v !== null);
  // What is hardly to be seen beside the whole is no place that somebody points at.
  if (swing < 0.01 * (Math.max(...known) - Math.min(...known))) return at;
  const steepest = near.reduce((a, b) => (b.slope > a.slope ? b : a));
  if (swing / steepest.slope < Math.max(2, reach / 3)) return steepest.d + 0.5;
  const inner = near.slice(1, -1);
  const top = inner.reduce((a, b) => (b.v > a.v ? b : a)),
    low = inner.reduce((a, b) => (b.v < a.v ? b : a));
  if (top.v > near[0].v && top.v > near[near.length - 1].v) return top.d + 0.5;
  if (low.v < near[0].v && low.v < near[near.length - 1].v) return low.d + 0.5;
  return at;
}

/** The next place on the mean that stands out, or the one before, in degrees; null up to the end of the cycle for none. */
export function nextOn(mean: (number | null)[], at: number, back: boolean, reach: number) {
  const step = Math.max(1, reach / 2) * (back ? -1 : 1);
  for (let d = at + step; d >= 0 && d <= BINS; d += step) {
    const found = snapOn(mean, d, reach);
    if (found !== d && found >= 0 && found <= BINS && (found - at) * Math.sign(step) > 0.75) return found;
  }
  return null;
}
