import { accessible, expect, looking, test } from "./support.mjs";

const NOTES = `10:54 20 % 150 kW
10:58 29 % 148 kW
11:02 38 % 142 kW
11:06 84 % 130 kW
11:10 52 % 118 kW
11:14, 60 %, 41 °C
11:16 96 kW`;

test("notes go in as they stand, and a slip is offered its digit", async ({ page }) => {
  await page.goto("/sessions/new");
  await page.getByLabel("Lines, as read off the screen").fill(NOTES);
  const understood = page.getByRole("region", { name: "As understood" });
  await expect(understood).toContainText("read as time of day, 10:54 to 11:16");
  await expect(understood).toContainText("Line 4: SoC 84 after 38 cannot be");
  await expect(understood).toContainText("44 would fit");
  await expect(understood).toContainText("22:00 · 96 kW");
  // One touch reads it the other way.
  await understood.getByLabel("minutes and seconds").check();
  await expect(understood).toContainText("read as minutes and seconds since current began");
  await understood.getByLabel("time of day").check();
  await expect(understood).toContainText("read as time of day");
  await accessible(page);
  await page.getByLabel("Car", { exact: true }).selectOption({ label: "Avel 74" });
  await page.getByLabel("Name of the session").fill("Notes off a recording");
  await page.getByRole("button", { name: "Read it" }).click();
  await expect(page.getByRole("heading", { level: 1 })).toHaveText("Notes off a recording");
  await expect(page.getByText("20 % to 60 % in 20:00 min")).toBeVisible();
  await expect(page.getByText("44 would fit: a slip of one digit?").first()).toBeVisible();
});

test("a charge that no battery takes is asked about before it is saved", async ({ page }) => {
  await page.goto("/sessions/new");
  await page.getByLabel("Lines, as read off the screen").fill("0 min 10 %\n5 min 80 %");
  await page.getByLabel("Car", { exact: true }).selectOption({ label: "another car, named below" });
  await page.getByLabel("Name of another car").fill("avel 74");
  await page.getByLabel("Its usable capacity, kWh").fill("140");
  await page.getByRole("button", { name: "Read it" }).click();
  await expect(page.getByText("there is a car of this name")).toBeVisible();
  await page.getByLabel("Name of another car").fill("A large one");
  await page.getByRole("button", { name: "Read it" }).click();
  await expect(page.getByRole("alert")).toContainText("no battery takes that");
  await page.getByLabel("Save it as it is").check();
  await page.getByRole("button", { name: "Read it" }).click();
  await expect(page.getByText("10 % to 80 % in 5:00 min")).toBeVisible();
  await expect(page.getByText("no battery takes that")).toBeVisible();
});

test("a car keeps its boost and its voltage", async ({ page }) => {
  await page.goto("/cars/1");
  await page.getByLabel("Boost lasts, min").fill("10");
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.getByText("a boost needs its minutes, highest start and power").first()).toBeVisible();
  await page.getByLabel("Boost for starts up to, %").fill("50");
  await page.getByLabel("Boost power, kW (or A)").fill("500 A");
  await page.getByLabel("Pack voltage, V, at 0 and 100 %").fill("320 400");
  await page.getByRole("button", { name: "Save", exact: true }).click();
  await expect(page.getByText("Boost for 10 min when a charge starts at 50 % or below")).toBeVisible();
  await expect(page.getByLabel("Boost power, kW (or A)")).toHaveValue("160 200");
});
