import { spawn } from "node:child_process";
import { mkdtempSync, rmSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { test as base, expect } from "@playwright/test";
import AxeBuilder from "@axe-core/playwright";

/** Starts a server on a directory, which gets fresh demo data when it is new; `stop` ends it as a power cut would. */
export async function start(data, port = 0, command = "demo") {
  const child = spawn(process.env.SPARE_HOUR_BIN, [command, "--data", data, "--port", String(port)]);
  const line = await new Promise((resolve, reject) => {
    child.stdout.once("data", (bytes) => resolve(String(bytes)));
    child.once("exit", (code) => reject(new Error(`the server ended with ${code} before it answered`)));
  });
  const stop = () => new Promise((resolve) => (child.once("exit", resolve), child.kill("SIGKILL")));
  return { url: /http:\/\/\S+/.exec(line)[0], stop };
}

/** Lends the address of a server with fresh demo data, or with none, then ends it and removes what it kept. */
async function lend(use, command = "demo") {
  const data = mkdtempSync(join(tmpdir(), "spare-hour-"));
  const { url, stop } = await start(data, 0, command);
  await use(url);
  await stop();
  rmSync(data, { recursive: true });
}

/** A page on which anything the browser complains of (a broken policy, an exception) fails the test. */
const watched = base.extend({
  page: async ({ page }, use) => {
    const complaints = [];
    // A refused form answers 422, and a test may let the server be busy or take the signal away; the browser notes all as failed resources.
    const expected = (text) => /status of (422|503) |ERR_INTERNET_DISCONNECTED|when fetching the script/.test(text);
    page.on("console", (message) => message.type() === "error" && !expected(message.text()) && complaints.push(`${message.text()} ${message.location().url}`));
    page.on("pageerror", (error) => complaints.push(error.message));
    await use(page);
    expect(complaints).toEqual([]);
  },
});

/** A test with a server and data of its own, so that no test sees what another did. */
export const test = watched.extend({ baseURL: async ({}, use) => lend(use) });

/** A test of somebody who has nothing yet. */
export const newcomer = watched.extend({ baseURL: async ({}, use) => lend(use, "serve") });

/** A test that only looks: a server for all of a worker's. */
export const looking = watched.extend({
  shared: [async ({}, use) => lend(use), { scope: "worker" }],
  baseURL: async ({ shared }, use) => use(shared),
});

export { expect };

/** Nothing serious by axe. */
export async function accessible(page) {
  const { violations } = await new AxeBuilder({ page }).analyze();
  const serious = violations.filter(({ impact }) => impact === "serious" || impact === "critical");
  expect(serious.map(({ id, nodes }) => `${id}: ${nodes.map((node) => node.html).join(" | ")}`)).toEqual([]);
}

/** Marks the page, so that a reload would be seen. */
export const mark = (page) => page.evaluate(() => (window.notReloaded = true));
export const notReloaded = (page) => page.evaluate(() => window.notReloaded === true);

/** The minutes of the plan that is shown, as the page gives them to programs. */
export async function totalMinutes(page) {
  const duration = await page.locator("#plan p[role=status] time").first().getAttribute("datetime");
  return Number(/^PT(\d+)M$/.exec(duration)[1]);
}
