import { expect, test } from '@jest/globals';
import { solve } from '../solve.ts';
import { designWith } from '../testing/designs.ts';
import { energyOf, heatOverLoad } from './heat.ts';

const design = designWith({}, { batteryEnergy: 3600 * 50 });

test('a load profile is weighed by its shares, and a battery lasts what it holds over what is taken', () => {
  const profile = [
    { current: 6, share: 0.25 },
    { current: 1, share: 0.75 },
  ];
  const [full, light] = profile.map(
    ({ current }) => solve(design, { at: { inputVoltage: 24, outputCurrent: current } }).operatingPoints[0]!,
  );
  const { delivered, lost, lasts } = energyOf(design, profile);
  expect(delivered).toBeCloseTo(0.25 * full!.outputPower + 0.75 * light!.outputPower, 6);
  expect(lost).toBeCloseTo(0.25 * full!.losses.total + 0.75 * light!.losses.total, 6);
  expect(lasts! * (delivered + lost)).toBeCloseTo(3600 * 50, 3);
  expect(energyOf(designWith(), profile).lasts).toBeUndefined();
});

test('what it loses over load and line comes piece by piece, each with what there is', () => {
  const going = heatOverLoad(design, [{ current: 6, share: 1 }]);
  const parts: number[] = [];
  let step = going.next();
  for (; !step.done; step = going.next()) parts.push(step.value.part);
  expect(parts).toEqual([...parts].sort((a, b) => a - b));
  expect(parts.at(-1)).toBe(1);
  const { overLoad, map, energy } = step.value;
  expect(overLoad.map(({ policy }) => policy)).toContain('forced-pwm');
  expect(map).toHaveLength(5);
  expect(energy!.delivered).toBeGreaterThan(19);
  for (const { points } of map)
    for (const { total, losses, efficiency, outputPower } of points) {
      expect(losses.reduce((sum, [, loss]) => sum + loss, 0)).toBeCloseTo(total, 9);
      expect(efficiency).toBeCloseTo(outputPower / (outputPower + total), 9);
    }
});
