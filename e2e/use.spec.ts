import { readFileSync } from 'node:fs';
import { margin, put, saved, tape } from './page.ts';
import { expect, test } from './product.ts';

test('opens the sample, scrubs the frequency and everything follows; a restart finds it as it was', async ({
  page,
  product,
}) => {
  await page.goto(product.address);
  const late = page.locator('[data-testid=late-rail]');
  await expect(late).toHaveCount(6);
  await expect(late.filter({ hasText: 'Logic rail' })).toContainText(/18–32\sV → 3\.3\sV, 6\sA/u);
  await expect(late.filter({ hasText: 'Logic rail' }).locator('[data-testid=rail-verdict]')).toContainText(/\d+ met/u);
  await page.getByRole('link', { name: 'Tide-pool observatory' }).click();
  await expect(page.locator('[data-testid=tree-source]').first()).toContainText(/4\.\d+.A/u);
  await page.getByRole('link', { name: /Logic rail/u }).click();
  const frequency = tape(page, 'Frequency');
  await expect(frequency).toHaveAttribute('aria-valuetext', /400.kHz/u);
  await expect(frequency.locator('[data-testid=forbids]')).toContainText(['on-time under 80']);
  const schematic = page.locator('[data-testid=schematic]');
  await expect(schematic).toContainText('1.55 A p-p'.replace(' A', '\u00a0A'));
  const before = await margin(page, 'Output ripple').innerText();

  const box = (await frequency.boundingBox())!;
  await page.mouse.move(box.x + box.width * 0.5, box.y + 26);
  await page.mouse.down();
  await page.mouse.move(box.x + box.width * 0.62, box.y + 26, { steps: 8 });
  await expect(schematic).not.toContainText('1.55\u00a0A p-p');
  await page.mouse.up();
  await expect(frequency).not.toHaveAttribute('aria-valuetext', /400/u);
  await expect(margin(page, 'Output ripple')).not.toHaveText(before);
  await saved(page);
  // the last of a drag’s values arrives a moment after the hand lets go
  const after = await frequency.getAttribute('aria-valuetext');

  // one drag is one step of the history
  await page.keyboard.press('Control+z');
  await expect(frequency).toHaveAttribute('aria-valuetext', /400.kHz/u);
  await page.keyboard.press('Control+Shift+z');
  await expect(frequency).toHaveAttribute('aria-valuetext', after!);

  // a second drag, right over the ticks, goes on as the first did
  await page.mouse.move(box.x + box.width * 0.62, box.y + 40);
  await page.mouse.down();
  const seen = new Set<string | null>();
  for (let i = 1; i <= 12; i += 1) {
    await page.mouse.move(box.x + box.width * (0.62 - 0.02 * i), box.y + 40);
    await page.waitForTimeout(60);
    seen.add(await frequency.getAttribute('aria-valuetext'));
  }
  await page.mouse.up();
  expect(seen.size).toBeGreaterThan(6);
  await page.keyboard.press('Control+z');
  await expect(frequency).toHaveAttribute('aria-valuetext', after!);
  await saved(page);
  expect(await product.stop()).toBe(0);
  await product.start();
  await page.reload();
  await expect(frequency).toHaveAttribute('aria-valuetext', after!);
});

