import assert from "node:assert/strict";
import { test } from "node:test";

import { Alarm } from "../src/live/alarm";

test("an alarm rings once when its moment has come, and again for another", () => {
  const rung: string[] = [];
  const alarm = new Alarm((_, words) => rung.push(words));
  alarm.check("leave", 100_000, 99_999, "early");
  alarm.check("leave", 100_000, 100_000, "now");
  // The moment shifts a little with every reading.
  alarm.check("leave", 103_000, 104_000, "again");
  assert.deepEqual(rung, ["now"]);
  alarm.check("leave", 900_000, 900_500, "the next stop");
  assert.deepEqual(rung, ["now", "the next stop"]);
});

test("each kind of moment rings once, whichever of them comes between", () => {
  const rung: string[] = [];
  const alarm = new Alarm((_, words) => rung.push(words));
  alarm.check("leave", 100_000, 100_000, "leave");
  alarm.check("idle", 900_000, 900_000, "idle");
  alarm.check("leave", 100_000, 900_500, "leave again");
  alarm.check("idle", 900_000, 901_000, "idle again");
  assert.deepEqual(rung, ["leave", "idle"]);
});
