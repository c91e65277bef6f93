import assert from "node:assert/strict";
import { test } from "node:test";
import { foldHere, snapOn } from "../../src/Maschera.Web/client/fold";
import { clockOf, orderIn } from "../../src/Maschera.Web/client/order";
import { degreesAt, secondsAt } from "../../src/Maschera.Web/client/crank";

test("an order is read as people write it, and what is none is none", () => {
  assert.deepEqual(orderIn("1-3-4-2"), [1, 3, 4, 2]);
  assert.deepEqual(orderIn(" 1, 8 4;3-6–5 7 2 "), [1, 8, 4, 3, 6, 5, 7, 2]);
  for (const wrong of ["", "1", "1-2-2", "1-x-3", "1-2.5.3x", "0-1-2", "1-2-25"]) assert.equal(orderIn(wrong), null, wrong);
});

test("an order laid over two firings has every cylinder evenly spread, a cycle beyond either end", () => {
  const clock = clockOf([1, 1.1, 1.22], [1, 3, 4, 2]);
  assert.deepEqual(
    clock.firing.map((f) => f.degrees),
    [0, 180, 360, 540],
  );
  assert.ok(Math.abs(secondsAt(clock, 0) - 1) < 1e-12);
  assert.ok(Math.abs(secondsAt(clock, 720) - 1.1) < 1e-12);
  assert.ok(Math.abs(degreesAt(clock, 1.16) - 1080) < 1e-9);
  assert.ok(Math.abs(secondsAt(clock, -720) - 0.9) < 1e-12);
});

/** Ten cycles of 0.1 s whose value is a hump at 200° and a step at 500°. */
function trace() {
  const seconds: number[] = [],
    values: (number | null)[] = [];
  for (let i = 0; i < 7200; i++) {
    const degrees = (i * 1.0 + 0.5) % 720;
    seconds.push((i + 0.5) / 7200);
    values.push(100 * Math.exp(-(((degrees - 200) / 25) ** 2)) + (degrees >= 500 ? 40 : 0));
  }
  return { seconds, values };
}

test("a trace is folded on its cycles: mean and spread of each degree", () => {
  const clock = clockOf(
    Array.from({ length: 11 }, (_, i) => i / 10),
    [1, 2],
  );
  const fold = foldHere(7, trace(), clock)!;
  assert.equal(fold.channel, 7);
  assert.ok(fold.cycles >= 10);
  assert.ok(Math.abs(fold.mean[200]! - 100) < 0.2);
  assert.ok(Math.abs(fold.mean[600]! - 40) < 1e-6);
  assert.ok(fold.spread[600]! < 1e-6);
  assert.equal(foldHere(7, trace(), { ...clock, seconds: clock.seconds.slice(0, 2) }), null);
});

test("a stretch without samples stays empty, a short one lies on the line", () => {
  const clock = clockOf([0, 0.1, 0.2, 0.3], [1, 2]);
  const whole = trace();
  const kept = whole.seconds.map((t) => {
    const d = (t * 7200) % 720;
    return !(d > 300 && d < 400) && !(d > 600 && d < 610);
  });
  const fold = foldHere(1, { seconds: whole.seconds.filter((_, i) => kept[i]), values: whole.values.filter((_, i) => kept[i]) }, clock)!;
  assert.equal(fold.mean[350], null);
  assert.ok(Math.abs(fold.mean[605]! - 40) < 1e-6);
});

test("a jaw on the mean is drawn to the step where it is steep and to the top where it is round", () => {
  const clock = clockOf(
    Array.from({ length: 11 }, (_, i) => i / 10),
    [1, 2],
  );
  const { mean } = foldHere(1, trace(), clock)!;
  assert.ok(Math.abs(snapOn(mean, 494, 12) - 500) <= 1);
  assert.ok(Math.abs(snapOn(mean, 207, 14) - 200) <= 1);
  assert.equal(snapOn(mean, 420, 6), 420);
});
