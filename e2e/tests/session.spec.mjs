import { accessible, expect, looking, mark, notReloaded, test } from "./support.mjs";

const LINES = `0:00 10 140 0
2:45 20 155 6.9
5:20 30 158 13.6
8:05, 40 %, 150 kW, 20.4
11:20 50 120 27.3
15:30 60 95 34.2
21:10 70 68 41.3
29:40 80 44 48.8`;

test("a pasted charge becomes the curve that a trip is planned with", async ({ page }) => {
  await page.goto("/trips/1");
  const before = await page.locator("#plan p[role=status]").first().innerText();
  await page.goto("/sessions/new");
  await mark(page);
  await page.getByLabel("Lines, as read off the screen").fill(LINES);
  await page.getByLabel("Car", { exact: true }).selectOption({ label: "Avel 74" });
  await page.getByLabel("Name of the session").fill("Rainy stop");
  await page.getByRole("button", { name: "Read it" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Rainy stop");
  await expect(page.getByText("10 % to 80 % in 29:40 min")).toBeVisible();
  await expect(page.getByText("What it was made from: pasted lines")).toBeVisible();
  await page.getByRole("button", { name: "Use this curve for the car" }).click();
  await expect(page.getByText("Plans of Avel 74 now use this curve.")).toBeVisible();
  expect(await notReloaded(page)).toBe(true);
  await page.getByRole("link", { name: "See the trip" }).click();
  await expect(page.locator("#plan p[role=status]").first()).not.toHaveText(before);
  await expect(page.getByLabel("Charge curve")).toContainText("Rainy stop");
});

test("wrong lines are all named, and what was typed stays", async ({ page }) => {
  await page.goto("/sessions/new");
  await page.getByLabel("Lines, as read off the screen").fill("0:00 10 140\n4:75 20 150\n5:00 130");
  await page.getByLabel("Car", { exact: true }).selectOption({ label: "Avel 74" });
  await page.getByRole("button", { name: "Read it" }).click();
  const alert = page.getByRole("alert");
  await expect(alert).toContainText('line 2: "4:75" is no time');
  await expect(alert).toContainText('line 3: "130" is not 0 to 100 %');
  await expect(page.getByLabel("Lines, as read off the screen")).toHaveValue(/4:75 20 150/);
  await page.getByLabel("Lines, as read off the screen").fill("0:00 10 140\n4:45 20 150\n9:00 30");
  await page.getByRole("button", { name: "Read it" }).click();
  await expect(page.getByText("10 % to 30 % in 9:00 min")).toBeVisible();
});

test("a file with a car of one's own", async ({ page }) => {
  await page.goto("/sessions/new");
  const csv = "# site_kw: 150\nelapsed;soc;power_kw\n0:00;12;120,5\n4:00;25;131\n8:30;40;118\n14:00;55;90\n22:00;70;61\n";
  await page.getByLabel("or a file").setInputFiles({ name: "mine.csv", mimeType: "text/csv", buffer: Buffer.from(csv) });
  await page.getByLabel("Car", { exact: true }).selectOption("new");
  await page.getByRole("button", { name: "Read it" }).click();
  await expect(page.locator("#car_name-fault")).toContainText("expected 1 to 80 characters");
  await expect(page.locator("#usable-fault")).toContainText("needed");
  await page.getByLabel("Name of another car").fill("Tern");
  await page.getByLabel("Its usable capacity, kWh").fill("52,5");
  await page.getByLabel("or a file").setInputFiles({ name: "mine.csv", mimeType: "text/csv", buffer: Buffer.from(csv) });
  await page.getByRole("button", { name: "Read it" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("mine");
  await page.getByText("What it was made from: mine.csv").click();
  await expect(page.locator("pre")).toContainText("0:00;12;120,5");
  await page.goto("/cars");
  await expect(page.getByRole("link", { name: "Tern" })).toBeVisible();
});

test("back and forward go through what was swapped", async ({ page }) => {
  await page.goto("/sessions/1");
  await mark(page);
  await page.getByLabel("From, %").fill("30");
  await page.getByRole("button", { name: "Measure this window" }).click();
  await expect(page.getByRole("row", { name: /^30–100 % yours/ })).toBeVisible();
  await page.goBack();
  await expect(page.getByRole("row", { name: /^4–100 % yours/ })).toBeVisible();
  await page.goForward();
  await expect(page.getByRole("row", { name: /^30–100 % yours/ })).toBeVisible();
  expect(await notReloaded(page)).toBe(true);
});

test("a window of one's own and the bricks by keyboard", async ({ page }) => {
  await page.goto("/sessions/1");
  await page.getByLabel("From, %").fill("25");
  await page.getByLabel("to, %").fill("65");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("row", { name: /^25–65 % yours/ })).toBeVisible();
  await page.reload();
  await expect(page.getByRole("row", { name: /^25–65 % yours/ })).toBeVisible();
  await page.locator("[data-brick]").first().focus();
  await page.keyboard.press("ArrowRight");
  await expect(page.locator("[data-brick-told]")).toHaveText(/^5 to 10 %: [\d.]+ min, [\d.]+ km\/min$/);
  await page.getByLabel("to, %").fill("20");
  await page.keyboard.press("Enter");
  await expect(page.getByText("To: expected more than 25.")).toBeVisible();
});

test("a car is changed and another of its curves is used", async ({ page }) => {
  await page.goto("/cars");
  await page.getByRole("link", { name: "Avel 74" }).click();
  await page.getByRole("button", { name: "use Avel 74, cold, −7 °C" }).click();
  await expect(page.getByRole("row", { name: /cold/ })).toContainText("plans use this");
  await page.goto("/cars/2");
  await page.getByLabel("Usable capacity, kWh").fill("none");
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.locator("#usable-fault")).toContainText("expected 0.1 to 2000 kWh");
  await expect(page.getByLabel("Usable capacity, kWh")).toHaveValue("none");
  await page.getByLabel("Usable capacity, kWh").fill("57");
  await page.getByLabel("Constant-speed range, km").fill("300");
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.locator("#test_speed-fault")).toContainText("needed with the number beside it");
  await page.getByLabel("at, km/h").fill("120");
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.getByText("Kept.")).toBeVisible();
  await page.reload();
  await expect(page.getByLabel("Usable capacity, kWh")).toHaveValue("57");
});

