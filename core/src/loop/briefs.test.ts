import { describe, expect, test } from '@jest/globals';
import { simulate } from '../simulation/simulate.ts';
import { solve } from '../solve.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { suggestLoadStep } from '../estimates/loadStep.ts';
import { BRIEFS, briefOf, type BriefRow } from '../testing/briefs.ts';
import { designWith } from '../testing/designs.ts';
import { runs } from '../testing/runs.ts';
import { loopCorners, loopTargets } from './corners.ts';
import { loop, SKIPPED } from './loop.ts';

/**
 * A loop decided by rule alone: its margins at least, degrees and dB, and its crossover over the frequency at most, of one
 * phase and of several that act in turn. Common practice, no source.
 */
const HELD = { phase: 40, gain: 8, crossover: 0.12, together: 0.2 };

/** What a bare brief's loop lacks at any corner, in words; empty when nothing. */
function lacks(row: (typeof BRIEFS)[number]): string[] {
  const going = loopCorners(briefOf(row));
  let step = going.next();
  while (!step.done) step = going.next();
  const { corners, troubles } = step.value;
  const fastest = completeDecisions(briefOf(row)).decisions.phases > 1 ? HELD.together : HELD.crossover;
  const words = corners.flatMap(({ phaseMargin, gainMargin, crossoverFrequency, frequency, inputVoltage }) =>
    [
      phaseMargin !== null && phaseMargin < HELD.phase ? `${phaseMargin.toFixed(1)}°` : '',
      gainMargin !== null && gainMargin < HELD.gain ? `${gainMargin.toFixed(1)} dB` : '',
      (crossoverFrequency ?? 0) > fastest * frequency ? `crosses over at ${crossoverFrequency} Hz` : '',
    ]
      .filter((one) => one !== '')
      .map((one) => `${one} at ${inputVoltage} V`),
  );
  // pulses that are skipped leave no loop to tell, and at full load nothing else does
  const { max } = briefOf(row).brief.outputCurrent;
  const others = troubles.filter(({ at, message }) => at.outputCurrent === max && message !== SKIPPED);
  return [...words, ...others.map(({ message }) => message)];
}

