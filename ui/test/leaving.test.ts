import assert from "node:assert/strict";
import { test } from "node:test";

import { readLeaving, writeLeaving } from "../src/leaving";

test("any identifier survives", () => {
  const fixed = new Map([["DE*ABC:1,2", "42.5"], ["100 % sure+", "60"], ["a&b=c", "7"]]);
  assert.deepEqual(readLeaving(writeLeaving(fixed)), fixed);
  assert.equal(writeLeaving(new Map([["s1", "60.5"]])), "s1:60.5");
});

test("what the server wrote is read, and what is no pair is passed over", () => {
  assert.deepEqual(readLeaving("The+Inn%2C+west:60,x,:5,"), new Map([["The Inn, west", "60"]]));
  assert.deepEqual(readLeaving("100%:5"), new Map([["100%", "5"]]));
});