test("sessions combine, and points of a curve are moved by hand", async ({ page }) => {
  await page.goto("/cars/1");
  await page.getByRole("button", { name: "Save it and plan with it, warm, from a low start" }).click();
  const combined = page.getByRole("row", { name: /Combined, warm, from a low start/ });
  await expect(combined).toContainText("plans use this");
  await combined.getByRole("link", { name: /^points of/ }).click();
  await page.getByLabel("kW at 30 %").fill("140");
  await page.getByLabel("Name of the new version").fill("As I saw it");
  await page.getByRole("button", { name: "Save the moved points" }).click();
  await expect(page.getByRole("row", { name: /As I saw it/ })).toContainText("(1 by hand)");
});

test("a window is dragged on the chart", async ({ page }) => {
  await page.goto("/sessions/1");
  const chart = page.locator("[data-drag-window]");
  await chart.scrollIntoViewIfNeeded();
  const box = await chart.boundingBox();
  const [left, right] = [Number(await chart.getAttribute("data-left")), Number(await chart.getAttribute("data-right"))];
  const at = (soc) => box.x + ((left + ((right - left) * soc) / 100) / 600) * box.width;
  await page.mouse.move(at(20), box.y + 100);
  await page.mouse.down();
  await page.mouse.move(at(60), box.y + 120, { steps: 4 });
  await page.mouse.up();
  await expect(page.getByRole("row", { name: /^20–60 % yours/ })).toBeVisible();
});

