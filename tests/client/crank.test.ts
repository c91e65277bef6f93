import assert from "node:assert/strict";
import { test } from "node:test";
import { degreesAt, secondsAt, ticksOf } from "../../src/Maschera.Web/client/crank";
import type { Clock } from "../../src/Maschera.Web/client/scene";

/** A crank whose marks of 30° pass at the given seconds. */
const clock = (seconds: number[], first = 0): Clock => ({
  first,
  every: 30,
  seconds,
  known: true,
  firing: [],
  said: "",
  notes: [],
  valves: null,
  odd: [],
  speed: null,
});

/** Ten turns, the second five twice as fast as the first. */
const turning = clock(Array.from({ length: 121 }, (_, i) => (i <= 60 ? i * 0.01 : 0.6 + (i - 60) * 0.005)));

test("degrees and seconds are each other's inverse between the marks", () => {
  for (const degrees of [0, 1, 29.5, 30, 777, 1800, 1815, 3599, 3600]) {
    const at = secondsAt(turning, degrees);
    assert.ok(Math.abs(degreesAt(turning, at) - degrees) < 1e-9, `${degrees}`);
  }
});

test("beyond the clock degrees go on at its last speed, seconds are unknown", () => {
  assert.equal(degreesAt(turning, -0.01), -30);
  assert.ok(Math.abs(degreesAt(turning, 0.905) - 3630) < 1e-9);
  assert.ok(Number.isNaN(secondsAt(turning, -1)));
  assert.ok(Number.isNaN(secondsAt(turning, 3601)));
});

test("a clock that begins within a cycle counts from there", () => {
  const late = clock([1, 1.01, 1.02], 690);
  assert.equal(degreesAt(late, 1), 690);
  assert.ok(Math.abs(degreesAt(late, 1.015) - 735) < 1e-9);
});

test("ticks are round, twelve at most, and stand where the crank does", () => {
  for (const [from, to] of [
    [0, 0.9],
    [0.1, 0.2],
    [0.3, 0.3005],
    [0.55, 0.65],
  ]) {
    const { seconds, labels } = ticksOf(turning, from, to);
    assert.ok(seconds.length > 0 && seconds.length <= 13, `${seconds.length}`);
    assert.equal(seconds.length, labels.length);
    assert.ok(seconds.every((s) => s >= from - 1e-9 && s <= to + 1e-9));
  }
});

test("close in, ticks are degrees of the cycle; far out they count cycles", () => {
  assert.ok(ticksOf(turning, 0.2, 0.3).labels.every((l) => l.endsWith("°")));
  const far = clock(Array.from({ length: 24_001 }, (_, i) => i * 0.01));
  assert.ok(ticksOf(far, 0, 240).labels.every((l) => !l.endsWith("°")));
});
