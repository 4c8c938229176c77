import { accessible, expect, newcomer } from "./support.mjs";

/** What a newcomer does: every click and every field that is typed in. */
function counted(page) {
  const did = { clicks: 0, fields: 0 };
  return {
    did,
    click: async (locator) => ((did.clicks += 1), locator.click()),
    fill: async (locator, text) => ((did.fields += 1), locator.fill(text)),
  };
}

newcomer("a first plan stands there at once, follows what is typed, and is kept by one press", async ({ page }) => {
  await page.goto("/");
  const shown = page.getByRole("region", { name: "The plan so far" });
  await expect(shown.getByText("there at")).toBeVisible();
  await accessible(page);
  const { did, click, fill } = counted(page);
  const before = await shown.locator("p").first().textContent();
  await fill(page.getByLabel("Usable battery, kWh"), "58");
  await fill(page.getByLabel("Fastest charging, kW"), "120");
  await fill(page.getByLabel("Takes, kWh/100 km"), "18,5");
  await fill(page.getByLabel(/^Distance and usual speed/), "Arlen to Torvik 640 km, 110");
  const last = page.waitForResponse((response) => response.url().includes("Sallow"));
  await fill(page.getByLabel(/for placeholders/), "every 50 km, 100 kW\n333 km, 200 kW, Sallow Bridge");
  await last;
  await expect(shown.locator("p").first()).not.toHaveText(before);
  await expect(shown.getByText("up to 120 kW")).toBeVisible();
  const total = /^(.*?),/.exec(await shown.locator("p").first().textContent())[1];
  await click(page.getByRole("button", { name: "Keep this trip" }));
  await expect(page.getByRole("heading", { level: 1 })).toContainText("Arlen to Torvik");
  await expect(page.locator("#plan")).toContainText(total);
  expect(did.clicks <= 6 && did.fields <= 5).toBe(true);
  // It is the trip at hand now, and says that its curve is borrowed.
  await page.goto("/");
  await expect(page.getByRole("link", { name: "Arlen to Torvik" })).toBeVisible();
  await page.goto("/cars/1");
  await expect(page.getByText("borrowed").first()).toBeVisible();
});

newcomer("what cannot be is said beside the form, and nothing typed is lost", async ({ page }) => {
  await page.goto("/start");
  const shown = page.getByRole("region", { name: "The plan so far" });
  await page.getByLabel(/^Distance and usual speed/).fill("far away");
  await expect(shown.getByText("no distance is said")).toBeVisible();
  const form = page.locator("form[action='/start']");
  await form.evaluate((old) => old.classList.add("old"));
  await page.getByRole("button", { name: "Keep this trip" }).click();
  await expect(form).not.toHaveClass(/old/);
  await expect(page.getByText("no distance is said")).toBeVisible();
  await expect(page.getByLabel(/^Distance and usual speed/)).toHaveValue("far away");
  await page.getByLabel(/^Distance and usual speed/).fill("780 km, 120");
  await page.getByLabel(/for placeholders/).fill("every 500 km, 50");
  await expect(shown.getByText("This cannot be driven yet.")).toBeVisible();
  await page.goto("/trips");
  await expect(page.getByRole("link", { name: "A first plan in words" })).toBeVisible();
});

newcomer("on a phone nothing scrolls sideways", async ({ page }) => {
  await page.setViewportSize({ width: 390, height: 844 });
  await page.goto("/");
  await expect(page.getByRole("region", { name: "The plan so far" }).getByText("there at")).toBeVisible();
  const wide = await page.evaluate(() => document.documentElement.scrollWidth - document.documentElement.clientWidth);
  expect(wide).toBe(0);
});
