import { accessible, expect, mark, notReloaded, test, totalMinutes } from "./support.mjs";

const stops = (page) => page.locator(".stop-cards > li");

test("from the first page to a cold day with 20 % at the end", async ({ page }) => {
  await page.goto("/trips");
  await page.getByRole("link", { name: "Tamsby to Ferrow Quay", exact: true }).click();
  const usual = await totalMinutes(page);
  await mark(page);
  await page.getByRole("button", { name: "cold, −10 °C" }).click();
  await page.getByRole("button", { name: "20 % at the end" }).click();
  await expect(page.locator("#plan p[role=status]").first()).toContainText("with 20 %");
  await expect(page).toHaveURL(/(?=.*outside=-10)(?=.*wish=20)/);
  expect(await totalMinutes(page)).toBeGreaterThan(usual + 20);
  await expect(stops(page).first()).toContainText(/The next 5 % would take [\d.]+ min here, the first 5 % at the next stop take [\d.]+/);
  expect(await notReloaded(page)).toBe(true);
});

test("what is changed before the script has come is planned with", async ({ page }) => {
  let come = () => {};
  const comes = new Promise((resolve) => (come = resolve));
  await page.route("**/app.js", async (route) => {
    await comes;
    await route.continue();
  });
  await page.goto("/trips/1", { waitUntil: "commit" });
  await page.getByLabel("Floor at stops, %").fill("25");
  come();
  await expect(page).toHaveURL(/floor=25/);
  await expect(page.getByLabel("Floor at stops, slider")).toHaveValue("25");
});

test("a reload and a link show the same plan", async ({ page, context }) => {
  await page.goto("/trips/1");
  await page.getByLabel("Floor at stops, %").fill("20");
  await expect(page).toHaveURL(/floor=20/);
  const shown = async () => normal(await page.locator(".answer .total, .stop-cards .socs").allInnerTexts());
  const before = await shown();
  await page.reload();
  expect(await shown()).toEqual(before);
  const other = await context.newPage();
  await other.goto(page.url());
  await expect(other.getByLabel("Floor at stops, %")).toHaveValue("20");
});

const normal = (texts) => texts.map((text) => text.replace(/\s+/g, " "));

test("a leaving point follows the mouse and tells its cost", async ({ page }) => {
  await page.goto("/trips/1");
  await mark(page);
  const handle = page.getByRole("slider", { name: /^Leave Vessen Junction/ });
  const before = Number(await handle.getAttribute("aria-valuenow"));
  const box = await handle.locator(".handle").boundingBox();
  const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
  await page.mouse.move(x, y);
  await page.mouse.down();
  await page.mouse.move(x, y - 30, { steps: 6 });
  await expect(page.getByText("Your own departures")).toContainText(/\+[\d.]+ min, [−+±][\d.]+ cr against the best plan/);
  await page.mouse.up();
  await expect.poll(async () => Number(await handle.getAttribute("aria-valuenow"))).toBeGreaterThan(before + 3);
  await expect(page).toHaveURL(/leave=vessen%3A/);
  expect(await notReloaded(page)).toBe(true);
  await page.getByRole("link", { name: "Let the planner choose again" }).click();
  await expect(page.getByText("Your own departures")).toHaveCount(0);
});

test("the keyboard alone nudges a leaving point and lets it go", async ({ page }) => {
  await page.goto("/trips/1");
  const handle = page.getByRole("slider", { name: /^Leave Vessen Junction/ });
  for (let i = 0; i < 90 && !(await handle.evaluate((node) => node === document.activeElement)); i++) {
    await page.keyboard.press("Tab");
  }
  const before = Number(await handle.getAttribute("aria-valuenow"));
  await page.keyboard.press("ArrowUp");
  await expect(handle).toHaveAttribute("aria-valuenow", String(Math.round((before + 1) * 10) / 10));
  await expect(handle).toBeFocused();
  await page.keyboard.press("PageUp");
  await expect(handle).toHaveAttribute("aria-valuenow", String(Math.round((before + 6) * 10) / 10));
  await page.keyboard.press("Delete");
  await expect(handle).toHaveAttribute("aria-valuenow", String(before));
  await page.keyboard.press("?");
  await expect(page.getByRole("dialog", { name: "Keys" })).toBeVisible();
});

