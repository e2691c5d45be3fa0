import { describe, expect, test } from '@jest/globals';
import { magnitude, type Complex } from '../numbers/complex.ts';
import { preferredNearest } from '../quantity/index.ts';
import { preferredMoved } from '../quantity/preferred.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { simulate } from '../simulation/simulate.ts';
import { BRIEFS, briefOf } from '../testing/briefs.ts';
import { designWith, TYPE_3 } from '../testing/designs.ts';
import { loop, loopAt, usualFrequencies } from './loop.ts';
import { marginsOf } from './margins.ts';
import { optimiseNetwork, USUALLY_HELD, type Objective, type Optimised } from './optimise.ts';
import { steppedBy } from './predicted.ts';
import { spreadCorners, varied } from './spread.ts';
import { witnessesAt } from './witnesses.ts';

const still = { resistance: 1e-7, saturationCurrent: 100 };
const switches = { controlSwitch: { onResistance: 1e-7 }, rectifier: { kind: 'synchronous', onResistance: 1e-7 } };

describe('the textbook’s plants', () => {
  // Erickson and Maksimović, the averaged-model chapter's buck-boost; docs/sources.md; recalled from memory
  test('a buck-boost of 160 µH and 160 µF at D = 0.6', () => {
    const design = designWith(
      {
        topology: 'inverting-buck-boost',
        switchingFrequency: 100e3,
        inductor: { inductance: 160e-6, ...still },
        ...switches,
        outputCapacitors: [{ capacitance: 160e-6, esr: 1e-7 }],
        control: { method: 'voltage-mode', referenceVoltage: 5, rampAmplitude: 1 },
      },
      { inputVoltage: { min: 30, nominal: 30, max: 30 }, outputVoltage: 45, outputCurrent: { min: 1, max: 4.5 } },
    );
    const { features, textbook, averaged } = witnessesAt(design);
    const named = (name: string) => features.find((one) => one.name === name)!;
    expect(named('output filter').frequency).toBeCloseTo(398, 0);
    expect(named('output filter').q).toBeCloseTo(4, 1);
    expect(named('right-half-plane zero').frequency / 2650).toBeCloseTo(1, 2);
    expect(textbook!.gain[0]!).toBeCloseTo(20 * Math.log10(187.5), 1);
    // and the stage's own network agrees, where nothing is left out of the textbook
    averaged!.gain.forEach((gain, k) => {
      if (averaged!.frequency[k]! < 20e3) expect(Math.abs(gain - textbook!.gain[k]!)).toBeLessThan(0.3);
    });
  });

  test.each(['buck', 'boost', 'inverting-buck-boost'])(
    'peak current mode with its sampling is near the switching stage’s own, to a third of the frequency: %s',
    (topology) => {
      const design = designWith(
        {
          topology,
          inductor: { inductance: 22e-6, ...still },
          ...switches,
          outputCapacitors: [{ capacitance: 100e-6, esr: 2e-3 }],
          control: { method: 'peak-current-mode', currentSenseGain: 0.05, slopeCompensation: 5e4 },
        },
        {
          inputVoltage: { min: 12, nominal: 12, max: 12 },
          outputVoltage: topology === 'buck' ? 5 : topology === 'boost' ? 24 : 12,
          outputCurrent: { min: 1, max: 4 },
        },
      );
      const { exact, textbook, words } = witnessesAt(design);
      expect(words.length).toBeGreaterThan(0);
      exact!.frequency.forEach((frequency, k) => {
        if (frequency > 400e3 / 3) return;
        expect(Math.abs(exact!.gain[k]! - textbook!.gain[k]!)).toBeLessThan(1.5);
        expect(Math.abs(exact!.phase[k]! - textbook!.phase[k]!)).toBeLessThan(12);
      });
    },
  );
});

describe('the step that an output impedance predicts', () => {
  const grid = (low: number, high: number, points: number): number[] =>
    Array.from({ length: points }, (_, k) => low * (high / low) ** (k / (points - 1)));

  test('is the closed form’s of R, L and C side by side', () => {
    const [r, l, c] = [0.15, 2e-6, 200e-6];
    const alpha = 1 / (2 * r * c);
    const omega0 = 1 / Math.sqrt(l * c);
    const shape = (time: number): number =>
      omega0 > alpha
        ? (Math.exp(-alpha * time) * Math.sin(Math.sqrt(omega0 ** 2 - alpha ** 2) * time)) /
          (c * Math.sqrt(omega0 ** 2 - alpha ** 2))
        : 0;
    const frequencies = grid(1, 3e6, 400);
    const impedance = frequencies.map((frequency): Complex => {
      const w = 2 * Math.PI * frequency;
      const [g, b] = [1 / r, w * c - 1 / (w * l)];
      const size = g * g + b * b;
      return [g / size, -b / size];
    });
    const timesAsked = grid(2e-6, 200e-6, 12);
    const peak = Math.max(...timesAsked.map(shape));
    steppedBy(frequencies, impedance, timesAsked).forEach((value, k) =>
      expect(Math.abs(value - shape(timesAsked[k]!)) / peak).toBeLessThan(0.01),
    );
  });

  test('is what the switching stage does after a small step', () => {
    const design = designWith(
      {
        control: { method: 'voltage-mode', referenceVoltage: 0.8, rampAmplitude: 1.5 },
        compensator: { amplifier: 'op-amp', ...TYPE_3 },
      },
      { loadStep: { from: 5, to: 6, slewRate: 1e8 } },
    );
    const { outputImpedance } = loop(design);
    const impedance = outputImpedance.magnitude.map((size, k): Complex => {
      const angle = (outputImpedance.phase[k]! * Math.PI) / 180;
      return [size * Math.cos(angle), size * Math.sin(angle)];
    });
    const dips = steppedBy(outputImpedance.frequency, impedance, grid(1e-6, 200e-6, 60));
    const { measurements } = simulate(design, { scenario: 'load-step', waveforms: false });
    const steady = simulate(design, { scenario: 'steady-state', waveforms: false }).measurements.outputVoltage;
    // half the ripple stands on what the step does
    const alone = measurements.undershoot! - steady.peakToPeak / 2;
    expect(Math.abs(Math.max(...dips) / alone - 1)).toBeLessThan(0.15);
  });
});

