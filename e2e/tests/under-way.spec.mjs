import { accessible, expect, test } from "./support.mjs";

/** The trip under way, on a phone. */
test.use({ viewport: { width: 390, height: 844 } });

const headline = (page) => page.locator("#panel [data-headline]");

test("a trip is driven: begun, a stop reached, left, a stall out of order, over, and in the ledger", async ({ page }) => {
  await page.goto("/trips/1");
  await page.getByRole("button", { name: "Begin" }).click();
  await expect(page).toHaveURL(/\/road$/);
  const first = await headline(page).innerText();
  await expect(page.locator("#panel")).toContainText("If it fails: ");
  await accessible(page);
  await page.getByRole("button", { name: "I am here" }).click();
  await expect(page.getByText(`At ${first}`)).toBeVisible();
  await expect(headline(page)).toHaveText(/^Leave with \d+ % at /);
  // A touch too much is undone.
  await page.getByRole("button", { name: "Undo the last touch" }).click();
  await expect(headline(page)).toHaveText(first);
  await page.getByRole("button", { name: "I am here" }).click();
  await expect(page.getByText(`At ${first}`)).toBeVisible();
  await page.getByRole("button", { name: "I leave now" }).click();
  await expect(page.getByRole("button", { name: "I am here" })).toBeVisible();
  const second = await headline(page).innerText();
  await page.getByRole("button", { name: "out of order" }).click();
  await expect(page.getByText(`${second} is out of order on this trip`)).toBeVisible();
  await expect(headline(page)).not.toHaveText(second);
  await page.goto("/");
  await page.getByRole("link", { name: "What comes next" }).click();
  await page.getByText("End or forget this trip").click();
  await page.getByLabel("SoC at the end, %").fill("14");
  await page.getByRole("button", { name: "The trip is over" }).click();
  await expect(page).toHaveURL(/\/ledger\/\d+$/);
  await expect(page.getByRole("cell", { name: first, exact: true })).toBeVisible();
  await page.getByRole("button", { name: "Keep it in the trip’s sites" }).click();
  await expect(page.getByText("It is in the sites of the trip now.")).toBeVisible();
  await accessible(page);
  await page.goto("/ledger");
  await expect(page.getByRole("heading", { name: "Trips against their plans" })).toBeVisible();
  await accessible(page);
});

test("without a signal the way on stays, and what was entered arrives once", async ({ page, context }) => {
  await page.goto("/trips/1");
  await page.getByRole("button", { name: "Begin" }).click();
  const first = await headline(page).innerText();
  await context.setOffline(true);
  await page.getByRole("button", { name: "I am here" }).click();
  await expect(page.locator("#saved")).toContainText("1 entry waits here until there is a signal");
  await expect(headline(page)).toHaveText(first);
  await context.setOffline(false);
  await expect(page.getByText(`At ${first}`)).toBeVisible({ timeout: 40_000 });
  await expect(page.locator("#saved")).toHaveText("");
  await page.reload();
  await expect(page.getByText(`At ${first}`)).toBeVisible();
});

test("the readings of a charge say when to leave", async ({ page }) => {
  await page.goto("/trips/1");
  await page.getByRole("button", { name: "Begin" }).click();
  await page.getByRole("button", { name: "I am here" }).click();
  await page.getByRole("link", { name: "Measure this charge" }).click();
  await page.getByRole("button", { name: "Start the clock" }).click();
  await page.getByRole("button", { name: "Plug is in" }).click();
  await page.getByRole("button", { name: "Current flows", exact: true }).click();
  await page.getByRole("button", { name: /^Stamp/ }).click();
  await expect(page.locator("#advice [data-headline]")).toHaveText(/^(Stay|Leave now)/);
  await page.goto("/road");
  await expect(headline(page)).toHaveText(/^(Stay .* more, to \d+ %: then leave|Leave now)$/);
  await expect(page.getByRole("link", { name: "Readings of this charge" })).toBeVisible();
});
