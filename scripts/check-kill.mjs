// npm run check:kill [-- ROUNDS]: server, single backends, postmaster and the whole group killed under saves. Nothing that
// was acknowledged may be lost, and it must come back each time without help.
import { randomUUID } from 'node:crypto';
import { readFileSync } from 'node:fs';
import path from 'node:path';
import { say } from './lib/say.mjs';
import { backendsOf, newHome, processesOf, sleep, startIn } from './lib/started.mjs';
import { ensureBuild, ROOT } from './lib/setup.mjs';

const ROUNDS = Number(process.argv[2] ?? 200);
const WRITERS = 4;
const BACK_WITHIN = 60_000;
const VICTIMS = ['server', 'backend', 'postmaster', 'group'];

await ensureBuild();
const { home, remove } = newHome();
const document = JSON.parse(readFileSync(path.join(ROOT, 'sample/logic-rail.yundro.json'), 'utf8'));
let product = await startIn(home);
const project = (await product.call('POST', '/api/projects', { name: 'kill' })).body;
const rails = [];
for (let i = 0; i < WRITERS; i += 1) {
  const made = await product.call('POST', `/api/projects/${project.id}/designs`, { document });
  rails.push({ id: made.body.id, version: 1, acknowledged: 0, name: document.name });
}

let writing = true;
let refused = 0;
async function write(rail) {
  let n = 0;
  while (writing) {
    n += 1;
    const name = `${rail.id.slice(0, 4)} ${n}`;
    const save = randomUUID();
    // the same save until it is known: as the page does
    for (let sent = false; !sent;) {
      const answer = await product.call('PUT', `/api/designs/${rail.id}`, {
        version: rail.version,
        document: { ...document, name },
        save,
      });
      if (answer.status === 200) {
        Object.assign(rail, { version: answer.body.version, name, acknowledged: rail.acknowledged + 1 });
        sent = true;
      } else if (answer.status === 409) {
        refused += 1;
        rail.version = answer.body.current.version;
        sent = true;
      } else await sleep(50);
    }
  }
}
const writers = rails.map(write);
let lost = 0;
let failed = 0;
const waits = [];
try {
  for (let round = 0; round < ROUNDS; round += 1) {
    await sleep(200 + Math.random() * 600);
    const victim = VICTIMS[round % VICTIMS.length];
    const { server, postmaster } = processesOf(home, product.child.pid);
    const before = rails.map(({ id, version, name }) => ({ id, version, name }));
    const kill = (pid) => {
      try {
        if (pid) process.kill(pid, 'SIGKILL');
      } catch {
        // ended meanwhile
      }
    };
    const start = performance.now();
    if (victim === 'server') kill(server);
    if (victim === 'backend') kill(backendsOf(postmaster)[0]);
    if (victim === 'postmaster') kill(postmaster);
    if (victim === 'group') {
      for (const pid of [product.child.pid, server, postmaster]) kill(pid);
      await product.ended;
      try {
        product = await startIn(home);
      } catch (error) {
        failed += 1;
        say(`round ${round}: ${error.message}`);
        break;
      }
    }
    let back = false;
    while (!back && performance.now() - start < BACK_WITHIN) {
      back = (await product.call('GET', `/api/designs/${rails[0].id}`)).status === 200;
      if (!back) await sleep(50);
    }
    waits.push(performance.now() - start);
    if (!back) {
      failed += 1;
      say(`round ${round}: not back after the ${victim} was killed`);
      break;
    }
    for (const { id, version, name } of before) {
      // a killed database's last connections may still answer once: it is asked until it answers for good
      let kept = { status: 0 };
      for (let tries = 0; tries < 200 && kept.status !== 200 && kept.status !== 404; tries += 1) {
        if (tries > 0) await sleep(50);
        kept = await product.call('GET', `/api/designs/${id}/revisions/${version}`);
      }
      if (version > 1 && kept.body?.document?.name !== name) {
        lost += 1;
        say(
          `round ${round}: version ${version} of ${id} was acknowledged as "${name}" and is ${JSON.stringify(kept.body?.document?.name)}`,
        );
      }
    }
    if (round % 20 === 19) say(`${round + 1} kills, ${lost} lost`);
  }
} finally {
  writing = false;
  await Promise.race([Promise.all(writers), sleep(15_000)]);
  await product.stop();
  remove();
}
waits.sort((a, b) => a - b);
const saves = rails.reduce((sum, { acknowledged }) => sum + acknowledged, 0);
process.stdout.write(
  `${waits.length} kills under ${saves} acknowledged saves: ${lost} lost, ${refused} met a conflict with themselves, ${failed} starts failed; ` +
    `back in ${(waits[Math.floor(waits.length / 2)] / 1000).toFixed(1)} s at the median, ${(waits.at(-1) / 1000).toFixed(1)} s at most\n`,
);
process.exit(lost + failed + refused > 0 ? 1 : 0);