test("a reading is left out with a reason, and brought back", async ({ page }) => {
  await page.goto("/sessions/2#readings");
  await page.getByLabel("why the reading at 4:36 is left out").fill("glare");
  await page.getByRole("button", { name: "leave out the reading at 4:36" }).click();
  const told = page.getByRole("listitem").filter({ hasText: "1 reading is left out by hand" });
  await expect(told).toBeVisible();
  await expect(page.getByText("left out: glare")).toBeVisible();
  await page.getByRole("button", { name: "take back in, reading at 4:36" }).click();
  await expect(told).toHaveCount(0);
});

test("the grid explains a cell, by the own consumption too", async ({ page }) => {
  await page.goto("/sessions/1");
  await page.getByRole("link", { name: "Start × end grid" }).click();
  await page.getByRole("link", { name: /10 to 80 %/ }).click();
  await expect(page.getByRole("status").last()).toContainText(/From 10 to 80 %: 28:39 min \(±\d+ s\), 51.8 kWh stored/);
  await page.getByLabel("Distance by").selectOption("own");
  await page.getByRole("button", { name: "Show" }).click();
  await expect(page.getByText("Distance: own 18.4 kWh/100 km.")).toBeVisible();
});

test("ticked sessions are compared", async ({ page }) => {
  await page.goto("/sessions");
  await page.getByLabel("compare Avel 74, warm, full").check();
  await page.getByLabel("compare Avel 74, cold, −7 °C").check();
  await page.getByRole("button", { name: "Compare those ticked" }).click();
  await expect(page.getByText("this compares cold with warm")).toBeVisible();
  await page.getByLabel("From, %").fill("10");
  await page.getByLabel("to, %").fill("80");
  await page.getByLabel("Held against").selectOption({ label: "Avel 74, warm, full" });
  await page.getByRole("button", { name: "Compare", exact: true }).click();
  await expect(page.getByRole("row", { name: /^B/ })).toContainText(/\+9\.\d min, \+3\d %/);
  // The comparison that was asked for comes in the place of the one that is shown.
  await expect(async () => {
    await page.locator("[data-brick]").first().focus();
    await page.keyboard.press("ArrowRight");
    await expect(page.locator("[data-brick-told]")).toHaveText(/^A, \d+ to \d+ %: [\d.]+ min/, { timeout: 1_000 });
  }).toPass();
  await accessible(page);
});

test("forty lines are typed without a mouse, each as it is understood", async ({ page }) => {
  await page.goto("/sessions/new");
  const box = page.getByLabel("Lines, as read off the screen");
  for (let tabs = 0; tabs < 30 && !(await box.evaluate((field) => field === document.activeElement)); tabs++) await page.keyboard.press("Tab");
  const line = (index) => (index % 2 ? `:${30 + (index % 3)} ${10 + index} ${150 - index}` : `${index / 2}:00 ${10 + index} ${150 - index},5`);
  await page.keyboard.type(Array.from({ length: 39 }, (_, index) => line(index)).join("\n"));
  await page.keyboard.type("\n19:7x 49");
  await expect(page.locator("#understood")).toContainText("39 readings understood, 1 line not");
  await expect(page.locator("#understood")).toContainText("no time");
  for (let back = 0; back < 8; back++) await page.keyboard.press("Backspace");
  await page.keyboard.type("19:30 49 100");
  await expect(page.locator("#understood")).toContainText("40 readings understood");
  await expect(page.locator("#understood")).toContainText("18:31 · 47 % · 113 kW");
  const chosen = () => page.evaluate(() => document.activeElement?.id || document.activeElement?.textContent);
  while ((await chosen()) !== "car") await page.keyboard.press("Tab");
  await page.keyboard.type("Avel");
  while ((await chosen()) !== "Read it") await page.keyboard.press("Tab");
  await page.keyboard.press("Enter");
  await expect(page.getByText("10 % to 49 % in 19:30 min")).toBeVisible();
});

