import { mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { accessible, expect, start, test } from "./support.mjs";

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
  await expect(headline(page)).toHaveText(/^Leave with \d+\s% at /);
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
  await page.getByRole("button", { name: "Plug is in", exact: true }).click();
  await page.getByRole("button", { name: "Current flows", exact: true }).click();
  await page.getByRole("button", { name: /^Stamp/ }).click();
  await expect(page.locator("#advice [data-headline]")).toHaveText(/^(Stay|Leave now)/);
  await page.goto("/road");
  await expect(headline(page)).toHaveText(/^(Stay .* more, to \d+\s%: then leave|Leave now)$/);
  await expect(page.getByRole("link", { name: "Readings of this charge" })).toBeVisible();
});

test("a server that is killed loses nothing, and the page opens without it", async ({ browser }) => {
  const data = mkdtempSync(join(tmpdir(), "away-"));
  const first = await start(data);
  const port = new URL(first.url).port;
  const page = await browser.newPage({ viewport: { width: 390, height: 844 } });
  await page.goto(`${first.url}/trips/1`);
  await page.getByRole("button", { name: "Begin" }).click();
  const site = await headline(page).innerText();
  await page.evaluate(() => navigator.serviceWorker.ready);
  await page.reload();
  await first.stop();
  await page.getByRole("button", { name: "I am here" }).click();
  await expect(page.locator("#saved")).toContainText("1 entry waits here");
  await page.reload();
  await expect(headline(page)).toHaveText(site);
  await expect(page.locator("#saved")).toContainText("1 entry waits here");
  const second = await start(data, port);
  await expect(page.getByText(`At ${site}`)).toBeVisible({ timeout: 40_000 });
  const lines = (await (await page.request.get(`${second.url}/road/1/events`)).text()).trim().split("\n").map((line) => JSON.parse(line));
  expect(lines.map(({ what }) => what)).toEqual(["here", "here"]);
  await page.close();
  await second.stop();
});
