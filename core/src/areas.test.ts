import { describe, expect, test } from '@jest/globals';
import { AREAS, CATALOGUE, LONG_AREAS, type QuantityId } from './areas.ts';
import { describeQuantity, explain, readQuantity } from './catalogue.ts';
import { tabulate } from './explore/figures.ts';
import { solve } from './solve.ts';
import { viewCorner } from './stage/operating/waveforms.ts';
import { anyStage, designWith } from './testing/designs.ts';
import { runs } from './testing/runs.ts';
import fc from 'fast-check';

const stepped = designWith(
  { controlSwitch: { onResistance: 0.01, voltageRating: 60 } },
  { loadStep: { from: 1, to: 5, deviation: 0.2 }, source: 'battery', inputFuse: 0.5 },
);

describe('areas on their ladder', () => {
  test('each brings its own, and no id stands in two', () => {
    const quantities = [...AREAS, ...LONG_AREAS].flatMap(({ quantities: own }) => Object.keys(own));
    expect(new Set(quantities).size).toBe(quantities.length);
    expect(quantities.sort()).toEqual(Object.keys(CATALOGUE).sort());
    const paths = AREAS.flatMap(({ tapes, moreTapes }) => [...tapes, ...moreTapes].map(({ path }) => path));
    expect(new Set(paths).size).toBe(paths.length);
    for (const { tapes, moreTapes, figures } of AREAS)
      for (const id of [...[...tapes, ...moreTapes].map((tape) => tape.quantity), ...figures])
        expect(describeQuantity(id).name.length).toBeGreaterThan(1);
  });

  test('solve runs those asked for, and the stage that all stand on; the rest is as with all', () => {
    const all = solve(stepped);
    const stage = solve(stepped, { areas: ['stage'] });
    const withStep = solve(stepped, { areas: ['step'] });
    const ids = ({ targets }: typeof all): string[] => targets.map(({ id }) => id);
    expect(ids(all).filter((id) => !ids(stage).includes(id))).toEqual(['loadStepUndershoot', 'loadStepOvershoot']);
    expect(ids(withStep)).toEqual(ids(all));
    expect(stage.operatingPoints).toEqual(all.operatingPoints);
    expect(all.warnings.map(({ id }) => id)).toContain('input-fuse');
    expect(withStep.warnings.map(({ id }) => id)).not.toContain('input-fuse');
  });

  test('every target explains itself by a quantity that reads as it predicts, where it stands', () => {
    const result = solve(stepped);
    for (const target of result.targets) {
      const point = result.operatingPoints.find(
        (p) => p.inputVoltage === target.at.inputVoltage && p.outputCurrent === target.at.outputCurrent,
      )!;
      const read = readQuantity({ design: stepped, result, point }, target.quantity);
      expect(read! / target.predicted).toBeCloseTo(1, 9);
    }
  });
});

describe('figures by the catalogue', () => {
  test('a row a quantity, a value a point, and none that has no value anywhere', () => {
    const result = solve(stepped);
    const rows = tabulate(stepped, result);
    expect(rows.map(({ id }) => id)).toContain('loadStepUndershoot');
    expect(rows.map(({ id }) => id)).not.toContain('boostDuty');
    for (const { id, values } of rows) {
      expect(values).toHaveLength(result.operatingPoints.length);
      result.operatingPoints.forEach((point, i) => {
        const sheet = explain({ design: stepped, result, point }, id);
        if (values[i] !== undefined) expect(sheet!.value).toBe(values[i]);
      });
    }
    const few: QuantityId[] = ['efficiency', 'duty'];
    expect(tabulate(stepped, result, few).map(({ id }) => id)).toEqual(few);
  });

  test('the corner looked at is the same corner among all, of any stage', () => {
    fc.assert(
      fc.property(anyStage, (design) => {
        const result = solve(design);
        for (const point of result.operatingPoints.slice(0, 2)) {
          const viewed = viewCorner(design, result.decisions, point);
          expect(viewed.point).toEqual(point);
          if (viewed.waveforms) expect(viewed.waveforms.period * point.switchingFrequency).toBeCloseTo(1, 9);
          else expect(point.onTime * point.outputCurrent).toBe(0);
        }
      }),
      { numRuns: runs(20), seed: 31 },
    );
  });
});
