import { expect, mark, notReloaded, test, totalMinutes } from "./support.mjs";

const headline = (page) => page.locator("#plan p[role=status]").first();

test("a colder day is planned in place, and kept when asked", async ({ page }) => {
  await page.goto("/trips/2");
  const usual = await totalMinutes(page);
  await mark(page);
  await page.getByText(/^Weather and load: −4 °C/).click();
  await page.getByLabel("Outside, °C").fill("-22");
  await page.getByLabel("Wind, km/h").fill("60");
  await expect(page).toHaveURL(/outside=-22/);
  await expect.poll(() => totalMinutes(page)).toBeGreaterThan(usual + 5);
  // What is the trip's own is not in the address.
  expect(page.url()).not.toContain("load=");
  await page.getByLabel("Outside, °C").fill("cold");
  await expect(page.locator("#outside-fault")).toContainText("expected -50 to 55 °C");
  await page.getByLabel("Outside, °C").fill("-22");
  await expect(page.locator("#outside-fault")).toHaveText("");
  expect(await notReloaded(page)).toBe(true);
  const cold = await totalMinutes(page);
  await page.getByRole("button", { name: "Save for the trip" }).click();
  await expect(page.getByText("Kept as this trip’s own.")).toBeVisible();
  await page.goto("/trips/2");
  expect(await totalMinutes(page)).toBe(cold);
});

test("a trip is typed, its sites added, and it is planned: keyboard alone", async ({ page }) => {
  await page.goto("/trips/new");
  await page.getByLabel("Name of the trip").focus();
  await page.keyboard.type("To the lighthouse");
  await page.getByLabel("The road, a stretch on each line").focus();
  await page.keyboard.type("150 km 110 km/h\n90 km 95 km");
  const understood = page.locator("#understood");
  await expect(understood).toContainText("150 km 110 km/h");
  await page.keyboard.type("/h +400 m -400 m height 300\n60 parsecs");
  await expect(understood).toContainText("90 km 95 km/h +400 m -400 m height 300");
  await expect(understood).toContainText("“60” is not understood");
  await page.keyboard.press("Control+Shift+ArrowLeft");
  await page.keyboard.type("km 80 km/h");
  await page.getByRole("button", { name: "Make the trip" }).press("Enter");
  await expect(page.getByRole("heading", { name: "To the lighthouse" })).toBeVisible();
  await page.getByRole("link", { name: "Sites", exact: true }).press("Enter");
  await page.getByLabel("Name", { exact: true }).focus();
  await page.keyboard.type("Harbour");
  await page.getByLabel("Along the road, km").focus();
  await page.keyboard.type("170");
  await page.keyboard.press("Enter");
  await expect(page.getByText("needed; expected 0.1 to 10000 kW")).toBeVisible();
  await expect(page.getByLabel("Along the road, km")).toHaveValue("170");
  await page.getByLabel("Maximum power, kW").focus();
  await page.keyboard.type("150");
  await page.getByLabel("Open, such as").focus();
  await page.keyboard.type("06:00-22:00");
  await page.keyboard.press("Enter");
  await expect(page.getByRole("row").filter({ hasText: "Harbour" })).toContainText("open 06:00-22:00");
  await page.getByRole("link", { name: "← To the lighthouse" }).press("Enter");
  await page.getByLabel("Start with, %").fill("55");
  await expect(page.locator(".stop-cards")).toContainText("1 Harbour");
  await page.getByRole("link", { name: "Road", exact: true }).press("Enter");
  await expect(page.getByRole("textbox", { name: "The road" })).toHaveValue(/60 km 80 km\/h$/);
  await page.getByText("Remove To the lighthouse").press("Enter");
  await page.getByRole("button", { name: "Yes, remove it" }).press("Enter");
  await expect(page.getByRole("link", { name: "To the lighthouse" })).toHaveCount(0);
});

test("a month is walked through, and a post at home changes what it needs", async ({ page }) => {
  await page.goto("/drives");
  await page.getByRole("link", { name: "The month" }).click();
  await expect(page.getByRole("heading", { name: "October 2026" })).toBeVisible();
  await page.getByRole("link", { name: "Avel 74, warm, full, 71.0 kWh in" }).click();
  await expect(page.getByRole("heading", { name: "Avel 74, warm, full" })).toBeVisible();
  await page.goBack();
  await page.getByLabel("Hours of a night").fill("0.5");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByText(/With the post at home, \d+ fast charges? (is|are) needed/)).toBeVisible();
  await page.getByRole("link", { name: "The month before" }).click();
  await expect(page.getByRole("heading", { name: "September 2026" })).toBeVisible();
});

test("another person's units are shown and typed", async ({ page }) => {
  await page.goto("/settings");
  await page.getByLabel("Distances and speeds").selectOption("mi");
  await page.getByLabel("Temperatures").selectOption("°F");
  await page.getByLabel("Consumption").selectOption("mi/kWh");
  await page.getByLabel("Times of day").selectOption("12 hours, am and pm");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("149 mi at 68 mph and 45 °F take 3.20 mi/kWh; leave at 2:30 pm.")).toBeVisible();
  await page.goto("/trips/2");
  await expect(headline(page)).toContainText(/there at \d+:\d\d [ap]m/);
  await page.getByText(/^Weather and load: −?\d+ °F/).click();
  await page.getByLabel("Outside, °F").fill("-8");
  await expect(page).toHaveURL(/outside=-8/);
  await page.goto("/settings");
  await page.getByLabel("Distances and speeds").selectOption("km");
  await page.getByLabel("Temperatures").selectOption("°C");
  await page.getByLabel("Consumption").selectOption("kWh/100 km");
  await page.getByLabel("Times of day").selectOption("24 hours");
  await page.getByRole("button", { name: "Save" }).click();
  await expect(page.getByText("leave at 14:30.")).toBeVisible();
});
