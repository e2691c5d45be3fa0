import { margin, saved } from './page.ts';
import { expect, test } from './product.ts';

test('the Scope: scenarios in time, zoomed to single cycles, a capture beside them; the rail’s step is the simulated one', async ({
  page,
  product,
}) => {
  await page.goto(`${product.sampleDesign}/stage`);
  await page.getByRole('button', { name: 'Probe here' }).click();
  await page.getByRole('button', { name: 'at the switch node' }).click();
  const measured = page.locator('[data-testid=measured]');
  await expect(measured).toContainText('shrinks to');
  await expect(page.locator('[data-testid=readout]')).toContainText('switch node');
  for (const lane of ['output', 'inductor']) await page.getByRole('button', { name: lane, exact: true }).click();
  await page.getByLabel('Scenario').selectOption('load-step');
  await expect(measured).toContainText(/undershoot\s*8\d\.?\d*.mV/u);
  await expect(margin(page, 'Load-step undershoot')).toHaveAttribute('title', 'Look at the simulated step');
  await page.getByLabel('Inputs').selectOption('all');
  await expect(measured.locator('thead th')).toHaveText(['measured', '18\u00a0V', '24\u00a0V', '32\u00a0V']);

  // a stretch drawn out shows single cycles, read by the cursor
  const canvas = page.locator('[data-testid=plot] canvas').first();
  const box = (await canvas.boundingBox())!;
  await page.mouse.move(box.x + box.width * 0.15, box.y + 60);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * 0.2, box.y + 60, { steps: 4 });
  await page.mouse.up();
  await expect(page.locator('[data-testid=readout]')).toContainText(/inductor.*A/su);

  await page.locator('[data-testid=capture]').setInputFiles({
    name: 'bench.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from('time [us];CH1 [V]\n-1,0;3,3\n0,0;3,3\n1,0;3,21\n2,0;3,25\n'),
  });
  await expect(page.getByLabel('Channel of the capture')).toContainText('bench.csv: CH1');
  await expect(measured).toContainText('CH1');
  await page
    .locator('[data-testid=capture]')
    .or(page.getByRole('button', { name: 'take away' }))
    .last()
    .click();

  await page.getByLabel('Scenario').selectOption('feedback-lost');
  await expect(page.getByText('The amplifier sees too little')).toBeVisible();
  await expect(measured).toContainText('overshoot');
  await page.getByRole('button', { name: 'current over voltage' }).click();
  await expect(page.getByRole('heading', { name: 'Current over voltage' })).toBeVisible();
  await page.getByLabel('Scenario').selectOption('open-loop');
  await page.getByRole('textbox', { name: 'duty' }).fill('120 %');
  await expect(page.getByText('A duty lies between 0 and 100 %.')).toBeVisible();
});

test('the Loop: margins at every corner follow the network’s parts; what was taken is kept or changed', async ({
  page,
  product,
}) => {
  await page.goto(`${product.sampleDesign}/loop`);
  const corners = page.locator('[data-testid=loop-corners] tbody tr');
  await expect(corners).toHaveCount(6);
  await expect(corners.last()).toContainText(/39\.9.kHz/u);
  await expect(margin(page, 'Phase margin')).toHaveAttribute('title', 'Look at the loop', { timeout: 20_000 });
  await page.getByRole('button', { name: 'Keep this network' }).click();
  await expect(page.getByText('The design has no compensator')).toBeHidden();
  const resistor = page.getByRole('textbox', { name: 'feedback resistor' });
  await resistor.fill('3k');
  await resistor.press('Enter');
  // twice the gain, nearly twice the crossover
  await expect(corners.last()).toContainText(/[67]\d(\.\d)?.kHz/u);
  await saved(page);
  await page.getByRole('button', { name: 'Place zeros and poles' }).click();
  await expect(page.getByText('where the gain is highest')).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.getByLabel('Shown over frequency').selectOption('compensator');
  await expect(page.locator('[data-testid=readout]').first()).toContainText('gain, dB');
  for (let back = 0; back < 2; back += 1) await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.getByRole('button', { name: 'Keep this network' })).toBeVisible();
});
