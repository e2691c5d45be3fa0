import AxeBuilder from '@axe-core/playwright';
import type { Page } from '@playwright/test';
import { margin, tape } from './page.ts';
import { expect, test, type Product } from './product.ts';

/** Opens a screen and brings it into the state that is to be looked at. */
const SCREENS: Readonly<Record<string, (page: Page, product: Product) => Promise<void>>> = {
  projects: async (page, product) => {
    await page.goto(product.address);
    await expect(page.getByRole('link', { name: 'Tide-pool observatory' })).toBeVisible();
  },
  project: async (page, product) => {
    await page.goto(product.sampleProject);
    await expect(page.locator('[data-testid=tree-source]')).toHaveCount(3);
  },
  'brief, invalid entry': async (page, product) => {
    await page.goto(`${product.sampleDesign}/brief`);
    await page.getByLabel('Maximum', { exact: true }).fill('3x');
  },
  'stage with why': async (page, product) => {
    await page.goto(`${product.sampleDesign}/stage`);
    await expect(tape(page, 'Frequency').locator('[data-testid=forbids]').first()).toBeVisible();
    await margin(page, 'Inductor peak').click();
    await expect(page.locator('[data-testid=why]')).toBeVisible();
  },
  topology: async (page, product) => {
    await page.goto(`${product.sampleDesign}/topology`);
    await expect(page.locator('[data-testid=plot] canvas')).toHaveCount(5);
    await expect(page.locator('[data-testid=comparison]')).toBeVisible();
  },
  'inverting stage': async (page, product) => {
    await page.goto(`${product.address}/designs/0b5e7a1e-0000-4000-8000-000000000014/stage`);
    await expect(page.locator('[data-testid=against-load] canvas')).toBeVisible();
  },
  parts: async (page, product) => {
    await page.goto(`${product.sampleDesign}/parts`);
    await expect(page.locator('[data-testid=candidates] canvas')).toBeVisible();
  },
  heat: async (page, product) => {
    await page.goto(`${product.sampleDesign}/heat`);
    await expect(page.locator('[data-testid=heat-map] td').first()).toBeVisible();
  },
  shelf: async (page, product) => {
    await page.goto(`${product.address}/shelf?kind=inductor`);
    await expect(page.locator('[data-testid=shelf-table] tbody tr').first()).toBeVisible();
  },
  scope: async (page, product) => {
    await page.goto(`${product.sampleDesign}/scope`);
    await expect(page.locator('[data-testid=measured]')).toContainText('undershoot');
  },
  loop: async (page, product) => {
    await page.goto(`${product.sampleDesign}/loop`);
    await expect(page.locator('[data-testid=loop-corners] tbody tr')).toHaveCount(6);
  },
  nowhere: async (page, product) => {
    await page.goto(`${product.address}/nowhere`);
    await expect(page.getByText('leads nowhere')).toBeVisible();
  },
};

for (const [name, open] of Object.entries(SCREENS)) {
  test(`${name}: no accessibility violation in either theme, nothing against the content-security policy`, async ({
    page,
    shown,
  }) => {
    const complaints: string[] = [];
    page.on('console', (message) => {
      if (message.type() === 'error') complaints.push(message.text());
    });
    page.on('pageerror', (error) => complaints.push(error.message));
    // one frame, and only what is wrong is told: half the work
    const violations = async (rules: object = {}): Promise<string[]> => {
      const look = new AxeBuilder({ page }).setLegacyMode(true).options({ resultTypes: ['violations'], ...rules });
      return (await look.analyze()).violations.map(
        (v) => `${v.id}: ${v.nodes.map((n) => n.target.join(' ')).join(', ')}`,
      );
    };
    await open(page, shown);
    expect(await violations()).toEqual([]);
    // the themes differ in colours alone
    await page.getByRole('button', { name: 'Dark' }).click();
    // a colour on its way from one theme to the other belongs to neither
    await page.waitForFunction(() => document.getAnimations().length === 0);
    expect(await violations({ runOnly: ['color-contrast'] })).toEqual([]);
    expect(complaints).toEqual([]);
  });
}
