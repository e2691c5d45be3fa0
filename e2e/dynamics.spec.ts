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
  await expect(measured).toContainText(/undershoot\s*6\d\.?\d*.mV/u);
  await expect(margin(page, 'Load-step undershoot')).toHaveAttribute('title', 'Look at the run');
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
  await expect(corners.last()).toContainText(/(?<![\d.])(39\.9|40).kHz/u);
  await expect(margin(page, 'Phase margin')).toHaveAttribute('title', 'Why?');
  await margin(page, 'Phase margin').click();
  const why = page.getByRole('dialog', { name: 'Why this number' });
  await expect(why).toContainText('before the loop sustains itself');
  await why.getByRole('button', { name: 'Close' }).click();
  await page.getByRole('button', { name: 'Keep this network' }).click();
  await expect(page.getByText('The design holds no compensator')).toBeHidden();
  const resistor = page.getByRole('textbox', { name: 'feedback resistor' });
  await resistor.fill('4.2k');
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

test('the Loop of a digital controller: its equation typed, a zero of it dragged, coefficients placed', async ({
  page,
  product,
}) => {
  const answer = await page.request.get(`${product.address}/api${new URL(product.sampleDesign).pathname}`);
  const { document, projectId } = (await answer.json()) as { document: Record<string, unknown>; projectId: string };
  const made = await page.request.post(`${product.address}/api/projects/${projectId}/designs`, {
    data: { name: 'Digital', document: { ...document, decisions: { control: { method: 'digital' } } } },
  });
  const { id } = (await made.json()) as { id: string };
  await page.goto(`${product.address}/designs/${id}/loop`);
  const corners = page.locator('[data-testid=loop-corners] tbody tr');
  await expect(corners).toHaveCount(6);
  const before = await corners.first().innerText();
  const equation = page.getByTestId('difference');
  await expect(equation).toContainText('Decided: two poles and two zeros');

  // every corner follows a zero, and the equation is held when it is let go
  const zero = page.getByRole('slider', { name: 'zero 1 of the equation' });
  await zero.scrollIntoViewIfNeeded();
  const box = (await zero.boundingBox())!;
  await page.mouse.move(box.x + 11, box.y + 11);
  await page.mouse.down();
  await page.mouse.move(box.x - 30, box.y + 11, { steps: 6 });
  await expect.poll(() => corners.first().innerText()).not.toBe(before);
  await page.mouse.up();
  await expect(page.getByRole('button', { name: 'Keep this equation' })).toBeHidden();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect.poll(() => corners.first().innerText()).toBe(before);
  // the parts are chosen anew for it, and then it is the decided one again
  await expect(equation).toContainText('Decided: two poles and two zeros');

  // typed, it is held too; what cannot be is said beside the field
  const first = equation.getByRole('textbox', { name: 'times e[n]', exact: true });
  const was = Number(await first.inputValue());
  await first.fill('many');
  await first.press('Enter');
  await expect(equation.locator('.invalid-feedback')).toBeVisible();
  await first.fill(String(0.9 * was));
  await first.press('Enter');
  await expect(page.getByRole('button', { name: 'Keep this equation' })).toBeHidden();
  await expect.poll(() => corners.first().innerText()).not.toBe(before);
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(first).toHaveValue(String(was));

  await page.getByLabel('form', { exact: true }).selectOption('3p3z');
  await page.getByRole('textbox', { name: 'cross over at' }).fill('12k');
  await page.getByRole('button', { name: 'Place coefficients' }).click();
  await expect(equation.getByRole('status')).toContainText('Placed at');
  await expect(equation.getByRole('textbox', { name: 'times u[n−3]' })).toBeVisible();
});

