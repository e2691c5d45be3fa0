// npm test: sets up whatever is missing, runs every check, and ends with one line that counts them all. npm test -- AREA runs
// the tests alone whose path holds the word: loop, simulation, e2e/parts …
import { existsSync, mkdtempSync, chmodSync, readdirSync, readFileSync, rmSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { startCluster } from './lib/cluster.mjs';
import { fail, say, Trouble } from './lib/say.mjs';
import {
  checkNode,
  endRunning,
  ensureBuild,
  ensureChromium,
  ensureModules,
  ensurePostgres,
  ensureScipy,
  run,
} from './lib/setup.mjs';

const total = { passed: 0, failed: 0 };
const area = process.argv[2];
/** Whether a browser test's file is among those asked for. */
const browsers = readdirSync('e2e').filter(
  (name) => name.endsWith('.spec.ts') && (area === undefined || `e2e/${name}`.includes(area)),
);
let cluster;
let scratch;
let stopping = false;

/** A step of a run that was told to end is not begun: it would outlive the run. */
function begun() {
  if (stopping) throw new Trouble('The run was told to end.');
}

/** A check that either passes or fails as a whole. */
async function check(name, args) {
  begun();
  const { status, output } = await run(process.execPath, args, { capture: true });
  total[status === 0 ? 'passed' : 'failed'] += 1;
  say(`${name}: ${status === 0 ? 'passed' : `failed\n${output}`}`);
}

/** A runner that writes a report: its tests are counted; a run without a report, or with no test, is a failure. */
async function counted(name, args, env, report, count) {
  begun();
  say(name);
  rmSync(report, { force: true });
  const { status } = await run(process.execPath, args, { env });
  const { passed, failed } = existsSync(report)
    ? count(JSON.parse(readFileSync(report, 'utf8')))
    : { passed: 0, failed: 1 };
  total.passed += passed;
  // an area may be one of browser tests alone
  const none = passed === 0 && area === undefined;
  total.failed += failed + (failed === 0 && (status !== 0 || none) ? 1 : 0);
}

/** What is checked without running it; the linter, which reads what the type check builds and needs one core for long, goes on beside the unit tests. */
async function inOrder() {
  await check('size of the first load', ['scripts/check-size.mjs']);
  await check('exports that nobody names', ['scripts/check-exports.mjs']);
  const typed = check('type check', ['node_modules/typescript-7/bin/tsc', '-b']);
  const boundaries = check('import boundaries', [
    'node_modules/dependency-cruiser/bin/dependency-cruise.mjs',
    '--config',
    '.dependency-cruiser.cjs',
    'core/src',
    'server/src',
    'web/src',
    'cli/src',
  ]).then(() =>
    check('format', [
      'node_modules/prettier/bin/prettier.cjs',
      '--check',
      '--log-level',
      'warn',
      '--cache',
      '--cache-location',
      '.yundro/prettier',
      '.',
    ]),
  );
  await Promise.all([typed, boundaries]);
  // not waited for: what is told of it is the promise
  const linted = check('lint', [
    'node_modules/eslint/bin/eslint.js',
    '.',
    '--cache',
    '--cache-location',
    '.yundro/eslint/',
  ]);
  return { linted };
}

async function stop() {
  stopping = true;
  endRunning();
  await cluster?.kill();
  if (scratch) rmSync(scratch, { recursive: true, force: true });
}
for (const signal of ['SIGINT', 'SIGTERM']) process.on(signal, () => void stop().then(() => process.exit(1)));

try {
  checkNode();
  const bin = await ensurePostgres();
  const chromium = await ensureChromium();
  await ensureScipy();
  await ensureModules();
  await ensureBuild();
  scratch = mkdtempSync(path.join(os.tmpdir(), 'yundro-test-'));
  chmodSync(scratch, 0o755);
  cluster = await startCluster(bin, path.join(scratch, 'postgres'));

  const linted = area === undefined ? await inOrder() : undefined;

  const env = { TEST_DATABASE_URL: cluster.url, TEST_SCRATCH: scratch, CHROMIUM: chromium };
  const jestReport = path.join(scratch, 'jest.json');
  await counted(
    'unit and server tests',
    [
      '--experimental-vm-modules',
      '--no-warnings',
      'node_modules/jest/bin/jest.js',
      '--json',
      `--outputFile=${jestReport}`,
      ...(area === undefined ? [] : ['--passWithNoTests', '--testPathPatterns', area]),
    ],
    env,
    jestReport,
    (report) => ({
      passed: report.numPassedTests,
      failed: report.numFailedTests + report.numRuntimeErrorTestSuites,
    }),
  );
  await linted?.linted;
  const browserReport = path.join(scratch, 'playwright.json');
  if (browsers.length > 0)
    await counted(
      'browser tests',
      [
        'node_modules/@playwright/test/cli.js',
        'test',
        '--config',
        'e2e/playwright.config.ts',
        ...(area === undefined ? [] : browsers),
      ],
      { ...env, PLAYWRIGHT_JSON_OUTPUT_NAME: browserReport, PLAYWRIGHT_JSON_OUTPUT_FILE: browserReport },
      browserReport,
      ({ stats }) => ({
        passed: stats.expected + stats.flaky,
        failed: stats.unexpected,
      }),
    );
} catch (error) {
  fail(error);
  total.failed += 1;
} finally {
  await stop();
}
process.stdout.write(`\n${total.passed} passed, ${total.failed} failed\n`);
process.exitCode = total.failed > 0 || total.passed === 0 ? 1 : 0;
