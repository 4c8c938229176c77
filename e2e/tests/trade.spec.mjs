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