test('the brief: wrong entries are marked with what would be right, good ones re-solve and are kept', async ({
  page,
  product,
}) => {
  await page.goto(`${product.sampleDesign}/brief`);
  const highest = page.getByLabel('Maximum', { exact: true });
  await highest.fill('32x');
  await expect(page.locator('.invalid-feedback')).toContainText('"x" is neither a prefix');
  await expect(page.locator('.invalid-feedback')).toContainText('Still in force: 32 V');
  await highest.press('Escape');
  await expect(highest).toHaveValue('32 V');
  // a range is judged as one: out of order it waits and says so, in order it takes force, as one step
  await highest.fill('20');
  await highest.press('Enter');
  await expect(page.locator('.invalid-feedback').last()).toContainText('Below nominal');
  await highest.fill('36');
  await highest.press('Enter');
  await expect(page.locator('.invalid-feedback')).toHaveCount(0);
  await expect(margin(page, 'Control switch')).toContainText('36');
  await page
    .locator('h1')
    .first()
    .evaluate(() => (document.activeElement as HTMLElement).blur());
  await page.keyboard.press('Control+z');
  await expect(highest).toHaveValue('32 V');
  await page.keyboard.press('Control+Shift+z');
  await expect(highest).toHaveValue('36 V');
  await page.getByLabel('Voltage', { exact: true }).fill('5V0');
  await page.getByLabel('Voltage', { exact: true }).blur();
  await saved(page);
  await page.reload();
  await expect(page.getByLabel('Maximum', { exact: true })).toHaveValue('36 V');
  await expect(page.getByLabel('Voltage', { exact: true })).toHaveValue('5 V');
  // what a value is of, and what it is, may be typed with it
  const ripple = page.getByRole('group', { name: 'Output' }).getByLabel('Ripple allowed, p-p');
  await ripple.fill('1 %');
  await ripple.press('Enter');
  await expect(ripple).toHaveValue('50 mV');
  await ripple.fill('33mVpp');
  await ripple.press('Enter');
  await expect(ripple).toHaveValue('33 mV');
  // a sign says on which side of return the output stands
  await page.getByLabel('Voltage', { exact: true }).fill('-9V');
  await page.getByLabel('Voltage', { exact: true }).press('Enter');
  await expect(page.getByLabel('Output polarity')).toHaveValue('negative');
  await expect(page.getByLabel('Voltage', { exact: true })).toHaveValue('9 V');
  await expect(page.getByRole('link', { name: 'Topology' })).toContainText('inverting');
  await page.getByRole('button', { name: 'Undo' }).click();
  // the free topology follows the brief
  await page.getByLabel('Voltage', { exact: true }).fill('30');
  await page.getByLabel('Voltage', { exact: true }).press('Enter');
  await expect(page.getByRole('link', { name: 'Topology' })).toContainText('four-switch');
});

test('held stays, free follows; arrow keys step; every number says why', async ({ page, product }) => {
  await page.goto(`${product.sampleDesign}/stage`);
  const inductance = tape(page, 'Inductance');
  await inductance.focus();
  await page.keyboard.press('ArrowRight');
  await expect(inductance).toHaveAttribute('aria-valuetext', /5.6.µH/u);
  const hold = page.getByRole('button', { name: 'Hold inductance' });
  await expect(hold).toHaveAttribute('aria-pressed', 'true');
  await page.keyboard.press('h');
  await expect(hold).toHaveAttribute('aria-pressed', 'false');
  await expect(page.locator('[data-decision="inductor.inductance"] [data-testid=rule]')).toContainText(
    'free: 30 % ripple',
  );
  await expect(inductance).not.toHaveAttribute('aria-valuetext', /5.6.µH/u);

  // a value typed on the tape itself, a wrong one refused; ends and large steps by key
  const frequency = tape(page, 'Frequency');
  await frequency.focus();
  await page.keyboard.type('6x');
  await page.keyboard.press('Enter');
  await expect(page.locator('[data-decision="switchingFrequency"] .invalid-feedback')).toBeVisible();
  await page.keyboard.press('Backspace');
  await page.keyboard.type('00k');
  await page.keyboard.press('Enter');
  await expect(frequency).toHaveAttribute('aria-valuetext', /600.kHz/u);
  await expect(frequency).toBeFocused();
  await page.keyboard.press('PageDown');
  await expect(frequency).toHaveAttribute('aria-valuetext', /470.kHz/u);
  await page.keyboard.press('Home');
  await expect(frequency).toHaveAttribute('aria-valuetext', /50.kHz/u);
  await expect(frequency).toHaveAccessibleDescription(/missed from .* to .*: on-time under/u);
  await page.keyboard.type('400k');
  await page.keyboard.press('Enter');

  await margin(page, 'Inductor peak').click();
  const why = page.getByRole('dialog', { name: 'Why this number' });
  await expect(why).toContainText('Inductor peak');
  await expect(why.locator('.katex-html').first()).toBeVisible();
  await expect(why).toContainText('Source: Erickson');
  await why
    .getByRole('button', { name: /Inductor ripple/u })
    .first()
    .click();
  await expect(why.getByRole('heading')).toHaveText('Inductor ripple, peak to peak');
  await expect(why.getByRole('heading')).toBeFocused();
  await page.keyboard.press('Escape');
  await expect(why).toBeHidden();
  await expect(margin(page, 'Inductor peak')).toBeFocused();

  await page.locator('[data-testid=schematic] [data-why="controlRms"]').click();
  await expect(why.getByRole('heading')).toHaveText('Control switch RMS');
  await page.keyboard.press('Escape');

  const cursor = page.getByRole('slider', { name: /Cursor over Waveforms/u });
  await cursor.hover();
  await expect(page.locator('[data-testid=readout]')).toContainText(/cursor\s*2\.\d+.µs/u);
});

