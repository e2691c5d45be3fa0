import type { Page } from '@playwright/test';
import { expect } from './product.ts';

/* What several tests look for on the page. */
export const tape = (page: Page, name: string) => page.getByRole('slider', { name, exact: true });
export const margin = (page: Page, name: string) =>
  page
    .locator(`[data-testid=margin][data-name="${name}"], [data-testid=margin][data-name^="${name},"]`)
    .locator('[data-testid=value]');
export const put = async (page: Page, load: string): Promise<void> => {
  await page.getByLabel('Full load').fill(load);
  await page.getByLabel('Full load').press('Enter');
};
export const saved = (page: Page) => expect(page.locator('[data-testid=save]')).toHaveAttribute('data-save', 'saved');
