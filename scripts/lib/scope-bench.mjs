/* global requestAnimationFrame -- what is handed to the page runs there */
// How a run of 100,000 cycles zooms and pans: the time between the browser's frames while each of them moves the view.
import { SAMPLE_DESIGN } from './product.mjs';

const MOVES = 120;

/** ms between frames: median and 95th percentile, zooming by the wheel and panning by hand; and the cycles there are. */
export async function benchScope(browser, address) {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(`${address}${SAMPLE_DESIGN}/scope`);
  const duration = page.getByRole('textbox', { name: 'for', exact: true });
  await duration.fill('250m');
  await duration.press('Enter');
  // the whole run is there once its end is told
  await page.getByText('250 ms').first().waitFor({ timeout: 120_000 });
  await page.waitForTimeout(3000);
  const plot = page.locator('[data-testid=plot] canvas').first();
  const box = await plot.boundingBox();
  const [x, y] = [box.x + box.width * 0.6, box.y + box.height * 0.3];
  const framesWhile = async (move) => {
    await page.evaluate(() => {
      globalThis.frames_ = [];
      globalThis.watching_ = true;
      const tick = (now) => {
        globalThis.frames_.push(now);
        if (globalThis.watching_) requestAnimationFrame(tick);
      };
      requestAnimationFrame(tick);
    });
    for (let i = 0; i < MOVES; i += 1) {
      await move(i);
      await page.waitForTimeout(12);
    }
    const frames = await page.evaluate(() => {
      globalThis.watching_ = false;
      return globalThis.frames_;
    });
    const gaps = frames
      .slice(1)
      .map((now, k) => now - frames[k])
      .sort((a, b) => a - b);
    const part = (of) => gaps[Math.min(gaps.length - 1, Math.floor(gaps.length * of))];
    return { median: part(0.5), slow: part(0.95) };
  };
  await page.mouse.move(x, y);
  // nearer and farther again, down to single cycles
  const zooming = await framesWhile((i) => page.mouse.wheel(0, Math.floor(i / 12) % 2 === 0 ? -120 : 120));
  for (let i = 0; i < 6; i += 1) await page.mouse.wheel(0, -120);
  await page.keyboard.down('Shift');
  await page.mouse.down();
  const drawn = () => plot.evaluate((canvas) => canvas.toDataURL());
  const before = await drawn();
  await page.mouse.move(x + 90, y, { steps: 5 });
  await page.waitForTimeout(200);
  if ((await drawn()) === before) throw new Error('the view of 100,000 cycles does not pan');
  const panning = await framesWhile((i) => page.mouse.move(x + 200 * Math.sin(i / 15), y));
  await page.mouse.up();
  await page.keyboard.up('Shift');
  await page.close();
  return { zooming, panning };
}