test('the address holds the corner and the waveforms shown; what is missed is let go of by pressing it', async ({
  page,
  product,
}) => {
  await page.goto(`${product.sampleDesign}/stage?vin=18&iout=0.3&show=il.vo`);
  const corner = page.getByLabel('Corner in view');
  await expect(corner.locator('option:checked')).toHaveText(/18\sV, 300\smA/u);
  const shown = page.getByRole('group', { name: 'Waveforms shown' }).locator('[aria-pressed="true"]');
  await expect(shown).toHaveText(['inductor', 'output ripple']);
  await corner.selectOption({ label: '32\u00a0V, 6\u00a0A' });
  await page.getByRole('button', { name: 'input bank', exact: true }).click();
  const main = page.getByRole('main');
  await page.getByTestId('corners').waitFor();
  const scrolled = await main.evaluate(async (place) => {
    place.scrollTo({ top: 500, behavior: 'instant' });
    // a hand is seen to have scrolled at the next frame
    await new Promise((seen) => requestAnimationFrame(() => requestAnimationFrame(seen)));
    return place.scrollTop;
  });
  expect(scrolled).toBeGreaterThan(300);
  await page.keyboard.press('b');
  await expect(page).toHaveURL(/\/brief\?vin=32&iout=6&show=il\.vo\.ci/u);
  await expect.poll(() => main.evaluate((place) => place.scrollTop)).toBe(0);
  await page.keyboard.press('s');
  // a rung is found where it was left
  await expect.poll(() => main.evaluate((place, was) => Math.abs(place.scrollTop - was), scrolled)).toBeLessThan(40);
  await page.reload();
  await expect(corner.locator('option:checked')).toHaveText(/32\sV, 6\sA/u);
  await expect(shown).toHaveCount(3);

  const bank = tape(page, 'Output bank');
  await bank.focus();
  await page.keyboard.press('Home');
  await expect(bank).toHaveAttribute('aria-valuetext', /^1 ×/u);
  await page
    .locator('[data-testid=margin][data-verdict=missed] [data-testid=advice] p', {
      hasText: 'let go of the output bank',
    })
    .first()
    .getByRole('button', { name: 'try' })
    .click();
  await expect(page.locator('[data-testid=margin][data-verdict=missed]')).toHaveCount(0);
  await expect(bank).toHaveAttribute('aria-valuetext', /^5 × 31/u);
  await saved(page);
});

test('topologies side by side: what rules one out is said, the choice and its reason are kept', async ({
  page,
  product,
}) => {
  await page.goto(`${product.sampleDesign}/topology`);
  const table = page.locator('[data-testid=comparison]');
  await expect(table).toContainText('A boost cannot hold 3.3 V from 32 V'.replace(/(\d) V/gu, '$1\u00a0V'));
  await expect(table.getByRole('columnheader', { name: /Linear regulator/u })).toBeVisible();
  await expect(page.locator('[data-testid=plot] canvas')).toHaveCount(5);
  // a buck asked to step up, or a boost to step down, says so and is still solved as far as it can be
  await page.getByRole('button', { name: 'Choose boost' }).click();
  await expect(margin(page, 'Output not above')).toBeVisible();
  await page.getByRole('button', { name: 'Choose four-switch buck-boost' }).click();
  const reason = page.getByLabel('Why this one');
  await reason.fill('The bus may one day sag below the rail.');
  await reason.press('Enter');
  await saved(page);
  await page.reload();
  await expect(reason).toHaveValue('The bus may one day sag below the rail.');
  await page.getByRole('link', { name: 'Stage' }).click();
  await expect(page.getByRole('group', { name: /Schematic.*four-switch/u })).toBeVisible();
  await page.getByRole('button', { name: 'second switch node' }).click();
  await expect(page.getByRole('button', { name: 'second switch node' })).toHaveAttribute('aria-pressed', 'false');
  await page.getByRole('button', { name: 'balance areas' }).click();
  await expect(page.locator('[data-testid=balance]')).toContainText('V·s');
  await page.getByRole('button', { name: 'Tape of winding resistance' }).click();
  await expect(tape(page, 'Winding resistance')).toBeVisible();
});

