// npm run check:absurd [-- COUNT]: well-formed designs of absurd values through the core: none may throw, give anything
// that is no number, or take long.
import fc from 'fast-check';
import { register } from 'node:module';
import path from 'node:path';
import { pathToFileURL } from 'node:url';
import { ROOT } from './lib/setup.mjs';

register('tsx/esm', pathToFileURL('./'), { data: true });
const { absurdDesigns } = await import(path.join(ROOT, 'core/src/testing/absurd.ts'));
const { solve } = await import(path.join(ROOT, 'core/src/solve.ts'));

const COUNT = Number(process.argv[2] ?? 3000);
const times = [];
const faults = [];
for (const design of fc.sample(absurdDesigns, { numRuns: COUNT, seed: 3000 })) {
  const start = performance.now();
  try {
    JSON.stringify(solve(design), (key, value) => {
      if (typeof value === 'number' && !Number.isFinite(value)) throw new Error(`${key} is ${value}`);
      return value;
    });
  } catch (error) {
    faults.push(`${error.message}: ${JSON.stringify(design).slice(0, 2000)}`);
  }
  times.push(performance.now() - start);
}
times.sort((a, b) => a - b);
const at = (part) => times[Math.min(times.length - 1, Math.floor(times.length * part))].toFixed(0);
const late = times.filter((ms) => ms > 5000).length;
process.stdout.write(
  `${COUNT} designs: ${faults.length} faults, ${late} over 5 s; median ${at(0.5)} ms, 99th percentile ${at(0.99)} ms, longest ${at(1)} ms\n`,
);
for (const fault of faults.slice(0, 5)) process.stdout.write(`${fault}\n`);
process.exitCode = faults.length + late > 0 ? 1 : 0;