describe('a network by direct search', () => {
  const searched = (design: ReturnType<typeof briefOf>, objective: Objective): Optimised => {
    const going = optimiseNetwork(design, objective);
    let step = going.next();
    while (!step.done) step = going.next();
    return step.value;
  };
  const logic = briefOf(BRIEFS.find(([name]) => name === '24 V logic')!);

  test.each(['bandwidth', 'impedance', 'step'] as const)(
    'holds its margins at every corner of line, load and parts, in parts that are made, and is the better: %s',
    (objective) => {
      const found = searched(logic, objective);
      expect(found.holds).toBe(true);
      expect(found.corners).toHaveLength(spreadCorners(logic).length);
      for (const { phaseMargin, gainMargin, crossoverFrequency } of found.corners) {
        // the search tells margins by straight lines between its frequencies
        expect(phaseMargin!).toBeGreaterThan(USUALLY_HELD.phaseMargin - 1);
        expect(gainMargin ?? Infinity).toBeGreaterThan(USUALLY_HELD.gainMargin - 0.5);
        expect(crossoverFrequency!).toBeLessThan(1.02 * USUALLY_HELD.crossover * 500e3);
      }
      if (objective === 'bandwidth') expect(found.value).toBeGreaterThan(found.before);
      else expect(found.value).toBeLessThan(found.before);
      const { feedbackResistor, feedbackCapacitor, inputResistor } = found.compensator;
      expect(preferredNearest(feedbackResistor!, 'E96')).toBe(feedbackResistor);
      expect(preferredNearest(inputResistor!, 'E96')).toBe(inputResistor);
      expect(preferredNearest(feedbackCapacitor!, 'E12')).toBe(feedbackCapacitor);
    },
  );

  test('no part one step up or down would do better: it lacks a margin somewhere, or crosses over no higher', () => {
    const { compensator, value } = searched(logic, 'bandwidth');
    const { decisions } = completeDecisions(logic);
    const usual = usualFrequencies(decisions.switchingFrequency);
    const judged = (parts: typeof compensator): { holds: boolean; slowest: number } => {
      const all = spreadCorners(logic).map(({ corner, variation }) => {
        const { gain } = loopAt(logic, varied({ ...decisions, compensator: parts }, variation), corner);
        return marginsOf(usual, usual.map(gain), gain);
      });
      return {
        // by the loop's own margins, a little short of what the search asks for by straight lines
        holds: all.every(
          ({ phaseMargin, gainMargin, crossoverFrequency }) =>
            phaseMargin! >= USUALLY_HELD.phaseMargin + 0.5 &&
            (gainMargin ?? Infinity) >= USUALLY_HELD.gainMargin + 0.3 &&
            crossoverFrequency! <= 0.99 * USUALLY_HELD.crossover * decisions.switchingFrequency,
        ),
        slowest: Math.min(...all.map(({ crossoverFrequency }) => crossoverFrequency!)),
      };
    };
    expect(judged(compensator).slowest / value).toBeCloseTo(1, 2);
    for (const part of ['feedbackResistor', 'feedbackCapacitor', 'inputResistor', 'inputCapacitor'] as const)
      for (const by of [1, -1]) {
        const series = part.endsWith('Capacitor') ? 'E12' : 'E96';
        const { holds, slowest } = judged({
          ...compensator,
          [part]: preferredMoved(compensator[part]!, series, by),
        });
        if (holds) expect(slowest).toBeLessThan(1.005 * value);
      }
  });

  test('what the search calls a margin is the loop’s own at that corner', () => {
    const { compensator, corners } = searched(logic, 'bandwidth');
    const plain = corners.find(({ parts, inputVoltage }) => parts === 'as designed' && inputVoltage === 32)!;
    const own = loop({ ...logic, decisions: { ...completeDecisions(logic).decisions, compensator } }, { at: plain });
    expect(own.phaseMargin!).toBeCloseTo(plain.phaseMargin!, 1);
    expect(magnitude([own.crossoverFrequency! / plain.crossoverFrequency!, 0])).toBeCloseTo(1, 3);
  });

  test('a controller without a network is told so', () => {
    const fixed = designWith({ control: { method: 'constant-on-time' } });
    expect(() => searched(fixed, 'bandwidth')).toThrow(/no amplifier network/u);
  });
});
