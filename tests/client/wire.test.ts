import assert from "node:assert/strict";
import { test } from "node:test";
import { unpackWindow } from "../../src/Maschera.Web/client/wire";

/** Packs as the server does: kind, count, then floats. */
function packed(...parts: { kind: number; n: number; floats: number[] }[]) {
  const bytes = new ArrayBuffer(parts.reduce((sum, p) => sum + 8 + 4 * p.floats.length, 0));
  const view = new DataView(bytes);
  let at = 0;
  for (const { kind, n, floats } of parts) {
    view.setInt32(at, kind, true);
    view.setInt32(at + 4, n, true);
    at += 8;
    for (const value of floats) {
      view.setFloat32(at, value, true);
      at += 4;
    }
  }
  return bytes;
}

test("columns stand at a quarter and three quarters of their width, least before greatest", () => {
  const [trace] = unpackWindow(packed({ kind: 0, n: 2, floats: [1, 2, 3, 4] }), 10, 12);
  assert.deepEqual(trace, { seconds: [10.25, 10.75, 11.25, 11.75], values: [1, 2, 3, 4], columns: true });
});

test("empty columns are left out, columns without a value are gaps", () => {
  const [trace] = unpackWindow(packed({ kind: 0, n: 3, floats: [Infinity, -Infinity, NaN, NaN, 5, 5] }), 0, 3);
  assert.deepEqual(trace, { seconds: [1.25, 1.75, 2.25, 2.75], values: [null, null, 5, 5], columns: true });
});

test("points come with their own seconds after the window's start", () => {
  const [trace] = unpackWindow(packed({ kind: 1, n: 3, floats: [0, 0.5, 1, 7, NaN, 9] }), 100, 101);
  assert.deepEqual(trace, { seconds: [100, 100.5, 101], values: [7, null, 9] });
});

test("several channels follow each other", () => {
  const traces = unpackWindow(
    packed({ kind: 1, n: 1, floats: [0, 1] }, { kind: 0, n: 1, floats: [2, 3] }, { kind: 1, n: 0, floats: [] }),
    0,
    1,
  );
  assert.deepEqual(
    traces.map((t) => t.values),
    [[1], [2, 3], []],
  );
});

test("nothing is nothing", () => assert.deepEqual(unpackWindow(new ArrayBuffer(0), 0, 1), []));
