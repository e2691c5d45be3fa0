// npm run check:absurd [-- COUNT]: well-formed designs of absurd values through every command: none may throw but in words,
// give anything that is no number, or take long. What solves takes COUNT designs, what simulates a fiftieth of them.
import fc from 'fast-check';
import { register } from 'node:module';
import path from 'node:path';
import { pathToFileURL } from 'node:url';
import { ROOT } from './lib/setup.mjs';

register('tsx/esm', pathToFileURL('./'), { data: true });
const core = (name) => import(path.join(ROOT, 'core/src', name));
const { absurdDesigns } = await core('testing/absurd.ts');
const { solve } = await core('solve.ts');
const { judge } = await core('judge.ts');
const { loop } = await core('loop/loop.ts');
const { simulate } = await core('simulation/simulate.ts');
const { SCENARIOS } = await core('simulation/run.ts');
const { SimulationError } = await core('simulation/modulator.ts');
const { solveFromShelf } = await core('parts/solve.ts');
const { demoShelf } = await core('shelf/shelf.ts');

const COUNT = Number(process.argv[2] ?? 3000);
const shelf = demoShelf().parts;
/** What each command runs, the part of COUNT that it is given, and s that one may take. */
const COMMANDS = [
  { name: 'solve --quick', part: 1, most: 5, run: (design) => solve(design), finite: true },
  { name: 'solve --quick --shelf', part: 1 / 50, most: 15, run: (design) => solveFromShelf(design, shelf) },
  { name: 'solve', part: 1 / 50, most: 120, run: (design) => judge(design, { unadvised: true }) },
  { name: 'loop', part: 1 / 50, most: 60, run: (design) => loop(design, { exact: true }) },
  {
    name: 'simulate, scenario after scenario',
    part: 1 / 50,
    most: 120,
    run: (design, k) =>
      simulate(design, { scenario: SCENARIOS[k % SCENARIOS.length], duty: 0.4, assume: true, waveforms: false }),
  },
];

let wrong = 0;
for (const { name, part, most, run, finite = false } of COMMANDS) {
  const times = [];
  const faults = [];
  let refused = 0;
  const designs = fc.sample(absurdDesigns, { numRuns: Math.max(5, Math.round(COUNT * part)), seed: 3000 });
  for (const [k, design] of designs.entries()) {
    const start = performance.now();
    try {
      JSON.stringify(run(design, k), (key, value) => {
        if (finite && typeof value === 'number' && !Number.isFinite(value)) throw new Error(`${key} is ${value}`);
        return value;
      });
    } catch (error) {
      // what cannot be run says so in words
      if (error instanceof SimulationError) refused += 1;
      else faults.push(`${error.message}: ${JSON.stringify(design).slice(0, 2000)}`);
    }
    times.push(performance.now() - start);
  }
  times.sort((a, b) => a - b);
  const at = (share) => times[Math.min(times.length - 1, Math.floor(times.length * share))].toFixed(0);
  const late = times.filter((ms) => ms > most * 1000).length;
  process.stdout.write(
    `${name}: ${designs.length} designs, ${faults.length} faults, ${refused} refused in words, ${late} over ${most} s; median ${at(0.5)} ms, 99th percentile ${at(0.99)} ms, longest ${at(1)} ms\n`,
  );
  for (const fault of faults.slice(0, 3)) process.stdout.write(`${fault}\n`);
  wrong += faults.length + late;
}
process.exitCode = wrong > 0 ? 1 : 0;