test("a wrong number is told beside its field, and nothing typed is lost", async ({ page }) => {
  await page.goto("/trips/1");
  const floor = page.getByLabel("Floor at stops, %");
  await floor.fill("lots");
  await expect(page.locator("#floor-fault")).toContainText("expected 0 to 100 %");
  await expect(floor).toHaveValue("lots");
  await floor.fill("12");
  await expect(page.locator("#floor-fault")).toBeEmpty();
});

test("a trip that cannot be driven says which gap, and what would help", async ({ page }) => {
  await page.goto("/trips/1?usage=250&start=25");
  const alert = page.locator("#plan [role=alert]");
  await expect(alert).toContainText(/From .* to .* is \d+ km/);
  await page.goto("/trips/1?ceiling=24");
  await page.getByRole("link", { name: "Charge up to 100 %" }).click();
  await expect(page.locator("#plan p[role=status]").first()).toContainText("there at");
});

test("another car and another value of time change the plan", async ({ page }) => {
  await page.goto("/trips/1");
  const answer = page.locator(".answer");
  const [fast, cost] = [await totalMinutes(page), await answer.getAttribute("data-money")];
  await page.getByLabel("An hour is worth, cr").fill("8");
  await expect(answer).not.toHaveAttribute("data-money", cost);
  expect(await totalMinutes(page)).toBeGreaterThanOrEqual(fast);
  await page.getByLabel("Car").selectOption({ label: "Brae 58" });
  await expect(page).toHaveURL(/car=2/);
  await page.reload();
  await expect(page.getByLabel("Charge curve")).toContainText("typed from");
});

test("what is kept is the trip's own from then on", async ({ page }) => {
  await page.goto("/trips/1?wish=15");
  await page.getByRole("button", { name: "Save for the trip" }).click();
  await expect(page.getByText("Kept as this trip’s own.")).toBeVisible();
  await page.goto("/trips/1");
  await expect(page.getByLabel("Arrive with, %")).toHaveValue("15");
});

