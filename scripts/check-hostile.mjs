// npm run check:hostile [-- COUNT]: requests that no page sends: no 5xx, none over two seconds, memory below 400 MB.
import { readFileSync } from 'node:fs';
import http from 'node:http';
import path from 'node:path';
import fc from 'fast-check';
import { newHome, processesOf, startIn } from './lib/started.mjs';
import { ensureBuild, ROOT } from './lib/setup.mjs';

const COUNT = Number(process.argv[2] ?? 20_000);
const AT_ONCE = 8;
const DESIGN = '0b5e7a1e-0000-4000-8000-000000000011';
const PROJECT = '0b5e7a1e-0000-4000-8000-000000000001';

await ensureBuild();
const { home, remove } = newHome();
const product = await startIn(home);
const { port } = new URL(product.address);
const document = JSON.parse(readFileSync(path.join(ROOT, 'sample/logic-rail.yundro.json'), 'utf8'));

const odd = fc.oneof(
  fc.string({ unit: 'binary', maxLength: 40 }),
  fc.constantFrom(
    '',
    '\0',
    '\ud800',
    "1';drop table designs;--",
    '../../etc/passwd',
    '%00',
    '__proto__',
    'NaN',
    '1e999',
  ),
);
const segment = fc.oneof(
  fc.constantFrom(
    'projects',
    'designs',
    'revisions',
    'removed',
    'events',
    'health',
    'schema',
    DESIGN,
    PROJECT,
    '1',
    '-1',
    '99999999999',
  ),
  odd.map((text) => encodeURIComponent(text.toWellFormed())),
);
const target = fc.oneof(
  fc.constantFrom(
    `/api/designs/${DESIGN}`,
    `/api/projects/${PROJECT}/designs`,
    '/api/projects',
    `/api/designs/${DESIGN}/revisions/1`,
  ),
  fc.array(segment, { minLength: 0, maxLength: 4 }).map((parts) => `/api/${parts.join('/')}`),
  fc.array(segment, { maxLength: 2 }).map((parts) => `/${parts.join('/')}`),
);
/** the sample with one place made wrong, or much of something */
const broken = fc
  .record({
    path: fc.constantFrom('brief', 'decisions', 'name', 'notes', 'version', 'format', 'extra'),
    value: fc.oneof(fc.jsonValue({ maxDepth: 4 }), odd, fc.double()),
  })
  .map(({ path: at, value }) => ({ version: 1, document: { ...document, [at]: value } }));
const large = fc
  .record({
    kind: fc.constantFrom('keys', 'list', 'deep', 'text', 'banks'),
    size: fc.integer({ min: 1000, max: 100_000 }),
  })
  .map(({ kind, size }) => {
    const many = {
      keys: () => Object.fromEntries(Array.from({ length: size }, (_, i) => [`k${i}`, i])),
      list: () => Array.from({ length: size }, () => ({ min: 1, max: 2 })),
      text: () => 'x'.repeat(size * 20),
      banks: () => Array.from({ length: size }, (_, i) => ({ capacitance: i, esr: 'x' })),
      deep: () => undefined,
    }[kind]();
    if (kind === 'deep') return '['.repeat(size);
    return JSON.stringify({
      version: 1,
      name: 'x',
      document: { ...document, decisions: { ...document.decisions, outputCapacitors: many }, more: many },
    });
  });
const requests = fc.record({
  method: fc.constantFrom('GET', 'GET', 'POST', 'PUT', 'PATCH', 'DELETE', 'OPTIONS', 'HEAD'),
  target,
  body: fc.oneof(
    { weight: 6, arbitrary: broken.map((value) => JSON.stringify(value)) },
    { weight: 4, arbitrary: fc.json() },
    { weight: 3, arbitrary: odd },
    { weight: 1, arbitrary: large },
    { weight: 2, arbitrary: fc.constant(undefined) },
  ),
  type: fc.oneof(
    { weight: 5, arbitrary: fc.constant('application/json') },
    fc.constantFrom('text/plain', 'application/x-www-form-urlencoded', 'application/json; charset=utf-7', ''),
  ),
  key: fc.oneof({ weight: 6, arbitrary: fc.constant(true) }, fc.constant(false)),
  host: fc.oneof({ weight: 9, arbitrary: fc.constant(undefined) }, fc.constantFrom('evil.example', 'localhost', '')),
});

function send({ method, target: at, body, type, key, host }) {
  return new Promise((resolve) => {
    const start = performance.now();
    const done = (status) => resolve({ status, ms: performance.now() - start, method, at });
    let request;
    try {
      request = http.request(
        {
          host: '127.0.0.1',
          port,
          method,
          path: at,
          agent,
          timeout: 30_000,
          headers: {
            ...(key ? { Authorization: product.headers.Authorization } : {}),
            ...(type === '' ? {} : { 'Content-Type': type }),
            ...(host === undefined ? {} : { Host: host }),
            ...(body === undefined ? {} : { 'Content-Length': Buffer.byteLength(body) }),
          },
        },
        (response) => {
          const { statusCode } = response;
          // a window that listens is let go at once
          if (response.headers['content-type'] === 'text/event-stream') {
            response.destroy();
            done(statusCode);
            return;
          }
          response.resume();
          response.on('end', () => done(statusCode));
          response.on('error', () => done(0));
        },
      );
    } catch {
      done(-1); // not even a request
      return;
    }
    request.on('timeout', () => request.destroy());
    request.on('error', () => done(0));
    request.end(body);
  });
}
const agent = new http.Agent({ keepAlive: true, maxSockets: AT_ONCE });

let memory = 0;
const watch = setInterval(() => {
  const { server } = processesOf(home, product.child.pid);
  try {
    memory = Math.max(memory, Number(/VmRSS:\s+(\d+)/u.exec(readFileSync(`/proc/${server}/status`, 'utf8'))[1]) / 1000);
  } catch {
    // between two starts
  }
}, 200);

const answers = [];
const sample = fc.sample(requests, { numRuns: COUNT, seed: 20_000 });
await Promise.all(
  Array.from({ length: AT_ONCE }, async () => {
    for (let next = sample.pop(); next; next = sample.pop()) answers.push(await send(next));
  }),
);
clearInterval(watch);
agent.destroy();
const alive = (await product.call('GET', '/api/projects')).status === 200;
await product.stop();
remove();
const counts = {};
for (const { status } of answers) counts[status] = (counts[status] ?? 0) + 1;
const failures = answers.filter(({ status }) => status >= 500);
const late = answers.filter(({ ms }) => ms > 2000);
for (const { status, ms, method, at } of [...failures, ...late].slice(0, 8))
  process.stdout.write(`${status} after ${ms.toFixed(0)} ms: ${method} ${at.slice(0, 100)}\n`);
const times = answers.map(({ ms }) => ms).sort((a, b) => a - b);
process.stdout.write(
  `${answers.length} requests: ${failures.length} answers 5xx, ${late.length} over 2 s (longest ${times.at(-1).toFixed(0)} ms, median ${times[times.length >> 1].toFixed(1)} ms), ` +
    `${memory.toFixed(0)} MB at most, ${alive ? 'serving' : 'not serving'} afterwards; by status ${JSON.stringify(counts)}\n`,
);
process.exit(failures.length + late.length > 0 || memory > 400 || !alive ? 1 : 0);
