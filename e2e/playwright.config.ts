import { defineConfig } from '@playwright/test';

const flags =
  '--no-sandbox --disable-gpu --disable-background-networking --disable-component-update --disable-sync --no-first-run --disable-quic';

export default defineConfig({
  testDir: '.',
  outputDir: './test-results',
  workers: 1,
  retries: 0,
  forbidOnly: true,
  timeout: 60_000,
  expect: { timeout: 10_000 },
  reporter: [['list'], ['json']],
  use: {
    viewport: { width: 1280, height: 800 },
    launchOptions: { executablePath: process.env['CHROMIUM'] ?? '/usr/bin/chromium', args: flags.split(' ') },
  },
});
