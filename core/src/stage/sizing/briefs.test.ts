import { describe, expect, test } from '@jest/globals';
import { type Design, type Topology } from '../../design/index.ts';
import { selfResonance, storedEnergy } from '../../shelf/usual/inductors.ts';
import { SWITCH_CLASSES } from '../../shelf/usual/switches.ts';
import { solve, type Result } from '../../solve.ts';
import { predictExcursion } from '../../step/excursion.ts';
import { BRIEFS, briefOf } from '../../testing/briefs.ts';
import { allowedLoss } from './banks.ts';

// What bare briefs become, held to bounds that any expert would accept: not the numbers of one opinion. Common practice,
// no source, unless named.

/** What an expert would strike out, in words; empty when there is nothing. */
function faultsOf(design: Design, { decisions: d, operatingPoints: points, targets }: Result): string[] {
  const { brief } = design;
  const faults: string[] = [];
  const between = (what: string, value: number, low: number, high: number): void => {
    if (!(value >= low && value <= high)) faults.push(`${what} ${value.toPrecision(3)} outside ${low}…${high}`);
  };
  const full = points.filter((p) => p.outputCurrent === brief.outputCurrent.max);
  const nominal = full.find((p) => p.inputVoltage === brief.inputVoltage.nominal)!;
  const carried = Math.max(...full.map((p) => p.inductorCurrent.average));
  for (const { id, verdict, expected = verdict } of targets) if (expected !== 'met') faults.push(`${id} ${expected}`);
  between('corners', points.length, 6, 6);

  // conduction leaves room for what is not in it yet, and is not bought with absurd silicon
  const lost = nominal.losses.total / allowedLoss(brief);
  // pulses of several times the average cost more, and so far a step up is known to
  between('conduction, part of the loss allowed', lost, 0.005, nominal.conductionMode === 'DCM' ? 1.5 : 0.8);
  between('winding, part of the loss allowed', nominal.losses.windingConduction / allowedLoss(brief), 0, 0.4);

  // an inductor that can be wound: time constant, energy, resonance
  const { inductance, resistance, saturationCurrent } = d.inductor;
  between('time constant, s', inductance / resistance, 0.05e-3, 8e-3);
  between('energy, J', storedEnergy(inductance, saturationCurrent), 0, 0.12);
  between('self-resonance over frequency', selfResonance(inductance, saturationCurrent) / d.switchingFrequency, 8, 1e9);
  if (nominal.conductionMode === 'CCM' && carried >= 0.2) {
    const ripple = Math.max(...full.map((p) => p.inductorCurrent.ripple)) / carried;
    between('ripple ratio', ripple, 0.18, 0.5);
  }
  between('saturation over peak', saturationCurrent / Math.max(...points.map((p) => p.inductorCurrent.peak)), 1.1, 3);

  // switches that are made
  const classOf = (rating: number) => SWITCH_CLASSES.find((c) => c.rating === rating);
  const control = classOf(d.controlSwitch.voltageRating!);
  between('control switch over the best die', d.controlSwitch.onResistance / (control?.least ?? 1), 0.25, 320);
  const blocked = Math.max(
    ...points.map((p) => Math.max(p.controlSwitch.blockingVoltage, p.boostLeg?.controlSwitch.blockingVoltage ?? 0)),
  );
  between('rating over blocking', d.controlSwitch.voltageRating! / blocked, 1.15, blocked < 18 ? 20 : 3.2);
  if (d.rectifier.kind === 'diode') {
    const heat = Math.max(...points.map((p) => p.losses.rectifierConduction)) / d.phases;
    between('diode’s part of the output', heat / nominal.outputPower, 0, 0.06);
  }

  // frequency, duty and phases
  const band = brief.keepClear ? 2.4e6 : 520e3;
  between('frequency', d.switchingFrequency, 20e3, band);
  if (blocked > 300) between('frequency at high voltage', d.switchingFrequency, 20e3, 130e3);
  const duties = points.map((p) => (p.region ? (p.boostDuty ?? 0) : p.duty));
  between('duty', Math.max(...duties), 0, 0.9);
  between('current of a phase', carried, 0, 28);
  between('power of a phase at up to 75 V', blocked <= 75 ? nominal.outputPower / d.phases : 0, 0, 320);

  // banks: voltage classes, numbers that fit a board, bulk or damping at the input
  for (const [side, banks, volts] of [
    ['output', d.outputCapacitors, brief.outputVoltage],
    ['input', d.inputCapacitors, brief.inputVoltage.max],
  ] as const) {
    for (const bank of banks)
      between(`${side} capacitor’s rating`, bank.voltageRating! / volts, 1.1, volts < 5 ? 20 : 4.2);
    between(
      `${side} capacitors`,
      banks.reduce((sum, bank) => sum + bank.count, 0),
      1,
      36,
    );
  }
  if (nominal.outputPower > 2) between('kinds of capacitor at the input', d.inputCapacitors.length, 2, 3);

  // a usual step, also where the brief gives none
  const step = brief.loadStep ?? {
    from: brief.outputCurrent.max / 2,
    to: brief.outputCurrent.max,
    deviation: 0.05 * brief.outputVoltage,
  };
  if (nominal.conductionMode === 'CCM') {
    const stepped = { ...design, brief: { ...brief, loadStep: step } };
    const worst = Math.max(
      ...full.flatMap((p) => (['up', 'down'] as const).map((way) => predictExcursion(way, stepped, d, p))),
    );
    between('excursion over allowed', worst / step.deviation!, 0, 1);
  }
  return faults;
}

