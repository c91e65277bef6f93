import assert from "node:assert/strict";
import { test } from "node:test";
import { peakOf, wavOf } from "../../src/Maschera.Web/client/listen/wav";

test("pieces of sound become one WAV file of 16 bits", async () => {
  const bytes = new DataView(await wavOf([new Float32Array([0, 0.5]), new Float32Array([-1, 2, Number.NaN])], 44_100).arrayBuffer());
  const word = (at: number) => String.fromCharCode(...[0, 1, 2, 3].map((i) => bytes.getUint8(at + i)));
  assert.deepEqual([word(0), word(8), word(12), word(36)], ["RIFF", "WAVE", "fmt ", "data"]);
  assert.equal(bytes.byteLength, 54);
  assert.equal(bytes.getUint32(4, true), 46);
  assert.equal(bytes.getUint32(24, true), 44_100);
  assert.equal(bytes.getUint32(28, true), 88_200);
  assert.equal(bytes.getUint32(40, true), 10);
  const samples = [0, 1, 2, 3, 4].map((i) => bytes.getInt16(44 + 2 * i, true));
  assert.deepEqual(samples, [0, 16384, -32767, 32767, 0]);
});

test("an empty recording is a whole file without samples", async () => {
  const bytes = new DataView(await wavOf([], 16_000).arrayBuffer());
  assert.equal(bytes.byteLength, 44);
  assert.equal(bytes.getUint32(40, true), 0);
});

test("the level of a piece is its loudest sample, whichever way it swings", () => {
  assert.equal(peakOf(new Float32Array([0.1, -0.75, 0.5])), 0.75);
  assert.equal(peakOf(new Float32Array()), 0);
});
