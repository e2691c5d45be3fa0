/* global document */
// npm run screenshots: one current picture of each main view, made from the sample data, into docs/screenshots/.
import { mkdirSync } from 'node:fs';
import path from 'node:path';
import { openBrowser } from './lib/browser.mjs';
import { startProduct, SAMPLE_DESIGN, SAMPLE_PROJECT } from './lib/product.mjs';
import { fail, say } from './lib/say.mjs';
import { ROOT } from './lib/setup.mjs';

const folder = path.join(ROOT, 'docs/screenshots');
mkdirSync(folder, { recursive: true });
let product;
let browser;
try {
  product = await startProduct();
  browser = await openBrowser();
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  const shoot = async (name) => {
    await page.waitForTimeout(700);
    // a picture of verdicts that are being found shows none
    await page.waitForFunction(() => !/being found …|is sought …/u.test(document.body.innerText), undefined, {
      timeout: 30_000,
    });
    await page.waitForTimeout(200);
    await page.screenshot({ path: path.join(folder, `${name}.png`) });
    say(name);
  };
  const stage = async () => {
    await page.goto(`${product.address}${SAMPLE_DESIGN}/stage`);
    await page.locator('[data-testid=forbids]').nth(3).waitFor();
  };
  const down = (to) => page.locator('main').evaluate((main, y) => main.scrollTo(0, y), to);
  const rail = async (number, rung) => {
    await page.goto(`${product.address}${SAMPLE_DESIGN.replace(/11$/u, String(number))}/${rung}`);
    await page
      .locator(rung === 'stage' ? '[data-testid=marker]' : '[data-testid=plot] canvas')
      .nth(3)
      .waitFor();
    await page.waitForTimeout(1200);
  };
  await page.goto(`${product.address}${SAMPLE_PROJECT}`);
  await page.waitForFunction(
    () =>
      document.querySelectorAll('[data-testid=rail-verdict]').length === 6 &&
      !document.body.innerText.includes('being judged'),
    undefined,
    { timeout: 60_000 },
  );
  await shoot('project');
  await page.goto(`${product.address}${SAMPLE_DESIGN}/brief`);
  await page.getByLabel('Nominal').waitFor();
  await shoot('brief');
  for (const load of ['5 A', '6 A']) {
    await page.getByLabel('Full load').fill(load);
    await page.getByLabel('Full load').press('Enter');
    await page.getByText('saved just now').waitFor();
    await page.waitForTimeout(700);
  }
  await page.goto(`${product.address}${SAMPLE_DESIGN}/loop`);
  await page.locator('[data-testid=loop-corners] tbody tr').nth(5).waitFor();
  await page.waitForTimeout(4000);
  await shoot('loop');
  await page.goto(`${product.address}${SAMPLE_DESIGN}/scope`);
  await page.getByLabel('Inputs').selectOption('all');
  await page.locator('[data-testid=measured] thead th').nth(3).waitFor();
  await page.waitForTimeout(1500);
  const traces = await page.locator('[data-testid=plot] canvas').first().boundingBox();
  await page.mouse.move(traces.x + traces.width * 0.13, traces.y + 80);
  await page.mouse.down();
  await page.mouse.move(traces.x + traces.width * 0.2, traces.y + 80, { steps: 4 });
  await page.mouse.up();
  await shoot('scope');
  await page.goto(`${product.address}${SAMPLE_DESIGN}/revisions`);
  await page.locator('.list-group-item').nth(1).click();
  await shoot('revisions');
  await stage();
  await shoot('stage');
  await page.locator('[data-testid=met-group]').first().getByRole('button').first().click();
  await page.locator('[data-testid=margin][data-name="Inductor peak"]').locator('[data-testid=value]').click();
  await page.locator('[data-testid=why] .katex-html').first().waitFor();
  await shoot('stage-why');
  await page.keyboard.press('Escape');
  await page.getByRole('slider', { name: 'Output bank', exact: true }).focus();
  await page.keyboard.press('Shift+ArrowLeft');
  await page.keyboard.press('Shift+ArrowLeft');
  await page.locator('[data-testid=advice]').first().waitFor({ timeout: 90_000 });
  await shoot('stage-missed-target');
  await page.keyboard.press('Control+z');
  await page.keyboard.press('Control+z');
  await page.locator('[data-testid=corners]').scrollIntoViewIfNeeded();
  await page.locator('main').evaluate((main) => main.scrollTo(0, 1e5));
  await shoot('stage-corners');
  await rail(13, 'topology');
  await page.waitForFunction(() => !document.body.innerText.includes('being judged'), undefined, { timeout: 60_000 });
  await shoot('topology');
  await down(610);
  await shoot('topology-pictures');
  await rail(15, 'stage');
  await page.getByRole('button', { name: 'balance areas' }).click();
  await shoot('stage-four-switch-balance');
  await rail(16, 'stage');
  await shoot('stage-four-phases');
  await rail(14, 'stage');
  await page.getByRole('button', { name: 'Dark', exact: true }).click();
  await shoot('stage-inverting-dark');
  await page.getByRole('button', { name: 'Light', exact: true }).click();
  await page.locator('[data-testid=against-load]').evaluate((panel) => panel.scrollIntoView());
  await shoot('stage-over-load-small-parts');
  const spare = `${product.address}${SAMPLE_DESIGN.replace(/11$/u, '12')}`;
  await page.goto(`${spare}/parts`);
  await page.locator('[data-testid=candidates] canvas').waitFor();
  await shoot('parts');
  await page.goto(`${spare}/heat`);
  await page.locator('[data-testid=heat-map] tbody tr').nth(4).waitFor();
  await page.locator('[data-testid=heat-over-load]').waitFor();
  await page.waitForTimeout(4000);
  await shoot('heat');
  await page.goto(`${product.address}/shelf?kind=inductor`);
  await page.locator('[data-testid=shelf-table] tbody tr').nth(5).waitFor();
  await shoot('shelf');
  await page.goto(`${product.address}${SAMPLE_DESIGN}/stage`);
  await page.locator('[data-testid=forbids]').nth(3).waitFor();
  await product.stopServer();
  await page.getByRole('link', { name: 'Brief' }).click();
  await page.getByLabel('Full load').fill('5 A');
  await page.getByLabel('Full load').press('Enter');
  await page.getByText('the server is away').waitFor();
  await shoot('server-away');
} catch (error) {
  fail(error);
} finally {
  await browser?.close();
  await product?.stop();
}
