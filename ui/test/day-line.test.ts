import assert from "node:assert/strict";
import { test } from "node:test";

import { readAt } from "../src/day-line";

/** An hour's drive from 8:00, 5 minutes to plug in, 10 of charging. */
const day = {
  points: [[0, 90, 0, 0], [60, 50, 100, 0], [60, 50, 100, 1], [65, 50, 100, 1], [65, 50, 100, 2], [75, 80, 100, 2]] as [number, number, number, number][],
  doing: ["driving", "plugging in at Inn", "charging at Inn"],
  unit: "km",
  twelve: false,
  leaves: 480,
};

test("between two points everything is read off the line", () => {
  // By hand: a quarter of the drive, then the middle of the charge.
  assert.deepEqual(readAt(day, 15), { minute: 15, soc: 80, place: 25, text: "08:15 · 25 km · 80 % · driving" });
  assert.equal(readAt(day, 62).text, "09:02 · 100 km · 50 % · plugging in at Inn");
  assert.equal(readAt(day, 70).text, "09:10 · 100 km · 65 % · charging at Inn");
});

test("before the start and after the end stand the ends, on either clock face", () => {
  assert.equal(readAt(day, -40).text, "08:00 · 0 km · 90 % · driving");
  assert.equal(readAt(day, Infinity).text, "09:15 · 100 km · 80 % · charging at Inn");
  assert.equal(readAt({ ...day, twelve: true, leaves: 720 }, 15).text, "12:15 pm · 25 km · 80 % · driving");
  assert.equal(readAt({ ...day, twelve: true, leaves: 1430 }, 15).text, "12:05 am · 25 km · 80 % · driving");
});
