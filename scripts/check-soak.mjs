// npm run check:soak [-- USERS SECONDS]: many at once on few designs, each saving from what it last saw: no update may be
// lost, and every version must be one that someone was told of.
import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import path from 'node:path';
import { newHome, sleep, startIn } from './lib/started.mjs';
import { ensureBuild, ROOT } from './lib/setup.mjs';

const USERS = Number(process.argv[2] ?? 50);
const SECONDS = Number(process.argv[3] ?? 120);
const RAILS = 10;

await ensureBuild();
const { home, remove } = newHome();
const product = await startIn(home);
const document = JSON.parse(readFileSync(path.join(ROOT, 'sample/logic-rail.yundro.json'), 'utf8'));
const project = (await product.call('POST', '/api/projects', { name: 'soak' })).body;
const rails = [];
for (let i = 0; i < RAILS; i += 1)
  rails.push(
    (await product.call('POST', `/api/projects/${project.id}/designs`, { document: { ...document, notes: '0' } })).body
      .id,
  );

const until = performance.now() + SECONDS * 1000;
const told = new Map(rails.map((id) => [id, new Set()]));
let conflicts = 0;
let faults = 0;
const times = [];
/** Each adds one to a count in the notes: a lost update is a count that is short. */
async function user(n) {
  const id = rails[n % RAILS];
  let seen = (await product.call('GET', `/api/designs/${id}`)).body;
  while (performance.now() < until) {
    const start = performance.now();
    const notes = String(Number(seen.document.notes) + 1);
    const answer = await product.call('PUT', `/api/designs/${id}`, {
      version: seen.version,
      document: { ...seen.document, notes },
      save: randomUUID(),
    });
    times.push(performance.now() - start);
    if (answer.status === 200) {
      if (told.get(id).has(answer.body.version)) faults += 1; // two were told of one version
      told.get(id).add(answer.body.version);
      seen = answer.body;
    } else if (answer.status === 409) {
      conflicts += 1;
      seen = answer.body.current;
    } else {
      faults += 1;
      seen = (await product.call('GET', `/api/designs/${id}`)).body ?? seen;
    }
    await sleep(20 + Math.random() * 180);
  }
}
await Promise.all(Array.from({ length: USERS }, (_, n) => user(n)));
let lost = 0;
for (const id of rails) {
  const { body } = await product.call('GET', `/api/designs/${id}`);
  if (Number(body.document.notes) !== told.get(id).size || body.version !== told.get(id).size + 1) lost += 1;
}
await product.stop();
remove();
times.sort((a, b) => a - b);
const saves = [...told.values()].reduce((sum, versions) => sum + versions.size, 0);
process.stdout.write(
  `${USERS} users for ${SECONDS} s: ${saves} saves, ${conflicts} told of another's, ${lost} designs with a lost update, ${faults} faults; ` +
    `median ${times[times.length >> 1].toFixed(0)} ms, 99th percentile ${times[Math.floor(times.length * 0.99)].toFixed(0)} ms\n`,
);
process.exit(lost + faults > 0 ? 1 : 0);
