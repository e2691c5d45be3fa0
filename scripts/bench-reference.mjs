// npm run bench:reference: the switching simulator beside SciPy's solve_ivp on one circuit, in one run, at like errors.
import { build } from 'esbuild';
import { spawnSync } from 'node:child_process';
import { mkdtempSync, rmSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { pathToFileURL } from 'node:url';
import { fail, say } from './lib/say.mjs';
import { ensureScipy, ROOT } from './lib/setup.mjs';

const PYTHON = '/usr/bin/python3';
const OWN = 40_000;
const COMPARED = 200;

const scratch = mkdtempSync(path.join(os.tmpdir(), 'yundro-bench-'));
try {
  await ensureScipy();
  const outfile = path.join(scratch, 'own.mjs');
  await build({
    entryPoints: [path.join(ROOT, 'core/reference/benchOwn.ts')],
    bundle: true,
    platform: 'node',
    format: 'esm',
    mainFields: ['module', 'main'],
    outfile,
    logLevel: 'warning',
  });
  const { benchOwn } = await import(pathToFileURL(outfile).href);
  const own = benchOwn(OWN, COMPARED);
  const solve = (method, rtol, periods) => {
    const input = JSON.stringify({ ...own.circuit, x: own.start, method, rtol, periods });
    const { stdout, stderr, status } = spawnSync(PYTHON, [path.join(ROOT, 'core/reference/bench_ode.py')], {
      input,
      encoding: 'utf8',
    });
    if (status !== 0) throw new Error(stderr);
    return JSON.parse(stdout);
  };
  const errorOf = (a, b) => Math.max(...a.map((value, k) => Math.abs(value - b[k]) / Math.max(1, Math.abs(b[k]))));
  const truth = solve('DOP853', 1e-13, COMPARED).x;
  const rows = [
    ['Yundro, bare', OWN / own.seconds, errorOf(own.end, truth)],
    ['Yundro, with every measurement', OWN / own.measured, errorOf(own.end, truth)],
    ...[
      ['RK45', 1e-7],
      ['DOP853', 1e-7],
      ['DOP853', 1e-11],
    ].map(([method, rtol]) => {
      const { x, seconds } = solve(method, rtol, COMPARED);
      return [`solve_ivp, ${method}, rtol ${rtol}`, COMPARED / seconds, errorOf(x, truth)];
    }),
  ];
  say('| solver | cycles a second | times the slowest | error after 200 cycles |');
  say('| --- | --- | --- | --- |');
  const slowest = Math.min(...rows.map(([, pace]) => pace));
  for (const [name, pace, error] of rows)
    say(`| ${name} | ${Math.round(pace)} | ${Math.round(pace / slowest)} | ${error.toExponential(1)} |`);
} catch (error) {
  fail(error);
} finally {
  rmSync(scratch, { recursive: true, force: true });
}
