import { test as base, expect } from "@playwright/test";
import AxeBuilder from "@axe-core/playwright";

/** A page on which anything the browser complains of (a broken policy, an exception) fails the test. */
export const test = base.extend({
  page: async ({ page }, use) => {
    const complaints = [];
    // A refused form answers 422, and a test may let the server be busy; the browser notes both as failed resources.
    const expected = (text) => /status of (422|503) /.test(text);
    page.on("console", (message) => message.type() === "error" && !expected(message.text()) && complaints.push(message.text()));
    page.on("pageerror", (error) => complaints.push(error.message));
    await use(page);
    expect(complaints).toEqual([]);
  },
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

/** The minutes of "9 h 19 min, there at …". */
export async function totalMinutes(page) {
  const text = await page.locator("#plan p[role=status]").first().innerText();
  const [, hours, minutes] = /(?:(\d+) h )?(\d+) min/.exec(text);
  return 60 * Number(hours ?? 0) + Number(minutes);
}
