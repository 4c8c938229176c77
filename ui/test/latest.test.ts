import assert from "node:assert/strict";
import { test } from "node:test";

import { Latest } from "../src/latest";

/** A job that ends when it is told to, or when its signal is aborted. */
function slow() {
  const started: AbortSignal[] = [];
  let finish = () => {};
  const job = (signal: AbortSignal) =>
    new Promise<void>((resolve) => {
      started.push(signal);
      finish = resolve;
      signal.addEventListener("abort", () => resolve());
    });
  return { started, job, finish: () => finish() };
}

const settled = () => new Promise((resolve) => setTimeout(resolve, 0));

test("many questions while one is worked on are one more, not many", async () => {
  const work = slow();
  const latest = new Latest(work.job, 250, () => 0);
  for (let i = 0; i < 100; i++) latest.ask();
  assert.equal(work.started.length, 1);
  work.finish();
  await settled();
  assert.equal(work.started.length, 2);
  work.finish();
  await settled();
  latest.ask();
  assert.equal(work.started.length, 3);
});

test("a newer question ends work that takes too long, and is worked on", async () => {
  const work = slow();
  let now = 0;
  const latest = new Latest(work.job, 250, () => now);
  latest.ask();
  now = 100;
  latest.ask();
  assert.equal(work.started[0]?.aborted, false);
  now = 300;
  latest.ask();
  assert.equal(work.started[0]?.aborted, true);
  await settled();
  assert.equal(work.started.length, 2);
});
