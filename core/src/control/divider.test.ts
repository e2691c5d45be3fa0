import { expect, test } from '@jest/globals';
import { solve } from '../solve.ts';
import { bareDesign } from '../testing/designs.ts';

const rail = (volts: number, outputVoltage: number, min: number, max: number) =>
  solve(
    bareDesign({
      inputVoltage: { min: 0.9 * volts, nominal: volts, max: 1.1 * volts },
      outputVoltage,
      outputCurrent: { min, max },
    }),
  );

// small loads are left nearly all of theirs, and no resistor is heated; beyond that the network's parts have to be real
test.each([
  ['a cell’s boost', 3, 5, 1e-4, 0.03],
  ['a sensor', 12, 3, 5e-4, 0.015],
  ['a high voltage', 5, 150, 1e-3, 0.01],
  ['a bus', 200, 380, 0.02, 0.5],
  ['a rail', 12, 5, 0.1, 4],
])('the divider of %s is for its load', (_, volts, outputVoltage, min, max) => {
  const { compensator, control } = rail(volts, outputVoltage, min, max).decisions;
  const { dividerTop = 0, dividerBottom = 0, feedbackResistor = 0, feedbackCapacitor = 1 } = compensator!;
  const current = outputVoltage / (dividerTop + dividerBottom);
  expect(current).toBeLessThan(Math.max(0.012 * max, 60e-6));
  expect(current).toBeGreaterThan(20e-6);
  expect(current * outputVoltage).toBeLessThan(0.06);
  expect(feedbackResistor).toBeLessThanOrEqual(2.2e6);
  expect(feedbackCapacitor).toBeGreaterThan(20e-12);
  // it is a divider for this output; a valley control's is set low by half of what it adds
  expect((control.referenceVoltage * (1 + dividerTop / dividerBottom)) / outputVoltage).toBeCloseTo(1, 1);
});

test('what stands across one resistor is said where it is too much', () => {
  const ids = ({ warnings }: ReturnType<typeof rail>) => warnings.map(({ id }) => id);
  expect(ids(rail(200, 380, 0.02, 0.5))).toContain('divider-voltage');
  expect(ids(rail(12, 60, 0.02, 0.5))).not.toContain('divider-voltage');
});
