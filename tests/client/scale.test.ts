import assert from "node:assert/strict";
import { test } from "node:test";
import { scaleFor } from "../../src/Maschera.Web/client/scale";

test("the noise of a silent channel stays a thin line", () => {
  const [low, high] = scaleFor([0, 1], -0.001, 0.001, 100);
  assert.ok(high - low >= 1, `${high - low}`);
  assert.ok(low < -0.001 && high > 0.001);
});

test("a silent channel's scale rests while its noise moves about", () => {
  let scale: [number, number] = scaleFor([50, 80], 0, 0.002, 100);
  for (let i = 0; i < 50; i++) {
    const next = scaleFor(scale, -0.01 * Math.random(), 0.01 * Math.random(), 100);
    assert.deepEqual(next, scale);
    scale = next;
  }
});

test("a signal fills its lane with some room round it", () => {
  const [low, high] = scaleFor([0, 1], -5, 15, 100);
  assert.ok(low < -5 && high > 15 && high - low < 30);
});

test("a scale is kept while it fits, and follows a signal that shrinks", () => {
  const standing: [number, number] = [-10, 20];
  assert.equal(scaleFor(standing, -8, 18, 100), standing);
  const [low, high] = scaleFor(standing, 1, 3, 100);
  assert.ok(high - low < 5);
});

test("a constant of an unknown probe lies in the middle of a lane that has a height", () => {
  for (const value of [0, 12.5, -3]) {
    const [low, high] = scaleFor([0, 0], value, value, 0);
    assert.ok(low < value && value < high);
  }
});

test("without a value the scale stays", () => {
  const standing: [number, number] = [0, 1];
  assert.equal(scaleFor(standing, Infinity, -Infinity, 10), standing);
});
