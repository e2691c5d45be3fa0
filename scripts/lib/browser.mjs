// A headless Chromium for the scripts that look at the running product.
import { chromium } from '@playwright/test';
import { ensureChromium } from './setup.mjs';

const FLAGS = [
  '--no-sandbox',
  '--disable-gpu',
  '--disable-background-networking',
  '--disable-component-update',
  '--disable-sync',
  '--no-first-run',
  '--disable-quic',
  // letters stand where a screen would have them
  '--font-render-hinting=none',
];

export async function openBrowser() {
  return chromium.launch({ executablePath: await ensureChromium(), args: FLAGS });
}
