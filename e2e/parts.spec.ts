import AxeBuilder from '@axe-core/playwright';
import { readFileSync } from 'node:fs';
import { saved } from './page.ts';
import { expect, test } from './product.ts';

test('parts: free places are filled from the shelf, one is held, and its losses and heat follow', async ({
  page,
  product,
}) => {
  const made = await page.request.post(`${product.sampleProject.replace('/projects', '/api/projects')}/designs`, {
    data: {
      document: {
        format: 'yundro-design',
        version: 1,
        name: 'Bare rail',
        brief: {
          inputVoltage: { min: 18, nominal: 24, max: 32 },
          outputVoltage: 5,
          outputCurrent: { min: 0.2, max: 5 },
        },
      },
    },
  });
  const { id } = (await made.json()) as { id: string };
  await page.goto(`${product.address}/designs/${id}/parts`);
  const places = page.locator('[data-testid=places] tbody tr');
  await expect(places).toHaveCount(6);
  await expect(places.filter({ hasText: 'nothing fits' })).toHaveCount(0);
  // pointed at, a pair says what it is and loses
  const pairs = page.locator('[data-testid=pairs]');
  await pairs.locator('td[data-best]').waitFor();
  await pairs.locator('tbody td').first().hover();
  await expect(pairs).toContainText('Pointed at');
  // what drives the pair is held by a press, and one step takes it back
  const drive = page.getByTestId('drive');
  await drive.getByRole('button', { name: /^Hold 5\sV and 10\sns/u }).click();
  await expect(drive).toContainText(/5\sV, 10\sns: \d × /u);
  await expect(drive.locator('td[data-best]')).toBeVisible();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(page.locator('[data-testid=rectifiers]')).toContainText('Dashed, diode');
  await page.getByRole('button', { name: 'Inductor', exact: true }).click();
  const candidates = page.locator('[data-testid=candidates]');
  await expect(candidates).toContainText('Inductor:');
  await candidates.getByRole('link', { name: 'On the Shelf' }).click();
  await expect(page.getByText('Only what fits the inductor of Bare rail.')).toBeVisible();
  await expect(page.getByText(/^\d+ of \d+$/u)).not.toHaveText(/^(\d+) of \1$/u);
  await page.goBack();
  await page.getByRole('button', { name: 'Inductor', exact: true }).click();
  await expect(candidates).toContainText('Inductor:');
  await candidates.getByRole('button', { name: /that do not fit/u }).click();
  await expect(candidates).toContainText('are wanted');
  const second = candidates.locator('tbody tr').nth(1);
  const name = (await second.locator('th').innerText()).trim();
  await second.getByRole('button', { name: 'Hold this' }).click();
  const held = places.filter({ hasText: 'Inductor' }).first();
  await expect(held).toContainText(name);
  await expect(held.getByRole('button', { name: 'Let go' })).toBeVisible();
  await page.getByRole('button', { name: /^Hold the 5 parts/u }).click();
  await expect(page.getByText('every place is held')).toBeVisible();
  await saved(page);
  // the margins now speak of every mechanism, and of junctions
  await expect(page.locator('[data-testid=margin]', { hasText: 'Control switch junction' })).toBeVisible();
  const [file] = await Promise.all([
    page.waitForEvent('download'),
    page.locator('[data-testid=bill]').getByRole('button', { name: 'CSV' }).click(),
  ]);
  const bill = readFileSync(await file.path(), 'utf8');
  expect(bill.split('\r\n')[0]).toBe('place,part,name,count,used of rating,cost,area mm²,height mm');
  expect(bill).toContain('Controller');
  await page.getByRole('link', { name: /^Heat/u }).click();
  const losses = page.locator('[data-testid=losses]');
  await expect(losses).toContainText('Reverse recovery');
  await expect(losses).toContainText(/junction [\d.]+/u);
  // every figure here says why, at its own corner
  await losses
    .getByRole('row', { name: /Reverse recovery/u })
    .getByRole('button')
    .click();
  await expect(page.locator('[data-testid=why]')).toContainText(
    '24 V in, 5 A'.replaceAll(/(?<=\d) (?=[VA])/gu, '\u00a0'),
  );
  await page.keyboard.press('Escape');
  // a board of its own size warms every part; against the state before it
  const winding = losses.getByRole('row', { name: /^Inductor [\d.]/u }).getByRole('button');
  const cool = await winding.innerText();
  await page.getByRole('button', { name: /^. Cooling/u }).click();
  await page.getByLabel('Board, cm²').fill('20');
  await page.getByLabel('Board, cm²').press('Enter');
  await expect(losses).toContainText('K warmer');
  expect(parseFloat(await winding.innerText())).toBeGreaterThan(parseFloat(cool));
  await page.getByLabel('Compare with a revision').selectOption({ label: 'against version 1' });
  await expect(losses).toContainText('then.');
  await page.getByLabel('Compare with a revision').focus();
  await page.keyboard.press('Control+z');
  await expect(losses).not.toContainText('K warmer');
  await page.goBack();
  await page.keyboard.press('Control+z');
  await expect(page.getByRole('button', { name: /^Hold the 5 parts/u })).toBeVisible();
});

