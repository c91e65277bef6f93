/** A lane never shows less than this share of its probe's range: the noise of a silent channel is not a signal. */
const least = 0.01;

/** A scale is kept while the values lie in it and use this share of it. */
const used = 0.4;

/**
 * Bottom and top of a lane for values from `low` to `high` (Infinity and -Infinity where there are none), with some room round them.
 * `range` is 0 where the probe's is not known.
 */
export function scaleFor(standing: [number, number], low: number, high: number, range: number): [number, number] {
  if (!(low <= high)) return standing;
  const height = standing[1] - standing[0];
  const enough = high - low > used * height || height <= 1.31 * least * range;
  if (low >= standing[0] && high <= standing[1] && enough && height > 0) return standing;
  const span = Math.max(high - low, least * range) || 0.2 * Math.abs(high) || 1;
  const middle = (low + high) / 2;
  return [middle - 0.65 * span, middle + 0.65 * span];
}
