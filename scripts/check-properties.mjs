// npm run check:properties [-- TIMES]: the core's property tests and the comparison with an ODE solver, on as many times
// more designs as asked for (20 unless told; three times took three minutes).
import { checkNode, ensureModules, ensureScipy, run } from './lib/setup.mjs';

checkNode();
await ensureScipy();
await ensureModules();
const { status } = await run(
  process.execPath,
  [
    '--experimental-vm-modules',
    '--no-warnings',
    'node_modules/jest/bin/jest.js',
    '--selectProjects',
    'core',
    '--testTimeout=3600000',
  ],
  { env: { PROPERTY_RUNS: process.argv[2] ?? '20' } },
);
process.exitCode = status;
