// npm run check:speed: the core's figures of this run against those that docs/speed.json keeps, both as multiples of a fixed
// piece of arithmetic timed beside each; a figure that is several times slower in two runs fails. With --write the figures
// are taken anew and docs/benchmarks.md is made from them.
import { execFileSync } from 'node:child_process';
import { readFileSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { ROOT } from './lib/setup.mjs';

/** Times the kept figure beyond which one has grown slower, whatever the machine does meanwhile. */
const SLOWER = 4;
const KEPT = path.join(ROOT, 'docs/speed.json');
const PAGE = path.join(ROOT, 'docs/benchmarks.md');
const BEGIN = '<!-- made by scripts/speed.mjs --write -->';
const END = '<!-- until here -->';

const measured = () =>
  JSON.parse(
    execFileSync(process.execPath, ['cli/bin/yundro.mjs', 'speed', '--json'], { cwd: ROOT, encoding: 'utf8' }),
  );
const kept = JSON.parse(readFileSync(KEPT, 'utf8'));
const digits = (value) => Number(value.toPrecision(3)).toString();

if (process.argv.includes('--write')) {
  const { machine, figures } = measured();
  const goalOf = (name) => kept.figures.find((one) => one.name === name)?.goal;
  const taken = figures.map(({ name, milliseconds, kernels }) => ({
    name,
    ...(goalOf(name) === undefined ? {} : { goal: goalOf(name) }),
    milliseconds: Number(milliseconds.median.toPrecision(3)),
    kernels: Number(kernels.toPrecision(3)),
  }));
  writeFileSync(KEPT, `${JSON.stringify({ machine, figures: taken }, null, 2)}\n`);
  const rows = taken.map(
    ({ name, goal, milliseconds, kernels }) =>
      `| ${name} | ${goal ?? ''} | ${digits(milliseconds)} | ${digits(kernels)} | ${goal === undefined ? '' : milliseconds <= goal ? 'met' : 'missed'} |`,
  );
  const table = [
    BEGIN,
    '',
    `${machine}. Median, ms, and the same in kernels, which the machine's own speed leaves alone.`,
    '',
    '| figure | goal, ms | found, ms | in kernels | |',
    '| --- | --- | --- | --- | --- |',
    ...rows,
    '',
    END,
  ].join('\n');
  const page = readFileSync(PAGE, 'utf8');
  const [before, after] = [page.indexOf(BEGIN), page.indexOf(END)];
  if (before < 0 || after < 0) throw new Error('docs/benchmarks.md has no place for the table');
  writeFileSync(PAGE, page.slice(0, before) + table + page.slice(after + END.length));
} else {
  const slower = ({ figures }) =>
    figures.flatMap(({ name, kernels }) => {
      const before = kept.figures.find((one) => one.name === name);
      return before && kernels > SLOWER * before.kernels ? [{ name, times: kernels / before.kernels }] : [];
    });
  let found = slower(measured());
  if (found.length > 0) {
    // once more: a neighbour of the machine may have slowed one figure and not the kernel beside it
    const again = new Set(slower(measured()).map(({ name }) => name));
    found = found.filter(({ name }) => again.has(name));
  }
  for (const { name, times } of found) process.stdout.write(`${name}: ${digits(times)} times what is kept\n`);
  process.stdout.write(found.length === 0 ? `no figure is ${SLOWER} times slower than kept\n` : '');
  process.exitCode = found.length === 0 ? 0 : 1;
}