test('phases by key, coupled, to eight; every part of the drawing is reached by keyboard', async ({
  page,
  product,
}) => {
  await page.goto(`${product.address}/designs/0b5e7a1e-0000-4000-8000-000000000016/stage`);
  const phases = tape(page, 'Phases');
  await phases.focus();
  for (let i = 0; i < 4; i += 1) await page.keyboard.press('ArrowRight');
  await expect(phases).toHaveAttribute('aria-valuetext', '8');
  await expect(page.getByRole('button', { name: /^Phase \d/u })).toHaveCount(7);
  await page.getByRole('button', { name: /^Phase 8.*pair 4/u }).focus();
  await page.keyboard.press('Enter');
  await expect(page.getByRole('button', { name: 'Hold phases' })).toBeFocused();
  await page.getByLabel('Coupling', { exact: true }).selectOption('direct one-core');
  await expect(page.locator('[data-testid=schematic]')).toContainText('direct coupling 0.5');
  await expect(page.getByText('No pulses')).toBeHidden();
});

test('sweeps over load, line and duty; critical conduction finds its valley; what is hidden never scrolls the page', async ({
  page,
  product,
}) => {
  await page.goto(`${product.address}/designs/0b5e7a1e-0000-4000-8000-000000000014/stage`);
  const sweep = page.getByRole('region', { name: 'Light-load policies' });
  await expect(sweep.getByRole('slider', { name: /one curve for each light-load policy/iu })).toBeVisible();
  await sweep.getByLabel('Axis', { exact: true }).selectOption('duty');
  await sweep.getByLabel('Quantity drawn').selectOption('outputRipple');
  // the last stretch of a long answer
  await expect(sweep.getByText('at 600 mA')).toBeVisible();
  await sweep.evaluate((panel) => panel.scrollIntoView());
  expect(await page.evaluate(() => window.scrollY)).toBe(0);
  await expect(page.getByRole('link', { name: 'Tide-pool observatory' })).toBeInViewport();

  await page.getByLabel('Conduction', { exact: true }).selectOption('critical');
  await expect(
    page.getByText(/Critical conduction: the frequency runs from .* to .* over these corners/u),
  ).toBeVisible();
  await page.getByLabel('Switch-node capacitance', { exact: true }).fill('220p');
  await page.keyboard.press('Enter');
  const valley = page.locator('[data-decision="critical.valleyCurrent"]');
  await expect(valley.locator('[data-testid=rule]')).toHaveText(/what swings the node over at 32\sV/u);
  await expect(valley.getByLabel('Negative valley current', { exact: true })).not.toHaveValue('');
  await expect(page.getByText(/Zero-voltage switching is lost/u)).toHaveCount(0);
  await saved(page);
});

test('plots over one axis share stretch and cursors; what is seen is handed over as PNG, SVG and CSV', async ({
  page,
  product,
}) => {
  await page.goto(`${product.sampleDesign}/topology`);
  const plots = page.getByRole('slider', { name: /^Cursor over/u });
  await expect(plots).toHaveCount(5);
  await plots.first().evaluate((plot) => plot.scrollIntoView({ block: 'center' }));
  const box = (await plots.first().boundingBox())!;
  const x = (part: number): number => box.x + 50 + (box.width - 60) * part;
  await page.mouse.move(x(0.2), box.y + 90);
  await page.mouse.down();
  await page.mouse.move(x(0.6), box.y + 90, { steps: 4 });
  await page.mouse.up();
  const narrow = await plots.nth(2).getAttribute('aria-valuemax');
  expect(Number(narrow)).toBeGreaterThan(0.5);
  expect(Number(narrow)).toBeLessThan(0.7);
  // a cursor that stays and one that moves: every plot of the axis reads both
  await page.mouse.click(x(0.3), box.y + 90);
  await page.mouse.move(x(0.8), box.y + 90);
  await expect(page.locator('[data-testid=plot]').nth(2)).toContainText(/duty .*Δ (?:19|2\d)/u);
  const handed = async (form: string): Promise<string> => {
    await page.getByRole('button', { name: /^Copy or save Conversion ratio/u }).click();
    const [file] = await Promise.all([
      page.waitForEvent('download'),
      page.getByRole('button', { name: `Save as ${form}` }).click(),
    ]);
    expect(file.suggestedFilename()).toBe(`conversion-ratio-of-the-buck.${form.toLowerCase()}`);
    return readFileSync(await file.path(), 'latin1');
  };
  expect((await handed('PNG')).slice(1, 4)).toBe('PNG');
  const drawing = await handed('SVG');
  expect(drawing).toContain('output over input');
  expect(drawing.match(/<path/gu)!.length).toBeGreaterThan(6);
  const rows = (await handed('CSV')).trim().split(/\r?\n/u);
  expect(rows[0]).toBe('duty (1),ideal,duty (1),with resistances and drops,duty (1),the corners');
  const places = rows.slice(1).map((row) => Number(row.split(',')[0]));
  expect(Math.max(...places)).toBeLessThanOrEqual(Number(narrow));
  await plots.first().focus();
  await page.keyboard.press('0');
  await expect(plots.first()).toHaveAttribute('aria-valuemax', '1');
});

