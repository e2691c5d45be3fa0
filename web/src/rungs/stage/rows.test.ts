import { describe, expect, test } from '@jest/globals';
import { completeDecisions, newDesign, readDesign, solve, valueAt, type Design } from '@yundro/core';
import { neededAt } from '../../fields/needed.ts';
import { groupsFor, holdQuantity, type ChoiceRow, type QuantityRow } from './rows.ts';

/** A design of each kind whose rows differ. */
const KINDS: [string, object, object?][] = [
  ['buck', {}],
  ['a diode', { rectifier: { kind: 'diode', forwardVoltage: 0.45 } }],
  ['four phases, coupled', { phases: 4, coupling: { coefficient: 0.5, polarity: 'inverse' } }],
  ['boost', { topology: 'boost' }, { outputVoltage: 48, outputCurrent: { min: 0.1, max: 1.2 } }],
  ['inverting', { topology: 'inverting-buck-boost' }, { outputVoltage: 15, outputCurrent: { min: 0.05, max: 0.6 } }],
  [
    'four-switch with a boost leg of its own',
    { topology: 'four-switch-buck-boost', boostLeg: { rectifier: { kind: 'diode', forwardVoltage: 0.4 } } },
  ],
  ['critical', { conduction: 'critical', critical: { nodeCapacitance: 1e-10 } }],
  [
    'a second section',
    { outputFilter: { inductance: 1e-6, resistance: 0.01, capacitors: [{ capacitance: 1e-5, esr: 0.005, count: 1 }] } },
  ],
  ...[
    'voltage-mode',
    'voltage-mode-feedforward',
    'peak-current-mode',
    'average-current-mode',
    'constant-on-time',
    'hysteretic',
    'gated-oscillator',
  ].map((method): [string, object] => [method, { control: { method } }]),
];

const designOf = (decisions: object, brief: object = {}): Design => {
  const fresh = newDesign('rows');
  const read = readDesign({
    ...fresh,
    brief: {
      ...fresh.brief,
      inputVoltage: { min: 18, nominal: 24, max: 32 },
      outputVoltage: 5,
      outputCurrent: { min: 0.2, max: 6 },
      ...brief,
    },
    decisions,
  });
  if (!read.ok) throw new Error(JSON.stringify(read.faults));
  return read.design;
};

const isChoice = (row: object): row is ChoiceRow => 'options' in row;

describe.each(KINDS)('every row of %s', (_, decisions, brief) => {
  const design = designOf(decisions, brief);
  const complete = completeDecisions(design).decisions;
  const rows = groupsFor(complete).flatMap(({ rows: own }) => own);

  test('has a path of its own', () => {
    const paths = rows.map(({ path }) => path);
    expect(new Set(paths).size).toBe(paths.length);
    expect(paths.length).toBeGreaterThan(12);
  });

  test('writes what the file format reads again, where it stands', () => {
    for (const row of rows.filter((one): one is QuantityRow => !isChoice(one))) {
      const now = valueAt(complete, row.path);
      const value = typeof now === 'number' && now > 0 ? now : row.unit === '%' ? 0.4 : 1e-3;
      expect([row.path, neededAt(`decisions.${row.path}`)(value)]).toEqual([row.path, undefined]);
      // what goes with it is held with it, as by the hand
      const partner = row.path.endsWith('.rising') || row.path.endsWith('.falling');
      const base = partner
        ? {
            ...design,
            decisions: {
              ...design.decisions,
              control: { ...design.decisions.control, undervoltageLockout: { rising: 9, falling: 8 } },
            },
          }
        : design;
      const held = holdQuantity(base, row.path, partner ? (row.path.endsWith('.rising') ? 9 : 8) : value, complete);
      const read = readDesign(JSON.parse(JSON.stringify(held)));
      expect([row.path, read.ok ? [] : read.faults]).toEqual([row.path, []]);
      if (read.ok && !partner) expect(valueAt(read.design.decisions, row.path)).toBe(value);
    }
  });

  test('offers words that the file format reads, and shows the one that stands', () => {
    for (const row of rows.filter(isChoice)) {
      const words = row.options.map(([value]) => value);
      expect(words).toContain(row.read(complete));
      for (const [value] of row.options) {
        const read = readDesign(JSON.parse(JSON.stringify(row.write(design, value, complete))));
        expect([row.path, value, read.ok ? [] : read.faults]).toEqual([row.path, value, []]);
      }
    }
  });
});

test('a number that cannot be is told what is needed, as the file would', () => {
  const needed = (path: string, value: number) => neededAt(`decisions.${path}`)(value);
  expect(needed('control.maximumDuty', 1.2)).toBe('A fraction above 0, at most 1 is needed here.');
  expect(needed('control.referenceVoltage', 0)).toBe('A number above 0 is needed here.');
  expect(needed('control.minimumOnTime', -1e-9)).toBe('Zero or a positive number is needed here.');
  expect(needed('control.minimumOnTime', 0)).toBeUndefined();
  expect(needed('outputCapacitors.0.count', 1.5)).toBe('A whole number from 1 to 10000 is needed here.');
});

test('a current amplifier held in one part keeps the rest decided, and the design solves', () => {
  const design = designOf({ control: { method: 'average-current-mode' } });
  const complete = completeDecisions(design).decisions;
  const held = holdQuantity(design, 'control.currentAmplifier.feedbackResistor', 2200, complete);
  const { decisions } = solve(held);
  expect(decisions.control.currentAmplifier!.feedbackResistor).toBe(2200);
  expect(decisions.control.currentAmplifier!.inputResistor).toBeGreaterThan(0);
  expect(decisions.control.currentAmplifier!.feedbackCapacitor).toBeGreaterThan(0);
});
