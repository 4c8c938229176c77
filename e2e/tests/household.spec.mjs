import { spawn } from "node:child_process";
import { mkdtempSync } from "node:fs";
import { tmpdir } from "node:os";
import { join } from "node:path";
import { test, expect } from "@playwright/test";
import { accessible } from "./support.mjs";

/** A household of three browsers, on a server that a network reaches. */
async function serve() {
  const data = mkdtempSync(join(tmpdir(), "household-"));
  const child = spawn(process.env.SPARE_HOUR_BIN, ["serve", "--host", "0.0.0.0", "--port", "0", "--data", data]);
  const said = await new Promise((resolve, reject) => {
    let text = "";
    child.stdout.on("data", (bytes) => (text += bytes).includes("/welcome?code=") && resolve(text));
    child.once("exit", (code) => reject(new Error(`the server ended with ${code}`)));
  });
  const port = /:(\d+) \(data/.exec(said)[1];
  const stop = () => new Promise((resolve) => (child.once("exit", resolve), child.kill("SIGKILL")));
  return { url: `http://127.0.0.1:${port}`, code: /code=(\w+)/.exec(said)[1], said, stop };
}

async function come(page, url, code, name) {
  await page.goto(`${url}/welcome?code=${code}`);
  await page.getByLabel("Your name here").fill(name);
  await page.getByLabel(/^Password/).fill(`${name.length} grey herons on a pole`);
  await page.getByRole("button", { name: "Save and sign in" }).click();
  await expect(page.getByText(`Signed in as ${name}`)).toBeVisible();
}

test("an owner, a member and a guest: each may and sees what is theirs, and a link shows one trip", async ({ browser }) => {
  const { url, code, said, stop } = await serve();
  expect(said).toContain("Nothing is encrypted");
  const open = async () => (await browser.newContext()).newPage();
  const [ada, bo, cleo, stranger] = [await open(), await open(), await open(), await open()];
  await ada.goto(`${url}/trips`);
  await expect(ada.getByRole("heading", { name: "Sign in" })).toBeVisible();
  await accessible(ada);
  await come(ada, url, code, "Adalind");

  const add = async (name, role) => {
    await ada.goto(`${url}/household`);
    await ada.getByLabel("Name", { exact: true }).fill(name);
    await ada.getByLabel("May", { exact: true }).selectOption(role);
    await ada.getByRole("button", { name: "Add", exact: true }).click();
    return (await ada.getByRole("status").locator("code").last().innerText()).trim();
  };
  await come(bo, url, await add("Bertrand", "member"), "Bertrand");
  await come(cleo, url, await add("Cleo", "guest"), "Cleo");
  await accessible(ada);

  // The member makes a trip; the guest looks at it, and can change nothing.
  await bo.goto(`${url}/start`);
  await bo.getByLabel(/^Distance and usual speed/).fill("Arlen to Torvik 420 km, 110");
  await bo.getByRole("button", { name: "Keep this trip" }).click();
  await expect(bo.getByRole("heading", { level: 1 })).toHaveText("Arlen to Torvik");
  const trip = new URL(bo.url()).pathname;
  await cleo.goto(url + trip);
  await expect(cleo.getByRole("heading", { level: 1 })).toHaveText("Arlen to Torvik");
  await cleo.getByText("Rename, copy, turn round or remove this trip").click();
  await cleo.getByRole("button", { name: "Copy" }).click();
  await expect(cleo.getByText("As a guest you may look at everything, but change nothing.")).toBeVisible();

  // A link shows it to a stranger, until it is taken back.
  await bo.goto(`${url}${trip}/shared`);
  await bo.getByRole("button", { name: "Make a link" }).click();
  const link = await bo.getByLabel("The link, shown only now").inputValue();
  await stranger.goto(link);
  await expect(stranger.getByRole("heading", { level: 1 })).toHaveText("Arlen to Torvik");
  await accessible(stranger);
  await bo.getByRole("button", { name: "Take back" }).click();
  await expect(bo.getByText(/^made /)).toHaveCount(0);
  await stranger.reload();
  await expect(stranger.getByText("There is no trip under this link")).toBeVisible();

  // What the member keeps to himself is not there for the others.
  await bo.getByRole("button", { name: "Keep it to myself" }).click();
  await expect(bo.getByText("You alone see it.")).toBeVisible();
  for (const page of [ada, cleo]) {
    await page.goto(`${url}/trips`);
    await expect(page.getByText("Arlen to Torvik")).toHaveCount(0);
    expect((await page.goto(url + trip)).status()).toBe(404);
  }
  // The copy for a stall without a signal goes with whoever signs out.
  const copy = () => bo.evaluate(async () => Boolean(await caches.match("/road")));
  await bo.goto(`${url}/road`);
  await bo.evaluate(() => navigator.serviceWorker.ready.then(() => undefined));
  await bo.reload();
  await expect.poll(copy).toBe(true);
  await bo.goto(url + trip);
  await bo.getByRole("button", { name: "Sign out", exact: true }).click();
  await expect(bo.getByRole("heading", { name: "Sign in" })).toBeVisible();
  await expect.poll(copy).toBe(false);
  await stop();
});
