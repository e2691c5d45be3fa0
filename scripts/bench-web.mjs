// npm run bench:web: how the built page keeps up while a value is scrubbed, measured with the browser's own tracing,
// and its first paint and weight.
import { gzipSync } from 'node:zlib';
import { readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { openBrowser } from './lib/browser.mjs';
import { startProduct, SAMPLE_DESIGN } from './lib/product.mjs';
import { fail } from './lib/say.mjs';
import { benchScope } from './lib/scope-bench.mjs';
import { benchShelf } from './lib/shelf-bench.mjs';
import { ROOT } from './lib/setup.mjs';

const at = (sorted, part) => sorted[Math.min(sorted.length - 1, Math.floor(sorted.length * part))];

/** A page whose moves and drawings the browser's own tracing tells. */
async function traced(page, move) {
  await browser.startTracing(page, { categories: ['blink.user_timing', 'devtools.timeline'] });
  await move();
  const { traceEvents } = JSON.parse((await browser.stopTracing()).toString());
  const marks = (mark) =>
    traceEvents
      .filter((e) => e.name === mark && typeof e.ts === 'number')
      .map((e) => e.ts)
      .sort((a, b) => a - b);
  const moved = marks('yundro-moved');
  // each move against the first drawing after it; a move overtaken by the next one counts with the drawing that showed it
  const after = (times) =>
    moved
      .map((ts) => times.find((t) => t > ts))
      .flatMap((t, i) => (t === undefined ? [] : [(t - moved[i]) / 1000]))
      .sort((a, b) => a - b);
  return { waits: after(marks('yundro-drawn')), answers: after(marks('yundro-answered')) };
}

/** The sample rails, by the end of their address. */
const RAILS = [
  [11, 'logic, buck'],
  [12, 'spare, buck'],
  [13, 'hydrophone, boost'],
  [14, 'analogue, inverting, second-stage filter'],
  [15, 'instrument, four-switch'],
  [16, 'recognition, four coupled phases'],
];

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
  const rails = [];
  for (const [number, name] of RAILS) {
    const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
    await page.goto(`${product.address}${SAMPLE_DESIGN.replace(/11$/u, String(number))}/stage`);
    const slider = page.getByRole('slider', { name: 'Frequency', exact: true });
    await page.locator('[data-testid=plot] canvas').waitFor();
    await page.waitForTimeout(2500);
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
    const { waits, answers } = await traced(page, () => scrub(160));
    await page.close();
    rails.push(
      `| ${name} | ${at(waits, 0.5).toFixed(1)} | ${at(waits, 0.95).toFixed(1)} | ${at(answers, 0.5).toFixed(1)} | ${waits.length} |`,
    );
  }
  const loop = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await loop.goto(`${product.address}${SAMPLE_DESIGN}/loop`);
  await loop.locator('[data-testid=loop-corners] tbody tr').nth(5).waitFor();
  await loop.waitForTimeout(5000);
  const zero = loop.getByRole('slider', { name: 'zero of the feedback' });
  const drag = async (steps) => {
    const box = await zero.boundingBox();
    const [x, y] = [box.x + box.width / 2, box.y + box.height / 2];
    await loop.mouse.move(x, y);
    await loop.mouse.down();
    for (let i = 0; i < steps; i += 1) {
      await loop.mouse.move(x + 60 * Math.sin((i + 1) / 9), y);
      await loop.waitForTimeout(34);
    }
    await loop.mouse.up();
  };
  await drag(60);
  await loop.waitForTimeout(3000);
  const { waits } = await traced(loop, () => drag(160));
  rails.push(
    `| logic, a zero of the loop dragged, six corners | ${at(waits, 0.5).toFixed(1)} | ${at(waits, 0.95).toFixed(1)} |  | ${waits.length} |`,
  );
  await loop.close();

  const scope = await benchScope(browser, product.address);
  const shelf = await benchShelf(browser, product.address);
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
      '| from a move to its drawing | median, ms | 95th percentile, ms | of it until the answer, median | moves |',
      '| --- | --- | --- | --- | --- |',
      ...rails,
      '',
      '| figure | value |',
      '| --- | --- |',
      `| first contentful paint, median of ${paints.length} | ${at(
        paints.sort((a, b) => a - b),
        0.5,
      ).toFixed(0)} ms |`,
      `| the server’s filtered page among 20,000 parts | ${shelf.answered.toFixed(1)} ms |`,
      `| the table of 20,000 parts, from a keystroke to its drawing | ${shelf.drawn.toFixed(0)} ms |`,
      `| 100,000 simulated cycles, between frames while zooming: median / 95th percentile | ${scope.zooming.median.toFixed(1)} / ${scope.zooming.slow.toFixed(1)} ms |`,
      `| the same while panning | ${scope.panning.median.toFixed(1)} / ${scope.panning.slow.toFixed(1)} ms |`,
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
