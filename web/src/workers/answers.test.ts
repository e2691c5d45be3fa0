import { describe, expect, test } from '@jest/globals';
import { readFileSync } from 'node:fs';
import path from 'node:path';
import {
  cornersOf,
  demoShelf,
  hold,
  keepParts,
  loop,
  loopCorners,
  readDesign,
  solve,
  tellQuantity,
  type Corner,
  type Design,
} from '@yundro/core';
import { answers, longAnswers, shelfAnswers } from './answers.ts';
import { chosenFor } from './filled.ts';
import { drive, type Long } from './long.ts';
import type { Standing } from './standing.ts';

// What the page asks of its worker, held against the core's own answers and against what has to be so.

const SAMPLES = path.resolve(import.meta.dirname, '../../../sample');
const rail = (name: string): Design => {
  const read = readDesign(JSON.parse(readFileSync(path.join(SAMPLES, `${name}-rail.yundro.json`), 'utf8')));
  if (!read.ok) throw new Error(JSON.stringify(read.faults));
  return read.design;
};
const RAILS = ['logic', 'spare', 'hydrophone', 'analogue', 'instrument', 'recognition'] as const;
const whole = <T>(going: Long<T>, parts: number[] = []): T => drive(going, ({ part }) => void parts.push(part));
const shelf = demoShelf().parts;
const on = (given: Design): Standing => ({ given, choice: chosenFor(given, shelf), parts: shelf });

describe.each(RAILS)('the %s rail', (name) => {
  const design = rail(name);
  const inForce = on(design);
  const { nominal } = design.brief.inputVoltage;
  const corner: Corner = { inputVoltage: nominal, outputCurrent: design.brief.outputCurrent.max };

  test('the corner looked at is the one of the table, and its drawing carries the same figures in their units', () => {
    const viewed = answers.view(inForce.choice, corner);
    const { result, figures } = answers.solve(inForce);
    const at = cornersOf(design).findIndex(
      ({ inputVoltage, outputCurrent }) => inputVoltage === nominal && outputCurrent === corner.outputCurrent,
    );
    expect(viewed.point).toEqual(result.operatingPoints[at]);
    let compared = 0;
    for (const { id, unit, values } of figures) {
      const drawn = viewed.drawn[id];
      if (!drawn) continue;
      expect([id, drawn]).toEqual([id, { value: values[at], unit }]);
      compared += 1;
    }
    expect(compared).toBeGreaterThan(8);
    // volt-seconds and charge balance over a period of the waveforms drawn, as areas between their points
    const { voltSeconds, charge } = viewed.balance!;
    for (const { positive, negative } of [voltSeconds, charge])
      expect(Math.abs(positive + negative) / Math.max(positive, -negative)).toBeLessThan(1e-4);
  });

  test('why a figure is what it is: the value that the corner has', () => {
    const viewed = answers.view(inForce.choice, corner);
    for (const id of ['inductorPeak', 'outputRipple', 'efficiency'] as const)
      expect(answers.explain(inForce, corner, id)!.value).toBe(viewed.drawn[id]!.value);
    const { value } = answers.explain(inForce, corner, 'phaseMargin')!;
    const shown = drive(loopCorners(inForce.choice.design, false), () => undefined).corners.find(
      ({ inputVoltage, outputCurrent }) => inputVoltage === nominal && outputCurrent === corner.outputCurrent,
    )!;
    expect(value).toBeCloseTo(shown.phaseMargin!, 6);
    // the command tells a bent inductance finer than a bench could
    expect(Math.abs(value - loop(inForce.choice.design, { at: corner }).phaseMargin!)).toBeLessThan(0.1);
  });
});