test.each(BRIEFS.map((row) => [row[0], row] as const))('%s: an expert would sign', (_, row) => {
  const design = briefOf(row);
  expect(faultsOf(design, solve(design))).toEqual([]);
});

describe('what is particular to some of them', () => {
  const decide = (name: string): Result => solve(briefOf(BRIEFS.find((row) => row[0] === name)!));
  const topologyOf = (name: string): Topology => decide(name).decisions.topology;

  test('a milliampere gets a small inductor and pulses, not henries and a fixed frequency', () => {
    for (const name of ['one milliampere', 'sensor', 'coin cell']) {
      const { decisions } = decide(name);
      expect(decisions.lightLoad).toBe('pulse-skipping');
      expect(decisions.inductor.inductance).toBeLessThanOrEqual(100e-6);
    }
  });

  test('a far step up runs in pulses through a diode', () => {
    for (const name of ['tube', 'counter tube', '400 V from 24 V']) {
      const { decisions, operatingPoints, warnings } = decide(name);
      expect(decisions.rectifier.kind).toBe('diode');
      expect(operatingPoints.every((p) => p.conductionMode === 'DCM')).toBe(true);
      expect(decisions.inductor.inductance).toBeLessThan(60e-6);
      expect(warnings.map(({ id }) => id)).toContain('conversion-ratio');
    }
  });

  test('bands are left by the near side, and what is heard is not entered', () => {
    expect(decide('noise-shy radio').decisions.switchingFrequency).toBeGreaterThan(1.7e6);
    expect(decide('long-wave receiver').decisions.switchingFrequency).toBe(500e3);
  });

  test('a step that was assumed is said, with its figures', () => {
    const rule = decide('processor from 5 V').decided.find(({ path }) => path === 'outputCapacitors')!.rule;
    expect(rule).toMatch(/assumed: 50\sA within 60\smV/u);
  });

  test('topology, phases and cautions', () => {
    expect(topologyOf('11 V from 12 V')).toBe('four-switch-buck-boost');
    expect(topologyOf('36 V to 24 V')).toBe('buck');
    expect(decide('54 V across').decisions.phases).toBeGreaterThan(1);
    expect(decide('processor from 5 V').decisions.phases).toBeGreaterThanOrEqual(4);
    for (const name of ['325 V to 12 V', '400 V to 48 V'])
      expect(decide(name).cautions.map(({ id }) => id)).toContain('isolation');
  });

  test('compared topologies share out the same silicon, and the one that chops least loses least', async () => {
    const { compareTopologies } = await import('../../explore/topologies.ts');
    const { alternatives } = compareTopologies(briefOf(BRIEFS[0]!));
    const loss = (topology: Topology): number => alternatives.find((a) => a.topology === topology)!.loss;
    expect(loss('buck')).toBeLessThan(loss('inverting-buck-boost'));
    expect(loss('inverting-buck-boost')).toBeLessThan(loss('four-switch-buck-boost'));
  });
});