test('a bank is composed kind by kind, a boost leg given its own switches; each entry is one step back', async ({
  page,
  product,
}) => {
  await page.goto(`${product.address}/designs/0b5e7a1e-0000-4000-8000-000000000015/stage`);
  const bank = page.getByRole('group', { name: 'Output bank', exact: true });
  const kinds = bank.locator('tbody tr');
  await kinds.first().waitFor();
  const before = await kinds.count();
  await bank.getByRole('button', { name: 'Add a kind' }).click();
  await expect(kinds).toHaveCount(before + 1);
  await bank.getByLabel(`Output bank, kind ${before + 1}, ESR`).fill('12m');
  await page.keyboard.press('Enter');
  await bank.getByLabel(`Output bank, kind ${before + 1}, count`).fill('2.5');
  await page.keyboard.press('Enter');
  await expect(bank).toContainText('A whole number from 1 to 10000 is needed here.');
  await page.keyboard.press('Escape');
  await expect(bank.locator('[data-testid=rule]')).toHaveText('held');
  await page.getByLabel('Boost rectifier', { exact: true }).selectOption('diode');
  await page.getByLabel('Boost rectifier, forward voltage', { exact: true }).fill('0.5');
  await page.keyboard.press('Enter');
  await expect(page.locator('[data-testid=schematic]')).toContainText('diode 500');
  for (let i = 0; i < 4; i += 1) await page.getByRole('button', { name: 'Undo' }).click();
  await expect(kinds).toHaveCount(before);
});

test('any number of windows of one browser work: a stream to the server is one of them’s, and the next one’s when it goes', async ({
  page,
  product,
}) => {
  const windows = [page];
  // a browser gives a server six connections
  for (let k = 0; k < 7; k += 1) windows.push(await page.context().newPage());
  for (const one of windows) await one.goto(`${product.sampleDesign}/brief`);
  const [first, second] = [windows[0]!, windows[1]!];
  const last = windows.at(-1)!;
  await put(last, '5.5');
  await saved(last);
  await expect(first.getByRole('textbox', { name: 'Full load' })).toHaveValue('5.5 A');
  await first.close();
  await put(last, '5.6');
  await saved(last);
  await expect(second.getByRole('textbox', { name: 'Full load' })).toHaveValue('5.6 A');
});

test('two windows on one design: the second shows the first’s save, is asked where both changed, and its choice stands', async ({
  browser,
  product,
}) => {
  const [one, two] = await Promise.all([browser.newPage(), browser.newPage()]);
  await Promise.all([one, two].map((p) => p.goto(`${product.sampleDesign}/brief`)));
  await put(one, '5.5');
  await saved(one);
  await expect(two.getByLabel('Full load')).toHaveValue('5.5 A');
  await expect(two.locator('[data-testid=save]')).toContainText('another window saved');
  // both change it before either hears of the other
  await two.route('**/api/designs/**', (route) => route.abort());
  await put(two, '4');
  await expect(two.locator('[data-testid=save]')).toContainText('not saved');
  await put(one, '5');
  await saved(one);
  await two.unroute('**/api/designs/**');
  const dialog = two.getByRole('dialog');
  await expect(dialog).toContainText('changed elsewhere');
  await expect(dialog.getByRole('row', { name: /Full load/u })).toContainText(/4.*5/u);
  await dialog.getByRole('button', { name: 'Keep the one here' }).click();
  await saved(two);
  await expect(one.getByLabel('Full load')).toHaveValue('4 A');
  await one.reload();
  await expect(one.getByLabel('Full load')).toHaveValue('4 A');
});

test('what can be pressed on a project’s page stands where it stood when its rails come to be solved', async ({
  page,
  product,
}) => {
  await page.addInitScript(() => {
    const places = new Set<number>();
    Object.assign(window, { places });
    const look = (): void => {
      const list = document.querySelector('[aria-label="Rails"]');
      if (list) places.add(Math.round(list.getBoundingClientRect().top));
      requestAnimationFrame(look);
    };
    look();
  });
  await page.goto(product.sampleProject);
  await expect(page.locator('[data-testid=tree-source]').first()).toContainText(/4\.\d+.A/u);
  await expect(page.getByLabel('Power tree')).not.toContainText('being solved');
  const places = await page.evaluate(() => [...(window as unknown as { places: Set<number> }).places]);
  expect(Math.max(...places) - Math.min(...places)).toBeLessThanOrEqual(3);
});

