import type { Clock } from "./scene";

/** Seconds at which the crank stands at `degrees`; NaN outside of the clock. */
export function secondsAt(on: Clock, degrees: number) {
  const place = (degrees - on.first) / on.every;
  const i = Math.min(Math.floor(place), on.seconds.length - 2);
  if (i < 0 || place > on.seconds.length - 1) return NaN;
  return on.seconds[i] + (place - i) * (on.seconds[i + 1] - on.seconds[i]);
}

/** Crank degrees at a time; beyond the clock by its first or last speed. */
export function degreesAt(on: Clock, seconds: number) {
  const s = on.seconds;
  let low = 0,
    high = s.length - 1;
  while (high - low > 1) {
    const middle = (low + high) >> 1;
    if (s[middle] <= seconds) low = middle;
    else high = middle;
  }
  return on.first + (low + (seconds - s[low]) / (s[high] - s[low])) * on.every;
}

/** Round degrees between two times, some twelve at most, and their places in seconds. */
export function ticksOf(on: Clock, from: number, to: number): { seconds: number[]; labels: string[] } {
  const first = degreesAt(on, from),
    last = degreesAt(on, to);
  const step = [1, 2, 5, 10, 30, 45, 90, 180, 360, 720, 1440, 3600, 7200, 14400, 36000].find((s) => (last - first) / s <= 12) ?? 72000;
  const ticks: { seconds: number[]; labels: string[] } = { seconds: [], labels: [] };
  for (let d = Math.ceil(first / step) * step; d <= last; d += step) {
    const at = secondsAt(on, d);
    if (Number.isNaN(at)) continue;
    ticks.seconds.push(at);
    ticks.labels.push(step >= 720 ? `${Math.round(d / 720)}` : `${((d % 720) + 720) % 720}°`);
  }
  return ticks;
}