test('the Loop: views over frequency, a zero that is dragged, a search, and a measurement that is fitted', async ({
  page,
  product,
}) => {
  await page.goto(`${product.sampleDesign}/loop`);
  const corners = page.locator('[data-testid=loop-corners] tbody tr');
  await expect(corners).toHaveCount(6);
  const before = await corners.first().innerText();
  // every corner follows while the zero moves, and the parts are held when it is let go
  const zero = page.getByRole('slider', { name: 'zero of the lead' });
  const box = (await zero.boundingBox())!;
  await zero.click();
  await expect(page.getByText('Decided: type 3')).toBeVisible();
  await page.mouse.move(box.x + 11, box.y + 11);
  await page.mouse.down();
  await page.mouse.move(box.x + 45, box.y + 11, { steps: 6 });
  await expect.poll(() => corners.first().innerText()).not.toBe(before);
  await expect(page.getByRole('button', { name: 'Keep this network' })).toBeVisible();
  await page.mouse.up();
  await expect(page.getByRole('button', { name: 'Keep this network' })).toBeHidden();
  await expect(page.getByRole('textbox', { name: 'lead capacitor' })).not.toHaveValue('');
  // and again, with everything on the page selected: the handle is dragged, not the selection
  await expect.poll(() => corners.first().innerText()).not.toBe(before);
  const once = await corners.first().innerText();
  await page.keyboard.press('Control+a');
  const there = (await zero.boundingBox())!;
  await page.mouse.move(there.x + 11, there.y + 11);
  await page.mouse.down();
  for (const by of [10, 20, 30]) await page.mouse.move(there.x + 11 + by, there.y + 11, { steps: 3 });
  await page.mouse.up();
  await expect.poll(() => corners.first().innerText()).not.toBe(once);
  await page.getByRole('button', { name: 'Undo' }).click();
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect.poll(() => corners.first().innerText()).toBe(before);

  const shown = page.getByLabel('Shown over frequency');
  await shown.selectOption('nyquist');
  await expect(page.getByText('The nearest that any corner comes to −1')).toBeVisible();
  await shown.selectOption('witnesses');
  await expect(page.getByTestId('features')).toContainText('output filter');
  await shown.selectOption('source');
  await expect(page.getByText('above its source where they come nearest')).toBeVisible();
  await shown.selectOption('step');
  await expect(page.getByText(/Both agree|The switching stage moves/u)).toBeVisible();
  await shown.selectOption('ramp');
  await expect(page.getByText('Over the line the crossover drifts by a factor of')).toBeVisible();
  await expect(page.getByTestId('compared').locator('tbody tr')).toHaveCount(6);
  await shown.selectOption('conduction');
  await expect(page.getByTestId('compared')).toContainText('DCM');
  await shown.selectOption('audio');
  await expect(page.getByText('Most comes through at')).toBeVisible();

  await page.getByLabel('zeros and poles', { exact: true }).selectOption('bandwidth');
  await page.getByRole('button', { name: 'Search' }).click();
  await expect(page.getByTestId('searched')).toContainText(/slowest crossover over 18 corners goes from/u);
  await page.getByRole('button', { name: 'Take it' }).click();
  await expect(page.getByRole('textbox', { name: 'feedback resistor' })).not.toHaveValue('');

  await shown.selectOption('measured');
  await page.getByRole('button', { name: 'Run the simulated analyser' }).click();
  await expect(page.getByText('simulated board 1, at')).toBeVisible();
  await page.getByRole('button', { name: 'Fit these' }).click();
  await expect(page.getByTestId('fit')).toContainText('output capacitance');
  await page.getByTestId('measurement').setInputFiles({
    name: 'wrong.csv',
    mimeType: 'text/csv',
    buffer: Buffer.from('freq,gain dB\n1,2\n3,4\n'),
  });
  await expect(page.getByText('wrong.csv: 2 columns, expected three')).toBeVisible();
  await page.getByRole('button', { name: 'Injection sheet' }).click();
  await expect(page.getByTestId('sheet')).toContainText('1 % of the output');
  // what was measured is there again
  await saved(page);
  await page.reload();
  await shown.selectOption('measured');
  await expect(page.getByText('simulated board 1, at')).toBeVisible();
});
