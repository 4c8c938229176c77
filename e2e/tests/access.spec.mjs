import { accessible, expect, looking as test } from "./support.mjs";

const PAGES = [
  "/", "/trips", "/trips/1", "/trips/1?ceiling=24", "/trips/1?floor=x&leave=vessen:70", "/sessions", "/sessions/1",
  "/sessions/new", "/sessions/1/grid?cell=10-80", "/sessions/1/noted", "/compare?s1=1&s2=1", "/cars", "/cars/1",
  "/cars/1/curves/1", "/measure", "/drives", "/tariffs", "/tariffs/1", "/trips/new", "/trips/2?outside=-15",
  "/trips/2/road", "/trips/2/sites", "/trips/2/sites?edit=aldernhead", "/drives/month", "/settings", "/backup",
];

const DESK = { width: 1280, height: 800 };
const PHONE = { width: 390, height: 844 };
const RICHEST = ["/trips/1", "/sessions/1"];

const SEEN = [
  ["light", DESK, PAGES],
  ["dark", PHONE, PAGES],
  ["dark", DESK, RICHEST],
  ["light", PHONE, RICHEST],
];

for (const [colorScheme, viewport, pages] of SEEN) {
  test.describe(`${colorScheme}, ${viewport.width} wide`, () => {
    test.use({ colorScheme, viewport });

    for (const address of pages) {
      test(`${address} is accessible and fits`, async ({ page }) => {
        await page.goto(address);
        await accessible(page);
        const wide = await page.evaluate(() => document.documentElement.scrollWidth);
        expect(wide).toBeLessThanOrEqual(viewport.width);
      });
    }
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
