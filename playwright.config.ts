import { defineConfig } from '@playwright/test';
import { chromiumOptions } from './scripts/chromium.mjs';

export default defineConfig({
  testDir: 'tests/browser',
  // Two files side by side, each with a server of its own.
  workers: 2,
  timeout: 90_000,
  expect: { timeout: 15_000 },
  reporter: [['list']],
  use: {
    viewport: { width: 1280, height: 800 },
    colorScheme: 'light',
    screenshot: 'only-on-failure',
    launchOptions: chromiumOptions
  }
});
