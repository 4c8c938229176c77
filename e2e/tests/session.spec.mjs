import { accessible, expect, mark, notReloaded, test } from "./support.mjs";

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
  await expect(page.getByRole("heading", { name: "Tern" })).toBeVisible();
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
  await expect(page.locator("#brick-told")).toHaveText(/^5 to 10 %: [\d.]+ min, [\d.]+ km\/min$/);
  await page.getByLabel("to, %").fill("20");
  await page.keyboard.press("Enter");
  await expect(page.getByText("To: expected more than 25.")).toBeVisible();
});

test("a car is changed and another of its curves is used", async ({ page }) => {
  await page.goto("/cars");
  await page.getByRole("button", { name: "use Avel 74, cold, −7 °C" }).click();
  await expect(page.getByRole("row", { name: /cold/ })).toContainText("plans use this");
  const card = page.getByRole("region", { name: "Brae 58" });
  await card.getByLabel("Usable capacity, kWh").fill("none");
  await card.getByRole("button", { name: "Keep" }).click();
  await expect(page.getByRole("region", { name: "Brae 58" })).toContainText("expected 0.1 to 2000 kWh");
  await page.getByRole("region", { name: "Brae 58" }).getByLabel("Usable capacity, kWh").fill("57");
  await page.getByRole("region", { name: "Brae 58" }).getByRole("button", { name: "Keep" }).click();
  await expect(page.getByText("Kept.")).toBeVisible();
  await page.reload();
  await expect(page.getByRole("region", { name: "Brae 58" }).getByLabel("Usable capacity, kWh")).toHaveValue("57");
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
    await page.getByLabel("Wish at the end, %").fill("25");
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
