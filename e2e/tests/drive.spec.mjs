import { expect, test } from "./support.mjs";

test("drives are typed, understood, and change what the car is said to take", async ({ page }) => {
  await page.goto("/drives?car=2");
  await expect(page.getByText("No drive counts yet")).toBeVisible();
  const box = page.getByLabel("Drives, a line each");
  await box.pressSequentially("80 km 60 min 13.1 kWh 12 °C\n120 km 75 min 88-");
  await expect(page.locator("#understood")).toContainText("80 km · 1 h 00 min at 80 km/h · 13.1 kWh · 12 °C");
  await expect(page.locator("#understood")).toContainText("energy or SoC is missing");
  await box.pressSequentially("50 % 4 °C wet");
  await expect(page.locator("#understood")).toContainText("88–50 %");
  await page.getByRole("button", { name: "Save them" }).click();
  await expect(page.getByText("It rests on 2 drives and on the car’s mass and drag area")).toBeVisible();
  const headline = page.getByText(/kWh\/100 km, .* on 19 of 20 such drives/);
  const mild = await headline.innerText();
  await page.getByLabel("Outside, °C").fill("-10");
  await page.getByRole("button", { name: "Calculate" }).click();
  await expect(headline).not.toHaveText(mild);
  await page.getByRole("button", { name: /as the car’s own/ }).click();
  await expect(page.getByText("Kept as the car’s own consumption")).toBeVisible();
});

test("an odd drive is pointed at, left out, found and brought back", async ({ page }) => {
  await page.goto("/drives");
  // Its month is folded: a link leads to what should be looked at.
  await page.getByRole("link", { name: /that should be looked at/ }).click();
  const odd = page.getByRole("row").filter({ hasText: "Far off all the others" });
  await expect(odd).toHaveCount(1);
  await expect(odd).toContainText("read in the rain");
  await odd.locator("summary").click();
  await odd.getByPlaceholder("why").fill("misread");
  await odd.getByRole("button", { name: /^leave out/ }).click();
  await expect(page.getByText("59 of 60 count.")).toBeVisible();
  await page.getByLabel(/^Find by day/).fill("misread");
  await page.getByRole("button", { name: "Find" }).click();
  await expect(page.getByText("left out: misread")).toBeVisible();
  await page.getByRole("row", { name: /left out/ }).locator("summary").click();
  await page.getByRole("button", { name: /^take back in/ }).click();
  await expect(page.getByRole("link", { name: /that should be looked at/ })).toBeVisible();
});
