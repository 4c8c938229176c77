// Run by crates/app/tests/browser.rs, which says where the program is; each test starts a server of its own.
import { defineConfig } from "@playwright/test";

export default defineConfig({
  testDir: "tests",
  fullyParallel: true,
  workers: "100%",
  // Nothing here is about speed: a busy machine gets all the time that it needs.
  timeout: 120_000,
  expect: { timeout: 20_000 },
  reporter: "dot",
  outputDir: "test-results",
  use: {
    viewport: { width: 1280, height: 800 },
    launchOptions: {
      executablePath: "/usr/bin/chromium",
      args: ["--no-sandbox", "--disable-gpu", "--disable-background-networking", "--disable-component-update", "--disable-sync"],
    },
  },
});
