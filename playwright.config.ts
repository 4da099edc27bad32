import { tmpdir } from 'node:os';
import { join } from 'node:path';
import { defineConfig } from '@playwright/test';
import { chromiumOptions } from './scripts/chromium.mjs';

const port = 4377;

export default defineConfig({
  testDir: 'tests/browser',
  workers: 1,
  timeout: 90_000,
  expect: { timeout: 15_000 },
  reporter: [['list']],
  use: {
    baseURL: `http://127.0.0.1:${port}`,
    viewport: { width: 1280, height: 800 },
    colorScheme: 'light',
    screenshot: 'only-on-failure',
    launchOptions: chromiumOptions
  },
  webServer: {
    command: `node scripts/serve.mjs --port ${port} --data ${join(tmpdir(), `root-barn-browser-${process.ppid}`)} --fresh`,
    url: `http://127.0.0.1:${port}/`,
    timeout: 30_000,
    reuseExistingServer: false
  }
});