test("a spreadsheet with names of its own is matched once", async ({ page }) => {
  const sheet = (soc) => Buffer.from(`Zeit;Stand;Leistung\n0:00;${soc};120\n2:30;${soc + 10};150\n5:00;${soc + 20};155\n`);
  const bring = async (soc) => {
    await page.goto("/sessions/new?car=1");
    await page.getByLabel("or a file").setInputFiles({ name: "theirs.csv", mimeType: "text/csv", buffer: sheet(soc) });
    await page.getByRole("button", { name: "Read it", exact: true }).click();
  };
  await bring(10);
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Which column is what");
  await accessible(page);
  await page.getByLabel("Zeit is").selectOption("elapsed");
  await page.getByLabel("Stand is").selectOption("soc");
  await page.getByLabel("Leistung is").selectOption("power_kw");
  await page.getByRole("button", { name: "Read it like this" }).click();
  await expect(page.getByText("10 % to 30 % in 5:00 min")).toBeVisible();
  await bring(20);
  await expect(page.getByText("20 % to 40 % in 5:00 min")).toBeVisible();
});

test("what a page shows is never run", async ({ page }) => {
  await page.goto("/sessions/new");
  await page.getByLabel("Lines, as read off the screen").fill("elapsed,soc,note\n0:00,10,<img src=x onerror=alert(1)>\n5:00,30,<script>alert(1)</script>\n");
  await page.getByLabel("Car", { exact: true }).selectOption({ label: "Avel 74" });
  await page.getByLabel("Name of the session").fill("<b>bold</b>");
  await page.getByRole("button", { name: "Read it" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("<b>bold</b>");
  await page.getByText("Readings", { exact: true }).last().click();
  await expect(page.getByRole("cell", { name: "<img src=x onerror=alert(1)>" })).toBeVisible();
});

test.describe("without script", () => {
  test.use({ javaScriptEnabled: false });

  test("forms work all the same", async ({ page }) => {
    await page.goto("/trips/1");
    await page.getByLabel("Arrive with, %").fill("25");
    await page.getByRole("button", { name: "Replan" }).click();
    await expect(page.locator("#plan p[role=status]").first()).toContainText("with 25 %");
    await page.getByRole("button", { name: "headwind, +10 %" }).click();
    await expect(page.getByLabel("Consumption, %", { exact: true })).toHaveValue("110");
    await page.getByRole("link", { name: /^\+5 %: leave/ }).first().click();
    await expect(page.getByText("Your own departures")).toBeVisible();
    await page.goto("/sessions/new");
    await page.getByLabel("Lines, as read off the screen").fill(LINES);
    await page.getByLabel("Car", { exact: true }).selectOption({ label: "Brae 58" });
    await page.getByRole("button", { name: "Read it" }).click();
    await page.getByRole("button", { name: "Use this curve for the car" }).click();
    await expect(page.getByText("Plans of Brae 58 now use this curve.")).toBeVisible();
  });
});

test("an imported charge is accessible too", async ({ page }) => {
  await page.goto("/sessions/2");
  await accessible(page);
});

looking("a chart is read by pointer and by keys", async ({ page }) => {
  await page.goto("/sessions/1");
  const chart = page.locator("svg[data-plot]").first();
  await chart.scrollIntoViewIfNeeded();
  const box = await chart.boundingBox();
  await page.mouse.move(box.x + 0.5 * box.width, box.y + 0.5 * box.height);
  // By hand: the axis goes from 58 to 560 of 600 units, 0 to 100 %: its middle is at (300 − 58) / 5.02 %.
  await expect(chart.locator(".cursor text")).toHaveText(/^SoC, %: 48 · kW: \d+/);
  await chart.focus();
  await page.keyboard.press("ArrowRight");
  await expect(chart.locator(".cursor text")).toHaveText(/^SoC, %: 49 · kW: \d+/);
  await expect(page.locator("#say")).toHaveText(/^SoC, %: 49/);
  await accessible(page);
});

test("a session prints on two pages at most", async ({ page }) => {
  await page.goto("/sessions/1");
  const pdf = await page.pdf({ format: "A4" });
  expect(pdf.toString("latin1").match(/\/Type\s*\/Page[^s]/g).length).toBeLessThanOrEqual(2);
});
