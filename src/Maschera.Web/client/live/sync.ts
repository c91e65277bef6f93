/** A sync pulse is missing where one lasts longer than this many usual cycles; a second one sooner than this share is none. */
const LONGEST = 1.6,
  SHORTEST = 0.4;
/** Above this share of the way to the extreme a sync pulse is seen. */
const LEVEL = 0.6;

/** Cycles from one sync pulse to the next, s; where one is missing there is none. */
export interface Cycles {
  cycles: [from: number, to: number][];
}

const middle = (list: number[]) => [...list].sort((a, b) => a - b)[list.length >> 1];

/**
 * Cycles by a pulse that comes once in each.
 * @param pairs least and greatest of each column in turn, NaN where empty
 * @param from the first column's start, s; @param each a column's width, s
 */
export function cyclesIn(pairs: ArrayLike<number>, from: number, each: number): Cycles | null {
  const lows: number[] = [],
    highs: number[] = [];
  for (let k = 0; k < pairs.length; k += 2)
    if (!Number.isNaN(pairs[k])) {
      lows.push(pairs[k]);
      highs.push(pairs[k + 1]);
    }
  if (lows.length < 4) return null;
  const rest = (middle(lows) + middle(highs)) / 2;
  const [low, high] = [lows.reduce((a, b) => Math.min(a, b)), highs.reduce((a, b) => Math.max(a, b))];
  // The pulse is what goes farthest from where the signal rests.
  const rises = high - rest >= rest - low;
  const level = rest + LEVEL * ((rises ? high : low) - rest);
  const starts: number[] = [];
  let inside = true;
  for (let k = 0; k < pairs.length; k += 2) {
    if (Number.isNaN(pairs[k])) continue;
    const is = rises ? pairs[k + 1] >= level : pairs[k] <= level;
    if (is && !inside) starts.push(from + (k / 2 + 0.5) * each);
    inside = is;
  }
  const gaps = starts.slice(1).map((at, i) => at - starts[i]);
  if (!gaps.length) return null;
  const usual = middle(gaps);
  const kept = starts.filter((at, i) => i === 0 || at - starts[i - 1] > SHORTEST * usual);
  const cycles = kept
    .slice(1)
    .map((to, i): [number, number] => [kept[i], to])
    .filter(([a, b]) => b - a < LONGEST * usual);
  return cycles.length ? { cycles } : null;
}
