import assert from "node:assert/strict";
import { test } from "node:test";
import { numberIn } from "../../src/Maschera.Web/client/bench/dom";

test("a number is read with comma or point", () => {
  assert.equal(numberIn("0,5"), 0.5);
  assert.equal(numberIn(" 1.25 "), 1.25);
  assert.equal(numberIn("-3"), -3);
});

test("what is no number is null", () => {
  for (const text of ["", " ", "five", "1,000.5", "1 000", "∞"]) assert.equal(numberIn(text), null, text);
});