// three stages of unlike kinds: each tape is some forty designs
describe.each(['logic', 'hydrophone', 'instrument'])('tapes of the %s rail', (name) => {
  const design = rail(name);

  test('where a tape is hatched, the design that has such a value misses what it names', () => {
    for (const decision of ['switchingFrequency', 'inductor.inductance']) {
      const { value, low, high, stretches } = answers.tape(on(design), decision);
      expect(value).toBeGreaterThanOrEqual(low);
      expect(value).toBeLessThanOrEqual(high);
      for (const { from, to, verdict, targets } of stretches) {
        expect(from).toBeGreaterThanOrEqual(low * (1 - 1e-9));
        expect(to).toBeLessThanOrEqual(high * (1 + 1e-9));
        const held = hold(design, decision, Math.sqrt(from * to));
        const there = solve(keepParts(held, on(design).choice)?.design ?? held);
        for (const id of targets) {
          const { verdict: judged, expected = judged } = there.targets.find((target) => target.id === id)!;
          // a marginal stretch reaches on beneath the missed one
          const fits = verdict === 'missed' ? expected === 'missed' : expected !== 'met';
          expect([decision, id, expected, fits]).toEqual([decision, id, expected, true]);
        }
      }
    }
  });
});

describe('topologies side by side', () => {
  const design = rail('instrument');
  const compared = answers.compare(on(design));

  test('one cell an alternative in every row, in the units of their quantities; what is ruled out still stands', () => {
    for (const { name, cells } of compared.rows)
      expect([name, cells.length]).toEqual([name, compared.alternatives.length]);
    const four = compared.alternatives.findIndex(({ topology }) => topology === 'four-switch-buck-boost');
    const row = (start: string): string => compared.rows.find(({ name }) => name.startsWith(start))!.cells[four]!;
    expect(row('Duty')).toMatch(/boost leg/u);
    expect(row('Right-half-plane')).toMatch(/Hz$/u);
    expect(row('Input bank')).toMatch(/A rms$/u);
    expect(compared.alternatives[four]!.ruledOut).toEqual([]);
    const buck = compared.alternatives.find(({ topology }) => topology === 'buck')!;
    expect(buck.ruledOut.join(' ')).toMatch(/cannot give/u);
  });

  test('the design as it stands tells its own zero', () => {
    const zeros = solve(design).operatingPoints.map((point) => point.inputVoltage);
    expect(zeros.length).toBeGreaterThan(3);
    expect(tellQuantity('rightHalfPlaneZero', compared.rightHalfPlaneZero!)).toMatch(/kHz$/u);
  });
});

describe('parts and heat', () => {
  const design = rail('spare');

  test('every place is filled, and the bill counts what stands in them', () => {
    const { places, bill, cost, result } = shelfAnswers.parts(on(design), shelf);
    expect(places.map(({ place }) => place)).toEqual([
      'controller',
      'inductor',
      'controlSwitch',
      'rectifier',
      'outputCapacitors',
      'inputCapacitors',
    ]);
    const counted = places.flatMap(({ parts }) => parts).reduce((sum, { count }) => sum + count, 0);
    expect(bill.reduce((sum, { count }) => sum + count, 0)).toBeGreaterThanOrEqual(counted);
    if (cost !== undefined) expect(cost).toBeGreaterThan(0);
    expect(result.operatingPoints).toHaveLength(6);
  });

  test('losses by mechanism make the total, over load and over the map, and efficiency is their share', () => {
    const parts: number[] = [];
    const { overLoad, map, energy } = whole(longAnswers.heat(on(design).choice.design, on(design)), parts);
    expect(parts).toEqual([...parts].sort((a, b) => a - b));
    expect(overLoad.map(({ policy }) => policy)).toEqual([
      'forced-pwm',
      'diode-emulation',
      'pulse-skipping',
      'ultrasonic',
    ]);
    const points = [...overLoad.flatMap((curve) => curve.points), ...map.flatMap((row) => row.points)];
    expect(points.length).toBeGreaterThan(80);
    for (const { losses, total, outputPower, efficiency } of points) {
      expect(losses.reduce((sum, [, loss]) => sum + loss, 0)).toBeCloseTo(total, 12);
      if (outputPower > 0) expect(outputPower / (outputPower + total)).toBeCloseTo(efficiency, 9);
    }
    // skipping pulses never costs more at the lightest load than holding the frequency
    const lightest = (policy: string): number => overLoad.find((curve) => curve.policy === policy)!.points[0]!.total;
    expect(lightest('pulse-skipping')).toBeLessThan(lightest('forced-pwm'));
    expect(energy!.profile.reduce((sum, { share }) => sum + share, 0)).toBeCloseTo(1, 12);
    expect(energy!.delivered).toBeGreaterThan(energy!.lost);
  });

  test('a battery lasts as long as its energy over what is drawn of it', () => {
    const charged: Design = { ...design, brief: { ...design.brief, batteryEnergy: 36_000 } };
    const { energy } = whole(longAnswers.heat(on(charged).choice.design, on(charged)));
    expect(energy!.lasts! * (energy!.delivered + energy!.lost)).toBeCloseTo(36_000, 6);
  });
});

