import { readFileSync } from 'node:fs';
import { openBrowser } from './lib/browser.mjs';
import { startProduct, SAMPLE_DESIGN, SAMPLE_PROJECT } from './lib/product.mjs';
const jobs = JSON.parse(readFileSync('/tmp/jobs.json', 'utf8'));
let product, browser;
try {
  product = await startProduct();
  browser = await openBrowser();
  for (const job of jobs) {
    const page = await browser.newPage({ viewport: { width: job.w ?? 1280, height: job.h ?? 800 }, colorScheme: job.dark ? 'dark' : 'light' });
    page.on('console', (m) => { if (['error', 'warning'].includes(m.type())) console.log('console', m.text()); });
    page.on('pageerror', (e) => console.log('pageerror', e.message));
    const url = job.url.replace('$D', SAMPLE_DESIGN).replace('$P', SAMPLE_PROJECT).replace(/\$(1[1-6])/, (_, n) => SAMPLE_DESIGN.replace(/11$/u, n));
    await page.goto(product.address + url);
    await page.waitForTimeout(job.wait ?? 2500);
    if (job.js) console.log('js', JSON.stringify(await page.evaluate(job.js)));
    for (const step of job.steps ?? []) {
      if (step.select) await page.getByLabel(step.select[0], { exact: true }).selectOption(step.select[1]);
      if (step.click) await page.getByRole(step.role ?? 'button', { name: step.click, exact: true }).first().click();
      if (step.file) await page.locator('[data-testid=capture]').setInputFiles(step.file);
      if (step.fill) { await page.getByLabel(step.fill[0], { exact: true }).fill(step.fill[1]); await page.getByLabel(step.fill[0], { exact: true }).press('Enter'); }
      if (step.drag) { const b = await page.locator('[data-testid=plot] canvas').first().boundingBox(); await page.mouse.move(b.x + b.width * step.drag[0], b.y + b.height / 2); await page.mouse.down(); await page.mouse.move(b.x + b.width * step.drag[1], b.y + b.height / 2, { steps: 5 }); await page.mouse.up(); }
      if (step.js) console.log('js', JSON.stringify(await page.evaluate(step.js)));
      await page.waitForTimeout(step.wait ?? 1200);
    }
    await page.screenshot({ path: job.out, fullPage: job.full ?? false });
    await page.close();
  }
} finally { await browser?.close(); await product?.stop?.(); }
process.exit(0);
