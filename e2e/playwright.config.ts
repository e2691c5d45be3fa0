import { defineConfig } from '@playwright/test';

const flags =
  '--no-sandbox --disable-gpu --disable-background-networking --disable-component-update --disable-sync --no-first-run --disable-quic --font-render-hinting=none';

export default defineConfig({
  testDir: '.',
  outputDir: './test-results',
  workers: 2,
  fullyParallel: true,
  retries: 0,
  forbidOnly: true,
  // two browsers and their solvers share the cores of a machine that may be busy besides: no test is one of time
  timeout: 300_000,
  expect: { timeout: 60_000 },
  reporter: [['list'], ['json']],
  use: {
    viewport: { width: 1280, height: 800 },
    // what slides in for those who like it is waited for by no test
    contextOptions: { reducedMotion: 'reduce' },
    launchOptions: { executablePath: process.env['CHROMIUM'] ?? '/usr/bin/chromium', args: flags.split(' ') },
  },
});