describe('sweeps of the stage', () => {
  test('over load each policy ends where all are one, and over duty a buck’s output rises', () => {
    const design = rail('logic');
    const { overLoad, overLine, overDuty } = whole(longAnswers.sweeps(design));
    const last = overLoad.map(({ figures, x }) => {
      expect(x.at(-1)).toBe(design.brief.outputCurrent.max);
      return figures.find(({ id }) => id === 'efficiency')!.values.at(-1)!;
    });
    for (const value of last) expect(value).toBeCloseTo(last[0]!, 9);
    for (const { x, figures } of overLine) {
      const duty = figures.find(({ id }) => id === 'duty')!.values as number[];
      // more input asks for less duty
      if (x.length > 1) expect(duty.at(-1)!).toBeLessThan(duty[0]!);
    }
    expect(overDuty.length).toBeGreaterThan(0);
  });

  test('small parts: divider pairs give the output within what their resistors allow', () => {
    const design = rail('logic');
    const wishes = {
      series: 'E96' as const,
      current: 1e-4,
      resistor: 0.01,
      reference: 0.01,
      oscillator: 'single-ended' as const,
      potentiometer: 10e3,
      lowest: undefined,
      highest: undefined,
    };
    const { pairs, range, adjustable } = answers.smallParts(design, wishes);
    expect(pairs.length).toBeGreaterThan(3);
    for (const { output } of pairs) expect(Math.abs(output / design.brief.outputVoltage - 1)).toBeLessThan(0.02);
    expect(range.lowest).toBeLessThan(design.brief.outputVoltage);
    expect(range.highest).toBeGreaterThan(design.brief.outputVoltage);
    expect(adjustable).toBeDefined();
  });
});

test('the judge’s answer is whole, and a loop’s figure is what its Why? reads', () => {
  const design = rail('logic');
  const inForce = on(design);
  const { targets } = whole(longAnswers.judge(inForce.choice.design, inForce));
  // its switches are held by their resistance alone; on parts nothing is left unjudged
  expect(targets.filter(({ verdict: one }) => one === 'open').map(({ id }) => id)).toEqual(['efficiency']);
  const free = on({ ...design, decisions: {} });
  const built = whole(longAnswers.judge(free.choice.design, free));
  expect(built.targets.filter(({ verdict: one }) => one === 'open')).toEqual([]);
  const ids = targets.map(({ id }) => id);
  expect(ids).toEqual(expect.arrayContaining(['phaseMargin', 'outputImpedance', 'loadStepUndershoot', 'startCurrent']));
  for (const { at, quantity, predicted, rung } of targets) {
    if (rung !== 'loop') continue;
    expect(answers.explain(inForce, at, quantity)!.value / predicted).toBeCloseTo(1, 4);
  }
});

test('a design filled from the shelf is kept for what else is asked of it, until it or the shelf changes', () => {
  const design: Design = { ...rail('logic'), decisions: {} };
  const choice = chosenFor(design, shelf);
  expect(chosenFor(structuredClone(design), shelf)).toBe(choice);
  const changed: Design = { ...design, brief: { ...design.brief, outputVoltage: 3 } };
  expect(chosenFor(changed, shelf).design.brief.outputVoltage).toBe(3);
  expect(chosenFor(design, shelf)).toBe(choice);
  // an edited shelf is another one, though the design is the same
  const fewer = shelf.filter(({ kind }) => kind !== 'inductor');
  expect(chosenFor(design, fewer).chosen.find(({ place }) => place === 'inductor')?.filled).toBe(false);
});