test('the shelf: searched by value, edited with its faults at the field, imported with a preview', async ({
  page,
  product,
}) => {
  await page.goto(`${product.address}/shelf`);
  const table = page.locator('[data-testid=shelf-table]');
  await expect(table.locator('tbody tr').first()).toBeVisible();
  await page.getByLabel('Search').fill('onResistance < 2m && voltageRating >= 60');
  await expect(page.getByText(/^\d+ of \d+$/u)).not.toHaveText(/^(\d+) of \1$/u);
  await page.getByLabel('Search').fill('colour == red');
  await expect(page.getByText('"colour" is no value of a mosfet')).toBeVisible();
  await page.getByLabel('Search').fill('');
  await page.getByRole('button', { name: /Ranges$/u }).click();
  await page.getByLabel('rated voltage, at least').fill('99');
  await expect(page.getByText(/^\d of \d{3}$/u)).toBeVisible();
  await page.getByRole('button', { name: 'All of them again' }).click();
  await page.getByLabel('Search').fill('planar');
  await table.locator('tbody tr').first().getByRole('button').click();
  await expect(page.getByRole('dialog')).toBeVisible();
  expect((await new AxeBuilder({ page }).include('[role=dialog]').analyze()).violations).toEqual([]);
  const cost = page.getByRole('textbox', { name: /cost of one/u });
  await cost.fill('−3');
  await page.getByRole('button', { name: 'Save this MOSFET' }).click();
  await expect(page.locator('.invalid-feedback:visible')).toContainText('zero or a positive number');
  await cost.fill('0.77');
  await page.getByRole('button', { name: 'Save this MOSFET' }).click();
  await expect(page.getByText('Saved.')).toBeVisible();
  await page.getByTestId('curve-onResistanceCurve').setInputFiles({
    name: 'gate.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from('VGS (V);RDS(on) (mΩ)\n4,5;9,1\n10;sixty\n'),
  });
  await expect(page.getByRole('alert')).toContainText('gate.csv, row 3, column 2');
  await page.getByTestId('curve-onResistanceCurve').setInputFiles({
    name: 'gate.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from('VGS (V);RDS(on) (mΩ)\n4,5;9,1\n10;6\n'),
  });
  await expect(page.getByRole('textbox', { name: /resistance against gate voltage/u })).toHaveValue(
    '4.5 0.0091; 10 0.006',
  );
  await page.getByRole('button', { name: 'Retire' }).click();
  await expect(page.getByText('it stays readable where it is used')).toBeVisible();
  await page.getByRole('button', { name: 'Close' }).click();
  await page.getByRole('button', { name: 'Import' }).click();
  await page.getByLabel(/A CSV with a row/u).setInputFiles({
    name: 'mine.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from(
      'id,name,voltageRating (V),onResistance (mΩ),gateCharge\nmine-1,=cmd,40,3,12n\nmine-2,second,forty,3,12n\n',
    ),
  });
  const dialog = page.getByRole('dialog');
  await expect(dialog).toContainText('1 rows are in order, 1 are not');
  await expect(dialog.locator('[data-verdict=missed]')).toContainText('forty');
  await dialog.getByRole('button', { name: 'Take in only the 1 in order' }).click();
  await expect(dialog).toContainText('1 new, 0 changed');
  await dialog.getByRole('button', { name: 'Close' }).last().click();
  await page.getByLabel('Search').fill('mine-1');
  await expect(table).toContainText('=cmd');
  await expect(table).toContainText('3 mΩ'.replace(' ', '\u00a0'));
  const [file] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'CSV', exact: true }).click(),
  ]);
  // nothing that a spreadsheet would run
  expect(readFileSync(await file.path(), 'utf8')).toContain("'=cmd");
});
