import { expect, test } from "./support.mjs";

/** Counts what a person presses, and holds it against the most that a task may take. */
function steps(most) {
  let count = 0;
  const press = async (locator) => {
    count += 1;
    expect(count).toBeLessThanOrEqual(most);
    await locator.click();
  };
  return press;
}

const total = (page) => page.locator(".answer").getAttribute("data-minutes").then(Number);

test("a cold day with 20 % at the end: 2", async ({ page }) => {
  await page.goto("/trips/1");
  const [press, before] = [steps(2), await total(page)];
  await press(page.getByRole("button", { name: "cold, −10 °C" }));
  await press(page.getByRole("button", { name: "20 % at the end" }));
  await expect(page.locator(".answer")).toContainText("with 20 %");
  expect(await total(page)).toBeGreaterThan(before + 20);
});

test("a site is avoided: 1", async ({ page }) => {
  await page.goto("/trips/1");
  await steps(1)(page.getByRole("button", { name: /^Avoid Vessen Junction/ }));
  await expect(page.getByText(/^Vessen Junction, Quern is avoided/)).toBeVisible();
  await expect(page.locator(".stop-cards")).not.toContainText("Vessen");
});

test("a lunch of 45 min at noon: 2", async ({ page }) => {
  await page.goto("/trips/1");
  await steps(2)(page.getByRole("button", { name: "Lunch, 45 min at noon" }));
  await expect(page.locator(".stop-cards").getByText("lunch", { exact: true })).toBeVisible();
});

test("a night beside an 11 kW post: 2", async ({ page }) => {
  await page.goto("/trips/3");
  await expect(page.locator(".stop-cards")).not.toContainText("Lantern Inn");
  const press = steps(2);
  await press(page.getByText(/^All \d+ sites along the road/));
  await press(page.getByRole("button", { name: "Sleep at the site Lantern Inn" }));
  await expect(page.locator(".stop-cards > li").filter({ hasText: "Lantern Inn" })).toContainText("night");
});

test("the plan that costs a tenth less: 1", async ({ page }) => {
  await page.goto("/trips/1");
  const before = Number(await page.locator(".answer").getAttribute("data-money"));
  await steps(1)(page.getByRole("link", { name: /^a tenth less/ }));
  await expect.poll(async () => Number(await page.locator(".answer").getAttribute("data-money"))).toBeLessThanOrEqual(0.9 * before + 0.01);
});

test("the way back: 2", async ({ page }) => {
  await page.goto("/trips/1");
  const press = steps(2);
  await press(page.getByText("Rename, copy, turn round or remove this trip"));
  await press(page.getByRole("button", { name: "Make the way back" }));
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Tamsby to Ferrow Quay, back");
});

/** A trip on an invented track: 300 km north. */
async function onATrack(page) {
  const points = Array.from({ length: 60 }, (_, at) => `<trkpt lat="${46 + at * 0.046}" lon="8"><ele>${400 + (at % 7)}</ele></trkpt>`);
  const gpx = `<?xml version="1.0"?><gpx version="1.1" creator="test" xmlns="http://www.topografix.com/GPX/1/1"><trk><trkseg>${points.join("")}</trkseg></trk></gpx>`;
  await page.goto("/trips/new");
  await page.getByLabel("Name of the trip").fill("North");
  await page.locator("input[name=file]").setInputFiles({ name: "north.gpx", mimeType: "application/gpx+xml", buffer: Buffer.from(gpx) });
  const places = "name,latitude,longitude,max_kw\nMiddle,47.4,8.001,150\nFurther,48.1,8.001,150\n";
  await page.getByLabel("File of charging places").setInputFiles({ name: "places.csv", mimeType: "text/csv", buffer: Buffer.from(places) });
  await page.getByRole("button", { name: "Make the trip" }).click();
  await page.getByLabel("Start with, %").fill("60");
  await expect(page.locator(".stop-cards > li").first()).toBeVisible();
}

test("calendar: 2", async ({ page }) => {
  await page.goto("/trips/1");
  const press = steps(2);
  await press(page.getByRole("link", { name: "Share" }));
  const download = page.waitForEvent("download");
  await press(page.getByRole("link", { name: "Calendar" }));
  expect((await download).suggestedFilename()).toBe("plan-1.ics");
});

test("the stops as GPX: 2", async ({ page }) => {
  await onATrack(page);
  const press = steps(2);
  await press(page.getByRole("link", { name: "Share" }));
  const download = page.waitForEvent("download");
  await press(page.getByRole("link", { name: "GPX" }));
  expect((await download).suggestedFilename()).toMatch(/^plan-\d+\.gpx$/);
});

test("print: 1, and the day line and the stops are whole on one page", async ({ page }) => {
  await page.addInitScript(() => (window.print = () => (window.printed = true)));
  await page.goto("/trips/1");
  await steps(1)(page.getByRole("button", { name: "Print" }));
  expect(await page.evaluate(() => window.printed)).toBe(true);
  const pdf = await page.pdf({ format: "A4" });
  expect(pdf.toString("latin1").match(/\/Type\s*\/Page[^s]/g)).toHaveLength(1);
});

test("the last three things are undone: 3", async ({ page }) => {
  await page.goto("/trips/1");
  const names = () => page.locator(".stop-cards strong").allInnerTexts();
  const before = await names();
  await page.getByRole("button", { name: /^Avoid Vessen Junction/ }).click();
  await expect(page.getByText(/^Vessen Junction, Quern is avoided/)).toBeVisible();
  await page.getByRole("button", { name: "Lunch, 45 min at noon" }).click();
  await expect(page.locator(".stop-cards").getByText("lunch", { exact: true })).toBeVisible();
  await page.getByRole("button", { name: "20 min of rest every 2 h" }).click();
  await expect(page.getByRole("button", { name: "20 min of rest every 2 h" })).toHaveAttribute("aria-pressed", "true");
  const press = steps(3);
  const undo = async () => {
    const undone = page.waitForResponse((response) => response.url().endsWith("/undo"));
    await press(page.getByRole("button", { name: /^Undo/ }));
    await undone;
    await page.goto("/trips/1");
  };
  for (const gone of ["20 min of rest every 2 h", "Lunch, 45 min at noon"]) {
    await undo();
    await expect(page.getByRole("button", { name: gone })).toHaveAttribute("aria-pressed", "false");
  }
  await undo();
  expect(await names()).toEqual(before);
});