test('a rail is copied, removed with a way back, and an old state of it restored', async ({ page, product }) => {
  await page.goto(`${product.sampleDesign}/brief`);
  await put(page, '5');
  await saved(page);
  await page.getByRole('link', { name: 'Revisions' }).click();
  const list = page.getByLabel('Revisions, the newest first');
  await expect(list.getByRole('button').first()).toContainText('Full load: 6 A → 5 A'.replace(/ A/gu, '\u00a0A'));
  await list.getByRole('button').nth(1).click();
  await page.getByLabel('Name of version 1').fill('as briefed');
  await page.getByRole('button', { name: 'Name it' }).click();
  await expect(list.getByRole('button').nth(1)).toContainText('as briefed');
  await page.getByRole('button', { name: 'Restore as a new revision' }).click();
  await expect(page.locator('[data-testid=schematic]')).toContainText('6\u00a0A');
  await page.goto(product.sampleProject);
  const rails = page.getByLabel('Rails', { exact: true });
  await rails.getByRole('button', { name: 'Duplicate Logic rail' }).click();
  await expect(rails).toContainText('Logic rail, copy');
  await rails.getByRole('button', { name: 'Remove Logic rail, copy' }).click();
  await expect(rails).not.toContainText('Logic rail, copy');
  await page.getByRole('button', { name: 'Undo' }).click();
  await expect(rails).toContainText('Logic rail, copy');
});

test('the server goes away under an open page and comes back: nothing is lost', async ({ page, product }) => {
  await page.goto(`${product.sampleDesign}/brief`);
  await put(page, '5');
  await saved(page);
  // what solves has come over with the page by now
  await expect(margin(page, 'Inductor peak')).toBeVisible();
  await product.stop();
  await put(page, '4.5');
  await expect(page.locator('[data-testid=save]')).toContainText('not saved: the server is away');
  await expect(margin(page, 'Inductor peak')).toContainText('5.3');
  // a browser without room says that it keeps nothing either, and leaving is asked about
  await page.evaluate(() => {
    Storage.prototype.setItem = () => {
      throw new DOMException('full', 'QuotaExceededError');
    };
  });
  await put(page, '4.5');
  await put(page, '4.6');
  await expect(page.locator('[data-testid=save]')).toContainText('this browser has no room to keep it');
  await page.getByRole('link', { name: 'Yundro' }).first().click();
  await expect(page.getByRole('dialog')).toContainText('kept nowhere yet');
  await page.getByRole('button', { name: 'Stay' }).click();
  await expect(page.getByLabel('Full load')).toHaveValue('4.6 A');
  await product.start();
  await saved(page);
  await page.reload();
  await expect(page.getByLabel('Full load')).toHaveValue('4.6 A');
});

test('export gives the design’s file, import takes one in or says what is wrong with it', async ({ page, product }) => {
  await page.goto(`${product.sampleDesign}/stage`);
  const [file] = await Promise.all([
    page.waitForEvent('download'),
    page.getByRole('button', { name: 'Export' }).click(),
  ]);
  expect(file.suggestedFilename()).toBe('logic-rail.yundro.json');
  const document = JSON.parse(readFileSync(await file.path(), 'utf8')) as { decisions: { switchingFrequency: number } };
  expect(document.decisions.switchingFrequency).toBe(400000);
  const put = (name: string, text: string) =>
    page
      .getByLabel('Design file to import')
      .setInputFiles({ name, mimeType: 'application/json', buffer: Buffer.from(text) });
  await put('bad.json', JSON.stringify({ ...document, decisions: { switchingFrequency: -1 } }));
  await expect(page.getByRole('alert')).toContainText(
    'decisions.switchingFrequency found -1, expected a number above 0',
  );
  await expect(tape(page, 'Frequency')).toHaveAttribute('aria-valuetext', /400/u);
  await put(
    'good.json',
    JSON.stringify({ ...document, decisions: { ...document.decisions, switchingFrequency: 250000 } }),
  );
  await expect(tape(page, 'Frequency')).toHaveAttribute('aria-valuetext', /250/u);
  await saved(page);
});
