// npm run bench:web: how the built page keeps up while a value is scrubbed, measured with the browser's own tracing,
// and its first paint and weight.
import { gzipSync } from 'node:zlib';
import { readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { openBrowser } from './lib/browser.mjs';
import { startProduct, SAMPLE_DESIGN } from './lib/product.mjs';
import { fail } from './lib/say.mjs';
import { ROOT } from './lib/setup.mjs';

const at = (sorted, part) => sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * part))];

let product;
let browser;
try {
  product = await startProduct();
  browser = await openBrowser();
  const paints = [];
  for (let i = 0; i < 5; i += 1) {
    const fresh = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await fresh.goto(`${product.address}${SAMPLE_DESIGN}/stage`);
    await fresh.waitForTimeout(800);
    paints.push(await fresh.evaluate(() => performance.getEntriesByName('first-contentful-paint')[0].startTime));
    await fresh.close();
  }
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(`${product.address}${SAMPLE_DESIGN}/stage`);
  const slider = page.getByRole('slider', { name: 'Frequency' });
  await page.locator('.tape .forbids').nth(3).waitFor();
  const scrub = async (steps) => {
    const box = await slider.boundingBox(); // what stands above it may have changed
    await page.mouse.move(box.x + box.width * 0.4, box.y + 24);
    await page.mouse.down();
    for (let i = 0; i < steps; i += 1) {
      await page.mouse.move(box.x + box.width * (0.4 + 0.2 * Math.abs(Math.sin(i / 9))), box.y + 24);
      await page.waitForTimeout(34);
    }
    await page.mouse.up();
  };
  await scrub(60);
  await browser.startTracing(page, {
    categories: ['blink.user_timing', 'disabled-by-default-devtools.timeline', 'devtools.timeline'],
  });
  await scrub(240);
  const trace = JSON.parse((await browser.stopTracing()).toString());
  const events = trace.traceEvents.filter((e) => typeof e.ts === 'number');
  const moved = events
    .filter((e) => e.name === 'yundro-moved')
    .map((e) => e.ts)
    .sort((a, b) => a - b);
  const drawn = events
    .filter((e) => e.name === 'yundro-drawn')
    .map((e) => e.ts)
    .sort((a, b) => a - b);
  // each move against the first drawing after it; a move overtaken by the next one counts with the drawing that showed it
  const waits = moved
    .map((ts) => drawn.find((d) => d > ts))
    .flatMap((d, i) => (d === undefined ? [] : [(d - moved[i]) / 1000]))
    .sort((a, b) => a - b);

  const assets = path.join(ROOT, 'web/dist/assets');
  const html = readFileSync(path.join(ROOT, 'web/dist/index.html'), 'utf8');
  const weigh = (name) => gzipSync(readFileSync(path.join(assets, name))).length / 1000;
  const initial = [...html.matchAll(/assets\/([\w.-]+\.js)/gu)].map((m) => m[1]);
  const kb = [...new Set(initial)].reduce((sum, name) => sum + weigh(name), 0);
  const all = readdirSync(assets)
    .filter((f) => f.endsWith('.js'))
    .reduce((sum, name) => sum + weigh(name), 0);
  process.stdout.write(
    [
      '| figure | value |',
      '| --- | --- |',
      `| scrub to solved and redrawn, median | ${at(waits, 0.5).toFixed(1)} ms |`,
      `| scrub to solved and redrawn, 95th percentile | ${at(waits, 0.95).toFixed(1)} ms |`,
      `| moves measured | ${waits.length} |`,
      `| first contentful paint, median of ${paints.length} | ${at(
        paints.sort((a, b) => a - b),
        0.5,
      ).toFixed(0)} ms |`,
      `| initial JavaScript, gzip | ${kb.toFixed(0)} kB |`,
      `| all JavaScript, gzip | ${all.toFixed(0)} kB |`,
      '',
    ].join('\n'),
  );
} catch (error) {
  fail(error);
} finally {
  await browser?.close();
  await product?.stop();
}
