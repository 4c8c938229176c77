import { accessible, expect, looking, test } from "./support.mjs";

looking("minutes against money is one touch from the plan", async ({ page }) => {
  await page.goto("/trips/1");
  await page.getByRole("link", { name: "Minutes against money" }).click();
  await expect(page.getByText("The fastest plan takes")).toBeVisible();
  await expect(page.getByRole("table").first()).toContainText("+0");
  await accessible(page);
  const cheaper = page.getByRole("row").nth(2).getByRole("link");
  const total = await cheaper.textContent();
  await cheaper.click();
  await expect(page.locator("main [role=status]").first()).toContainText(total.trim());
  await page.getByRole("link", { name: "Back to the plan" }).click();
  await expect(page.locator("#plan")).toBeVisible();
});

looking("a day and a half has a lunch, a night and an hour to leave", async ({ page }) => {
  await page.goto("/trips/3");
  await expect(page.getByRole("heading", { name: "By the clock" })).toBeVisible();
  await page.getByRole("link", { name: "Its stops, and every plan" }).click();
  await expect(page.getByText("· night")).toBeVisible();
  await expect(page.getByText("· lunch")).toBeVisible();
  await expect(page.getByText("The fastest plan takes")).toBeVisible();
  await accessible(page);
  await page.goto("/trips/3/hours?span=4&apart=240");
  await expect(page.getByRole("row")).toHaveCount(3);
  await accessible(page);
});

test("what is wished of a stop is kept, and taken back", async ({ page }) => {
  await page.goto("/trips/3/trade");
  const cards = page.getByRole("listitem").filter({ hasText: "to plug in" });
  const first = (await cards.first().locator("strong").textContent()).replace(/^\d+ /, "");
  await cards.first().getByRole("button", { name: `Avoid ${first}` }).click();
  await expect(page.getByText(`${first} is avoided.`)).toBeVisible();
  await expect(cards.filter({ hasText: first })).toHaveCount(0);
  await page.reload();
  await expect(page.getByText(`${first} is avoided.`)).toBeVisible();
  await page.getByRole("combobox", { name: `Use ${first}` }).selectOption("as planned");
  await page.getByLabel("Most stops").fill("6");
  await page.getByRole("button", { name: "Save for the trip" }).click();
  await expect(page.getByText("Kept as this trip’s own.")).toBeVisible();
  await expect(page.getByText(`${first} is avoided.`)).toHaveCount(0);
  await expect(page.getByLabel("Most stops")).toHaveValue("6");
  await page.getByRole("button", { name: "Make the way back" }).click();
  await expect(page.getByRole("heading", { name: "Two days to Saltern, back" })).toBeVisible();
});

test("a slip in typed lines is mended by one touch", async ({ page }) => {
  await page.goto("/sessions/new");
  await page.getByLabel("Lines, as read off the screen").fill("0:00 60 150\n3:00 70 140\n6:00 44 120\n8:00 87 90\n");
  await page.getByRole("button", { name: "Make it “6:00 84 120”" }).click();
  await expect(page.getByLabel("Lines, as read off the screen")).toHaveValue("0:00 60 150\n3:00 70 140\n6:00 84 120\n8:00 87 90\n");
  await expect(page.getByText("4 readings understood")).toBeVisible();
});

test("why these stops is told with the two numbers, and a wish is taken back where it stands", async ({ page }) => {
  await page.goto("/trips/3/trade");
  await expect(page.getByText(/^Proven: no plan by this clock/)).toBeVisible({ timeout: 20_000 });
  await page.getByText("Why these stops, and what each wish costs").click();
  await expect(page.getByText(/Without this site the best plan takes/).first()).toBeVisible({ timeout: 20_000 });
  await accessible(page);
  const before = await page.locator("main [role=status]").first().textContent();
  await page.getByRole("button", { name: "Take back: Pause: lunch" }).click();
  await expect(page.getByText("Kept as this trip’s own.")).toBeVisible();
  await expect(page.getByText("· lunch")).toHaveCount(0);
  expect(await page.locator("main [role=status]").nth(1).textContent()).not.toBe(before);
  // A bound that nothing keeps: the page names what is in the way, and one press gives the plan back.
  await page.getByLabel("At most so many minutes").fill("120");
  await page.getByRole("button", { name: "Save for the trip" }).click();
  await expect(page.getByText("No plan keeps all of this.")).toBeVisible();
  await expect(page.getByText("without it there is a plan").first()).toBeVisible({ timeout: 20_000 });
  await page.getByRole("button", { name: "Take back: At most so many minutes" }).click();
  await expect(page.getByText("· night")).toBeVisible();
});

looking("rules of thumb take numbers of one’s own", async ({ page }) => {
  await page.goto("/trips/3/trade");
  await page.getByLabel("Half and go, %").fill("70");
  await page.getByLabel("Power floor, kW").fill("30");
  await page.getByRole("button", { name: "Use these numbers" }).click();
  await expect(page.getByText("leave near 70 %")).toBeVisible();
  await expect(page.getByText("power floor 30 kW")).toBeVisible();
  await expect(page.getByLabel("Half and go, %")).toHaveValue("70");
  await page.getByLabel("Ten to, %").fill("a few");
  await page.getByRole("button", { name: "Use these numbers" }).click();
  await expect(page.getByText("“a few” does not work; expected 20 to 100 %")).toBeVisible();
});
