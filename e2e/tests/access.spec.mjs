import { accessible, expect, looking as test } from "./support.mjs";

const PAGES = [
  "/", "/trips", "/trips/1", "/trips/1?ceiling=24", "/trips/1?floor=x&leave=vessen:70", "/sessions", "/sessions/1",
  "/sessions/new", "/sessions/1/grid?cell=10-80", "/sessions/1/noted", "/compare?s1=1&s2=1", "/cars", "/cars/1",
  "/cars/1/curves/1", "/measure", "/drives", "/tariffs", "/tariffs/1", "/trips/new", "/trips/2?outside=-15",
  "/trips/2/road", "/trips/2/sites", "/trips/2/sites?edit=aldernhead", "/drives/month", "/settings", "/backup", "/road", "/ledger", "/practice?game=5", "/practice?game=5&minutes=8&left=true",
];

const DESK = { width: 1280, height: 800 };
const PHONE = { width: 390, height: 844 };
const SMALL = { width: 320, height: 640 };
const TABLET = { width: 768, height: 1024 };
const LARGE = { width: 1920, height: 1080 };
const RICHEST = ["/trips/1", "/trips/3", "/sessions/1", "/cars/1", "/compare?s1=1&s2=1", "/drives/month", "/trips/2/road"];

const SEEN = [
  ["light", DESK, PAGES],
  ["dark", PHONE, PAGES],
  ["dark", DESK, RICHEST],
  ["light", PHONE, RICHEST],
  ["light", SMALL, PAGES],
  ["dark", TABLET, RICHEST],
  ["light", LARGE, RICHEST],
];

/** Words of charts that are shown smaller than 11 px. */
const small = (page) =>
  page.evaluate(() =>
    [...document.querySelectorAll("svg text")]
      .filter((text) => text.getClientRects().length > 0 && text.textContent.trim())
      .map((text) => [text.textContent.trim(), parseFloat(getComputedStyle(text).fontSize) * text.getScreenCTM().a])
      .filter(([, shown]) => shown < 10.95)
      .map(([text, shown]) => `${text}: ${shown.toFixed(1)} px`),
  );

/** How much the page has shifted since it was begun. */
const shifted = (page) =>
  page.evaluate(
    () =>
      new Promise((resolve) => {
        let sum = 0;
        new PerformanceObserver((list) => list.getEntries().forEach((entry) => (sum += entry.value))).observe({
          type: "layout-shift",
          buffered: true,
        });
        setTimeout(() => resolve(sum), 300);
      }),
  );

for (const [colorScheme, viewport, pages] of SEEN) {
  test.describe(`${colorScheme}, ${viewport.width} wide`, () => {
    test.use({ colorScheme, viewport });

    for (const address of pages) {
      test(`${address} is accessible and fits`, async ({ page }) => {
        await page.goto(address);
        await accessible(page);
        const wide = await page.evaluate(() => document.documentElement.scrollWidth);
        expect(wide).toBeLessThanOrEqual(viewport.width);
        expect(await small(page)).toEqual([]);
        expect(await shifted(page)).toBeLessThan(0.1);
      });
    }
  });
}

for (const address of RICHEST) {
  test(`${address} holds in forced colours and without motion`, async ({ page }) => {
    await page.emulateMedia({ forcedColors: "active", reducedMotion: "reduce" });
    await page.goto(address);
    await accessible(page);
    // Lines of charts are told from their ground where colours are the system's.
    const lost = await page.evaluate(() => {
      const ground = getComputedStyle(document.body).backgroundColor;
      const lines = [...document.querySelectorAll("svg.chart path, svg.chart line")].filter((line) => line.getClientRects().length > 0);
      return lines.filter((line) => getComputedStyle(line).stroke === ground).length;
    });
    expect(lost).toBe(0);
  });
}

test("day and night are chosen by hand and stay", async ({ page }) => {
  await page.goto("/");
  await page.getByRole("button", { name: "Day / night" }).click();
  await page.reload();
  await expect(page.locator("html")).toHaveAttribute("data-theme", "dark");
});

test("nothing is fetched from elsewhere, and the policy is strict", async ({ page, baseURL }) => {
  const asked = [];
  page.on("request", (request) => asked.push(request.url()));
  const response = await page.goto("/trips/1");
  expect(asked.filter((url) => !url.startsWith(baseURL))).toEqual([]);
  const policy = response.headers()["content-security-policy"];
  expect(policy).toContain("default-src 'none'");
  expect(policy).not.toContain("unsafe");
});