describe('with only a brief the loop is closed', () => {
  // every third here, all of them in check:properties
  test.each(BRIEFS.filter((_, k) => runs(1) > 1 || k % 3 === 0))('%s: margins at every corner', (...row) =>
    expect(lacks(row)).toEqual([]),
  );

  // a bulk whose ESR holds its impedance up where a right-half-plane zero raises the gain; a crossover that moves over the line
  test.each<BriefRow>([
    ['6.1 V from 5 V, ceramics and polymers', [4.64, 5.1, 5.61], 6.1, [6, 12], { load: 'constant-current' }],
    ['8 V from 5.7 V, 11 A', [5.7, 5.7, 5.7], 8, [5.5, 11]],
    ['7.4 V from 5.8 V in two phases', [5.27, 5.8, 6.38], 7.4, [11, 22]],
    ['15 V from 7.3 V, ceramics and electrolytics', [7.3, 7.3, 7.3], 15, [4.3, 8.6]],
    ['7.8 V across, from 1.9 V on', [1.9, 3.8, 7.6], 7.8, [0.09, 0.18], { load: 'constant-current' }],
    ['8.2 V from 1.9 V on', [1.85, 3.7, 7.4], 8.2, [0.65, 1.3], { load: 'constant-current' }],
  ])('%s: margins at every corner', (...row) => expect(lacks(row)).toEqual([]));

  // no resonance to pass where each pulse stops, and a network that does what its line says
  test('a boost of single pulses in voltage mode crosses over where it promises', () => {
    const row: BriefRow = ['140 V from 12.5 V', [11, 12.5, 14.5], 140, [0.05, 0.55]];
    const design = briefOf(row);
    const held = { ...design, decisions: { ...design.decisions, control: { method: 'voltage-mode' as const } } };
    const going = loopCorners(held);
    let step = going.next();
    while (!step.done) step = going.next();
    const { corners } = step.value;
    const promised = completeDecisions(held).decided.find(({ path }) => path === 'compensator')!.rule;
    expect(promised).toMatch(/to cross over at 6\.5\skHz at full load and 1\.5\skHz at the lightest/u);
    const full = corners.filter(({ outputCurrent }) => outputCurrent === 0.55).map((at) => at.crossoverFrequency!);
    expect(Math.max(...full) / 6500).toBeGreaterThan(0.7);
    expect(Math.max(...full) / 6500).toBeLessThan(1.3);
    expect(Math.min(...corners.map(({ phaseMargin }) => phaseMargin!))).toBeGreaterThan(45);
  });

  // down to where the current stops for most of a period, and the loop is many times slower than at full load
  const deep = ['small logic', '24 V to 12 V', '36 V to 24 V', '24 V from 12 V', '48 V from 12 V', 'negative 48 V'];
  test.each(BRIEFS.filter(([name]) => deep.includes(name)))(
    '%s: the phase margin holds down to a hundredth of full load',
    (...row) => {
      const [name, input, output, [, most], extra = {}] = row;
      const going = loopCorners(briefOf([name, input, output, [most / 100, most], extra]));
      let step = going.next();
      while (!step.done) step = going.next();
      expect(step.value.corners.filter(({ conductionMode }) => conductionMode === 'DCM').length).toBeGreaterThan(0);
      for (const { phaseMargin } of step.value.corners) expect(phaseMargin!).toBeGreaterThan(45);
    },
  );

  test('down to no load at all the network stays one that can be made, no faster than for a little', () => {
    const [name, input, output, [, most]] = BRIEFS.find(([one]) => one === 'small logic')!;
    const zeroAt = (least: number): number => {
      const { compensator } = completeDecisions(briefOf([name, input, output, [least, most]])).decisions;
      return 1 / (2 * Math.PI * compensator!.feedbackResistor! * compensator!.feedbackCapacitor!);
    };
    expect(zeroAt(0)).toBeGreaterThan(100);
    expect(zeroAt(0)).toBeLessThan(1.01 * zeroAt(most / 1000));
    expect(zeroAt(most / 1000)).toBeLessThan(0.2 * zeroAt(most / 10));
  });

  // one of each kind of stage, and one whose bank is of unlike parts with series inductance
  const stepped = [
    'point of load',
    '24 V logic',
    'solar charger',
    '24 V from 12 V',
    'negative 9 V',
    '13 V across',
    'tube',
  ];
  test.each(BRIEFS.filter(([name]) => stepped.includes(name)))(
    '%s: its bank holds the usual step, simulated at both ends of the line',
    (...row) => {
      const bare = briefOf(row);
      const loadStep = suggestLoadStep(bare.brief);
      const design = { ...bare, brief: { ...bare.brief, loadStep } };
      for (const inputVoltage of [design.brief.inputVoltage.min, design.brief.inputVoltage.max]) {
        const { measurements: m } = simulate(design, {
          scenario: 'load-step',
          release: true,
          waveforms: false,
          at: { inputVoltage },
        });
        const worst = Math.max(m.undershoot!, m.overshoot!, m.release!.undershoot, m.release!.overshoot);
        expect(worst / loadStep.deviation!).toBeLessThan(1);
      }
    },
  );

  // so small or so frugal that pulses fall away: what the Stage says and what is simulated are the same pulses
  test.each([
    ...BRIEFS.filter(([name]) => ['tiny logic', 'one milliampere', 'sensor', '24 V sensor'].includes(name)),
    ['9 V battery', [6.5, 8.4, 9.6], 5, [5e-4, 0.5], { source: 'battery' }] as BriefRow,
  ])('%s: pulses of one size from full load to the least, as many as it takes', (...row) => {
    const bare = briefOf(row);
    const { min, max } = bare.brief.inputVoltage;
    const { min: least, max: most } = bare.brief.outputCurrent;
    for (const inputVoltage of [min, max])
      for (const outputCurrent of [least, Math.sqrt(least * most), most]) {
        const at = { inputVoltage, outputCurrent };
        const stands = solve(bare, { at }).operatingPoints[0]!;
        const { steadyState, measurements } = simulate(bare, { scenario: 'steady-state', at, waveforms: false });
        expect(steadyState!.periodic).toBe(true);
        // the comparator holds a valley, and the divider makes the middle of what comes of it the output wanted
        const { outputVoltage } = bare.brief;
        const held = measurements.outputVoltage.average / outputVoltage;
        expect(Math.abs(held - 1)).toBeLessThan(0.016);
        // at that output the same on-time takes so many pulses for a resistive load
        const asHeld =
          held *
          (stands.conductionMode === 'CCM'
            ? 1
            : (held * (inputVoltage - outputVoltage)) / (inputVoltage - held * outputVoltage));
        // an on-time without drops in it: drops bring more pulses, a few per cent
        expect(measurements.frequency / stands.switchingFrequency / asHeld).toBeGreaterThan(0.99);
        expect(measurements.frequency / stands.switchingFrequency / asHeld).toBeLessThan(1.06);
      }
    const going = loopCorners(bare);
    let step = going.next();
    while (!step.done) step = going.next();
    expect(step.value.troubles).toEqual([]);
    // beyond half of the pulses there are there is nothing to cross over, nor to hold
    for (const { crossoverFrequency, switches, loop: curve } of step.value.corners) {
      expect(crossoverFrequency ?? 0).toBeLessThan(switches / 2);
      expect(curve.frequency.at(-1)!).toBeLessThanOrEqual(switches / 2);
      expect(curve.frequency.length).toBeGreaterThan(30);
    }
    for (const { verdict } of loopTargets(bare, step.value)) expect(verdict).not.toBe('missed');
  });

  test('a digital controller’s coefficients are decided: margins hold, and the step too', () => {
    for (const name of ['24 V logic', '48 V from 24 V']) {
      const bare = briefOf(BRIEFS.find(([one]) => one === name)!);
      const design = { ...bare, decisions: { ...bare.decisions, control: { method: 'digital' as const } } };
      const { digital } = completeDecisions(design).decisions.control;
      expect(digital!.denominator[0]).toBe(1);
      const going = loopCorners(design);
      let step = going.next();
      while (!step.done) step = going.next();
      expect(step.value.corners).toHaveLength(6);
      for (const { phaseMargin } of step.value.corners) expect(phaseMargin!).toBeGreaterThan(HELD.phase);
      const { min } = design.brief.inputVoltage;
      const stepped = { ...design, brief: { ...design.brief, loadStep: suggestLoadStep(design.brief) } };
      const { undershoot } = simulate(stepped, {
        scenario: 'load-step',
        waveforms: false,
        at: { inputVoltage: min },
      }).measurements;
      expect(undershoot! / stepped.brief.loadStep.deviation!).toBeLessThan(1);
    }
  });
});

