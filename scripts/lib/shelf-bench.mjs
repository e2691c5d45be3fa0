/* global document, HTMLInputElement, requestAnimationFrame -- what is handed to the page runs there */
// How the shelf keeps up with 20,000 parts: the server's filtered page, and the page's table as a word is typed.

const COUNT = 20_000;
const TIMES = 25;
const median = (list) => list.sort((a, b) => a - b)[Math.floor(list.length / 2)];

/** @returns ms, medians: the server's answer, and from a keystroke to the drawing of the table */
export async function benchShelf(browser, address) {
  const page = await browser.newPage({ viewport: { width: 1280, height: 800 } });
  await page.goto(`${address}/shelf`);
  const [own] = (await page.getByText(/^[1-9]\d* of \d+$/u).textContent()).match(/\d+$/u);
  const answered = await page.evaluate(
    async ({ count, times }) => {
      const parts = Array.from({ length: count }, (_, i) => ({
        kind: 'mosfet',
        id: `bench-${i}`,
        name: `${20 + (i % 40) * 5} V bench ${i % 2 ? 'odd' : 'even'} ${i}`,
        voltageRating: 20 + (i % 40) * 5,
        onResistance: 1e-3 * 1.0002 ** i,
        cost: 0.1 + (i % 97) / 50,
      }));
      const taken = await fetch('/api/shelf/parts', {
        method: 'POST',
        headers: { 'Content-Type': 'application/x-ndjson' },
        body: parts.map((part) => JSON.stringify(part)).join('\n'),
      });
      if (!taken.ok) throw new Error(`the shelf took no parts: ${taken.status}`);
      const waits = [];
      for (let i = 0; i < times; i += 1) {
        const from = performance.now();
        const answer = await fetch(`/api/shelf/parts?kind=mosfet&words=bench+${i}&limit=100`, { cache: 'no-store' });
        await answer.json();
        waits.push(performance.now() - from);
      }
      return waits;
    },
    { count: COUNT, times: TIMES },
  );
  await page.reload();
  await page.getByText(`of ${COUNT + Number(own)}`).waitFor();
  const drawn = await page.evaluate(async (times) => {
    const field = document.querySelector('#shelf-search');
    const set = Object.getOwnPropertyDescriptor(HTMLInputElement.prototype, 'value').set;
    const waits = [];
    for (let i = 0; i < times; i += 1) {
      const before = document.querySelector('[data-testid=shelf-table] tbody').textContent;
      const from = performance.now();
      set.call(field, `onResistance > ${1.5 + (i % 5) * 3}m && voltageRating >= ${40 + 5 * i}`);
      field.dispatchEvent(new Event('input', { bubbles: true }));
      while (document.querySelector('[data-testid=shelf-table] tbody').textContent === before) {
        await new Promise((resolve) => requestAnimationFrame(resolve));
        if (performance.now() - from > 3000) break;
      }
      waits.push(performance.now() - from);
      await new Promise((resolve) => setTimeout(resolve, 120));
    }
    return waits;
  }, TIMES);
  await page.close();
  return { answered: median(answered), drawn: median(drawn) };
}
