// The first load of the page, compressed, against what it may take: what a slow line has to bring before anything is seen.
import { existsSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { gzipSync } from 'node:zlib';
import { ROOT } from './lib/setup.mjs';

/** kB; raise it with a reason, never to let a test pass. */
const MOST = 270;

const dist = path.join(ROOT, 'web/dist');
if (!existsSync(path.join(dist, 'index.html'))) throw new Error('web/dist is not built: npm run build');
const html = readFileSync(path.join(dist, 'index.html'), 'utf8');
const files = [...html.matchAll(/(?:src|href)="(\/assets\/[^"]+\.(?:js|css))"/gu)].map(([, file]) => file);
const sizes = files.map((file) => ({ file, size: gzipSync(readFileSync(path.join(dist, file))).length / 1000 }));
const whole = sizes.reduce((sum, { size }) => sum + size, 0);
process.stdout.write(`first load ${whole.toFixed(0)} kB gzip, at most ${MOST}\n`);
if (whole > MOST) {
  for (const { file, size } of sizes) process.stdout.write(`  ${size.toFixed(1).padStart(7)} kB ${file}\n`);
  process.exitCode = 1;
}
