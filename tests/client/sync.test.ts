import { test } from "node:test";
import assert from "node:assert/strict";
import { cyclesIn } from "../../src/Maschera.Web/client/live/sync";

/** Columns of a signal that rests at 12 and jumps to `peak` once a cycle. */
function columns(count: number, at: number[], peak: number, each = 0.002) {
  const pairs = Array.from({ length: 2 * count }, (_, k) => (k % 2 ? 12.4 : 11.6));
  for (const t of at) {
    const k = Math.floor(t / each);
    if (peak > 12) pairs[2 * k + 1] = peak;
    else pairs[2 * k] = peak;
  }
  return pairs;
}
const every = (from: number, period: number, count: number) => Array.from({ length: count }, (_, i) => from + i * period);

for (const peak of [55, -30])
  test(`each cycle lasts from one pulse to the next, pulses to ${peak}`, () => {
    const found = cyclesIn(columns(1000, every(0.1, 0.15, 12), peak), 0, 0.002)!;
    assert.equal(found.cycles.length, 11);
    for (const [a, b] of found.cycles) assert.ok(Math.abs(b - a - 0.15) <= 0.0021);
    assert.ok(Math.abs(found.cycles[0][0] - 0.1) <= 0.002);
  });

test("where a pulse is missing there is no cycle of double length", () => {
  const at = every(0.1, 0.15, 12).filter((_, i) => i !== 5);
  const found = cyclesIn(columns(1000, at, 55), 0, 0.002)!;
  assert.equal(found.cycles.length, 9);
  for (const [a, b] of found.cycles) assert.ok(b - a < 0.2);
});

test("a second pulse right after the first is none", () => {
  const at = every(0.1, 0.15, 12).flatMap((t) => [t, t + 0.01]);
  const found = cyclesIn(columns(1000, at.slice(0, 3).concat(every(0.4, 0.15, 9)), 55), 0, 0.002)!;
  for (const [a, b] of found.cycles) assert.ok(Math.abs(b - a - 0.15) < 0.02, `${a} to ${b}`);
});

test("nothing is said of a signal with one pulse, of empty columns or of none", () => {
  assert.equal(cyclesIn(columns(1000, [0.5], 55), 0, 0.002), null);
  assert.equal(
    cyclesIn(
      Array.from({ length: 200 }, () => NaN),
      0,
      0.002,
    ),
    null,
  );
  assert.equal(cyclesIn([], 0, 0.002), null);
});