test("a trip file is taken, and a bad one is told where it is wrong", async ({ page }) => {
  await page.goto("/trips");
  const bad = { name: "bad.json", mimeType: "application/json", buffer: Buffer.from('{"format": "spare-hour/trip", "version": 1}') };
  await page.getByLabel("Trip file").setInputFiles(bad);
  await page.getByRole("button", { name: "Import", exact: true }).click();
  await expect(page.locator("#file-fault")).toContainText("bad.json: vehicle: is missing");
  await page.getByRole("button", { name: "Open the example trip" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Example");
  await expect(page.locator("#plan p[role=status]").first()).toContainText("there at");
});

test("when the server does not answer, the last plan stays and the page says so", async ({ page }) => {
  await page.goto("/trips/1");
  const shown = await page.locator("#plan p[role=status]").first().innerText();
  await page.route("**/trips/1/plan?*", (route) => route.fulfill({ status: 503, body: "busy" }));
  await page.getByLabel("Arrive with, %").fill("40");
  await expect(page.locator("#say")).toContainText("The server does not answer");
  await expect(page.locator("#plan p[role=status]").first()).toHaveText(shown);
  await expect(page.getByLabel("Arrive with, %")).toHaveValue("40");
  await page.unroute("**/trips/1/plan?*");
  await page.getByLabel("Arrive with, %").fill("30");
  await expect(page.locator("#plan p[role=status]").first()).toContainText("with 30 %");
  await expect(page.locator("#say")).toBeEmpty();
});

test.describe("on a phone", () => {
  test.use({ viewport: { width: 390, height: 844 }, hasTouch: true, isMobile: true, colorScheme: "dark" });

  test("the plan is read and changed with a thumb", async ({ page }) => {
    await page.goto("/trips/1");
    await page.getByRole("button", { name: "Change" }).tap();
    await page.getByRole("button", { name: "headwind, +10 %" }).tap();
    await expect(page.getByLabel("Consumption, %", { exact: true })).toHaveValue("110");
    await page.getByRole("button", { name: "Close" }).tap();
    await page.getByRole("link", { name: /^\+5 %: leave/ }).first().tap();
    await expect(page.getByText("Your own departures")).toBeVisible();
    const wide = await page.evaluate(() => document.documentElement.scrollWidth);
    expect(wide).toBeLessThanOrEqual(390);
    await accessible(page);
  });
});

test("a tariff is written, its receipt follows, and a stop asks it", async ({ page }) => {
  await page.goto("/tariffs/new");
  await page.getByLabel("Name").fill("Flat and idle");
  await page.getByLabel("Currency").fill("cr");
  await page.locator("#price-0").fill("0,50");
  await expect(page.locator("#receipt")).toContainText("20.00 cr");
  await page.locator("#kind-1").selectOption("parking");
  await page.locator("#price-1").fill("12");
  await page.getByText("Blocks, VAT, hours and limits of row 2").click();
  await page.locator("#from_min-1").fill("40");
  await page.getByLabel("then standing, min").fill("30");
  // By hand: 25 min of charging, the fee from minute 40 on: 15 of 30 min at 12 an hour.
  await expect(page.locator("#receipt")).toContainText("23.00 cr");
  await page.getByText("Blocks, VAT, hours and limits of row 1").click();
  await page.locator("#from-0").fill("late");
  await expect(page.locator("#from-0-fault")).toHaveText(/^“late” does not work; expected a time/);
  await expect(page.locator("#from-0")).toHaveAttribute("aria-invalid", "true");
  await page.locator("#from-0").fill("");
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Flat and idle");
  const asked = page.getByRole("region", { name: "Prices on Tamsby to Ferrow Quay" });
  await asked.getByLabel("Vessen Junction, Quern").check();
  await asked.getByRole("button", { name: "Save these sites" }).click();
  await asked.getByRole("link", { name: "See the trip" }).click();
  await page.getByRole("listitem").filter({ hasText: "2 Vessen Junction" }).getByText("Receipt").click();
  await expect(page.getByRole("row", { name: /^Energy .* 0.5 a kWh/ })).toBeVisible();
});

test("what was removed comes back by Undo, one thing after another", async ({ page }) => {
  await page.goto("/trips/1/sites");
  const rows = page.getByRole("row");
  const before = await rows.count();
  for (const left of [before - 1, before - 2]) {
    await page.getByRole("button", { name: /^Remove / }).first().click();
    await expect(rows).toHaveCount(left);
  }
  await accessible(page);
  await page.getByRole("button", { name: "Undo: a site removed" }).click();
  await expect(rows).toHaveCount(before - 1);
  await page.getByRole("button", { name: "Undo: a site removed" }).click();
  await expect(rows).toHaveCount(before);
  await expect(page.getByRole("button", { name: /^Undo/ })).toHaveCount(0);
});

test("on a phone the sheet of controls opens, works and closes by keys", async ({ page }) => {
  await page.setViewportSize({ width: 390, height: 844 });
  await page.goto("/trips/1");
  const change = page.getByRole("button", { name: "Change", exact: true });
  await change.focus();
  await page.keyboard.press("Enter");
  const sheet = page.locator("form#controls");
  await expect(sheet).toBeVisible();
  // What is in focus is in the sheet, and in sight.
  expect(await page.evaluate(() => document.querySelector("#controls").contains(document.activeElement))).toBe(true);
  await page.keyboard.press("Escape");
  await expect(sheet).toBeHidden();
  await expect(change).toBeFocused();
});
