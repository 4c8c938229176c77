// Run by crates/app/tests/browser.rs, which starts a server with fresh demo data and says where it is.
import { defineConfig } from "@playwright/test";

export default defineConfig({
  testDir: "tests",
  workers: 1,
  // Nothing here is about speed: a busy machine gets all the time that it needs.
  timeout: 120_000,
  expect: { timeout: 20_000 },
  reporter: "line",
  outputDir: "test-results",
  use: {
    baseURL: process.env.SPARE_HOUR_URL,
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: "/usr/bin/chromium",
      args: ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update", "--disable-sync"],
    },
  },
});