// the frequency is what comes out there, several times below the clock's; 40° is what the slowest boost has
describe.each(['peak-current-mode', 'voltage-mode'])('critical conduction in %s', (method) => {
  test.each([
    ['buck', 3.3, 1, 0],
    ['buck', 3.3, 2, 0.5],
    ['boost', 48, 1, 0.5],
    ['inverting-buck-boost', 12, 1, 0],
    ['inverting-buck-boost', 12, 3, 0],
  ])('a network is placed by the frequency that comes out: %s to %d V, %d phases, %d A below zero', (...row) => {
    const [topology, outputVoltage, phases, valleyCurrent] = row;
    const design = designWith(
      {
        topology,
        phases,
        conduction: 'critical',
        critical: { valleyCurrent },
        control: { method, deadTime: 0 },
        outputCapacitors: [{ capacitance: 200e-6, esr: 0.002 }],
      },
      { outputVoltage, outputCurrent: { min: 1, max: 5 } },
    );
    for (const inputVoltage of [18, 32]) {
      const at = { inputVoltage, outputCurrent: 5 };
      const { crossoverFrequency, phaseMargin } = loop(design, { at });
      const { switchingFrequency } = solve(design, { at }).operatingPoints[0]!;
      expect(crossoverFrequency! / switchingFrequency).toBeGreaterThan(0.01);
      expect(crossoverFrequency! / switchingFrequency).toBeLessThan(0.2);
      expect(phaseMargin!).toBeGreaterThan(40);
      expect(simulate(design, { scenario: 'steady-state', at, waveforms: false }).steadyState!.periodic).toBe(true);
    }
  });
});
