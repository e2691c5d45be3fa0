import { expect, test } from '@jest/globals';
import { describeChanges, readDesign } from './index.ts';
import { bringForward, MIGRATIONS } from './migrate.ts';
import { VERSION } from './schema.ts';
import { EXAMPLE } from '../testing/designs.ts';

const steps = {
  2: (d: Record<string, unknown>) => ({ ...d, title: d['name'] }),
  3: (d: Record<string, unknown>) => ({ ...d, title: `${String(d['title'])}!` }),
};

test('a document is brought forward step by step, from whichever version it has', () => {
  expect(bringForward({ version: 1, name: 'a' }, steps, 3)).toEqual({ version: 3, name: 'a', title: 'a!' });
  expect(bringForward({ version: 2, title: 'b' }, steps, 3)).toEqual({ version: 3, title: 'b!' });
  // newer, unknown or missing versions are left for the reader to name
  for (const other of [{ version: 4 }, { version: 'x' }, {}, { version: -1 }])
    expect(bringForward(other, steps, 3)).toEqual(other);
});

test('every older version has its step, and a newer document says that it is newer', () => {
  for (let version = 2; version <= VERSION; version += 1) expect(MIGRATIONS[version]).toBeDefined();
  const read = readDesign({ ...EXAMPLE, version: VERSION + 1 });
  expect(read.ok ? [] : read.faults).toMatchObject([
    { path: 'version', message: expect.stringMatching(/newer release/u) },
  ]);
});

test('what changed is told by name with units, entry by entry', () => {
  const { decisions } = EXAMPLE;
  const changed = {
    ...EXAMPLE,
    brief: { ...EXAMPLE.brief, outputCurrent: { min: 0.3, max: 5 }, inputFuse: 3 },
    decisions: {
      ...decisions,
      switchingFrequency: undefined,
      outputCapacitors: [{ ...decisions.outputCapacitors[0]!, count: 6 }],
    },
  };
  const words = describeChanges(EXAMPLE, changed).map(({ name, from, to }) => `${name}: ${from} → ${to}`);
  expect(words.map((line) => line.replace(/\u00a0/gu, ' '))).toEqual([
    'Full load: 6 A → 5 A',
    'Fuse at the source: none → 3 A',
    'Switching frequency: 400 kHz → free',
    'Output capacitor, in parallel, 1: 4 → 6',
  ]);
});
