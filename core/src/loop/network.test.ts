import { describe, expect, test } from '@jest/globals';
import { preferredNearest } from '../quantity/index.ts';
import type { CompensatorParts } from '../simulation/amplifier.ts';
import { designWith, TYPE_3 } from '../testing/designs.ts';
import type { Design } from '../design/schema.ts';
import { CompensatorResponse } from './compensator.ts';
import { loopCorners, withNetwork, type LoopCorners } from './corners.ts';
import { moveCorner, networkCorners, type NetworkCorner } from './network.ts';
import { magnitude } from '../numbers/complex.ts';
import { optimiseNetwork } from './optimise.ts';
import { witnessesAt } from './witnesses.ts';

const parts: CompensatorParts = { amplifier: 'op-amp', ...TYPE_3 };
const base = {
  control: { method: 'voltage-mode', referenceVoltage: 0.8, rampAmplitude: 1.5 },
  outputCapacitors: [{ capacitance: 47e-6, esr: 0.008, count: 2 }],
};

function cornersOf(design: Design, spread = false): LoopCorners {
  const going = loopCorners(design, spread);
  let step = going.next();
  while (!step.done) step = going.next();
  return step.value;
}

describe('zeros and poles of a network', () => {
  test('stand where its own response bends', () => {
    const response = new CompensatorResponse(parts, 2.5e-6);
    const slope = (at: number): number =>
      (20 * Math.log10(magnitude(response.at(at * 1.01)) / magnitude(response.at(at / 1.01)))) / (2 * Math.log10(1.01));
    const found = networkCorners(parts);
    // an integrator falls by 20 dB a decade, each zero adds and each pole takes as much
    const order = Object.entries(found).sort(([, a], [, b]) => a - b);
    let expected = -20;
    const places = [order[0]![1] / 30, ...order.map(([, at]) => at), order[order.length - 1]![1] * 30];
    expect(slope(places[0]!)).toBeCloseTo(expected, 0);
    for (const [name] of order) expected += name.startsWith('zero') || name === 'leadZero' ? 20 : -20;
    expect(slope(places[places.length - 1]!)).toBeCloseTo(expected, 0);
    expect(order.map(([name]) => name).sort()).toEqual(['leadPole', 'leadZero', 'pole', 'zero']);
    expect(networkCorners({ ...parts, type: 1 })).toEqual({});
    expect(Object.keys(networkCorners({ ...parts, type: 2 }))).toEqual(['zero', 'pole']);
  });

  test.each(['zero', 'pole', 'leadZero', 'leadPole'] as NetworkCorner[])(
    'are moved to the nearest that stock parts give: %s',
    (which) => {
      const from = networkCorners(parts)[which]!;
      const moved = moveCorner(parts, which, 1.7 * from);
      // capacitors stand 21 % apart, resistors 2.4 %
      expect(Math.abs(networkCorners(moved)[which]! / (1.7 * from) - 1)).toBeLessThan(0.13);
      const changed = Object.keys(parts).filter((key) => moved[key] !== parts[key]);
      expect(changed).toHaveLength(1);
      const [key] = changed;
      expect(preferredNearest(moved[key!] as number, key!.endsWith('Resistor') ? 'E96' : 'E12')).toBe(moved[key!]);
    },
  );
});

test('with another network every known corner is what it is when that network is held', () => {
  const known = cornersOf(designWith({ ...base, compensator: parts }), true);
  expect(known.corners).toHaveLength(18);
  const other = moveCorner(parts, 'zero', 6e3);
  const dragged = withNetwork(known, other);
  const held = cornersOf(designWith({ ...base, compensator: other }), true);
  dragged.corners.forEach((corner, k) => {
    const own = held.corners[k]!;
    expect(corner.parts).toBe(own.parts);
    expect(corner.crossoverFrequency! / own.crossoverFrequency!).toBeCloseTo(1, 3);
    expect(Math.abs(corner.phaseMargin! - own.phaseMargin!)).toBeLessThan(0.1);
    expect(Math.abs(corner.loop.gain[40]! - own.loop.gain[40]!)).toBeLessThan(1e-6);
    expect(corner.outputImpedance[80]! / own.outputImpedance[80]!).toBeCloseTo(1, 6);
    expect(corner.audioSusceptibility[80]! / own.audioSusceptibility[80]!).toBeCloseTo(1, 6);
  });
});

test('so it is where the load stands behind a section that the loop is without', () => {
  const outputFilter = {
    inductance: 100e-9,
    resistance: 2e-3,
    capacitors: [{ capacitance: 22e-6, esr: 3e-3, esl: 0, count: 2 }],
    feedback: 'before',
  };
  const known = cornersOf(designWith({ ...base, outputFilter, compensator: parts }));
  const other = moveCorner(parts, 'leadZero', 9e3);
  const dragged = withNetwork(known, other);
  const held = cornersOf(designWith({ ...base, outputFilter, compensator: other }));
  expect(dragged.corners.length).toBeGreaterThan(3);
  dragged.corners.forEach((corner, k) => {
    const own = held.corners[k]!;
    for (const place of [10, 60, 100, 150]) {
      expect(corner.outputImpedance[place]! / own.outputImpedance[place]!).toBeCloseTo(1, 6);
      expect(corner.audioSusceptibility[place]! / own.audioSusceptibility[place]!).toBeCloseTo(1, 6);
    }
  });
});

describe('what cannot be had is said', () => {
  const searched = (design: Design) => {
    const going = optimiseNetwork(design, 'bandwidth');
    let step = going.next();
    while (!step.done) step = going.next();
    return step.value;
  };

  test('an integrator alone finds no bandwidth that holds above a sharp filter', () => {
    const sharp = designWith({
      ...base,
      outputCapacitors: [{ capacitance: 47e-6, esr: 1e-4, count: 2 }],
      compensator: { ...parts, type: 1, feedbackCapacitor: 1e-9 },
    });
    const { holds, heldBefore, corners } = searched(sharp);
    expect(heldBefore).toBe(false);
    // what it found crosses over below the resonance, or it says that nothing holds
    const fastest = Math.max(...corners.map(({ crossoverFrequency }) => crossoverFrequency ?? 0));
    expect(holds ? fastest : 0).toBeLessThan(5e3);
  });

  test('corners whose pulses are skipped have no loop, and are named', () => {
    const skips = designWith(
      { ...base, compensator: parts, lightLoad: 'pulse-skipping' },
      { outputCurrent: { min: 0.0005, max: 6 } },
    );
    const { without, corners } = searched(skips);
    expect(without.length + corners.length).toBe(18);
    expect(without.length).toBeGreaterThan(0);
    expect(new Set(without.map(({ corner }) => corner.outputCurrent))).toEqual(new Set([0.0005]));
    expect(without[0]!.message).toMatch(/skipped/u);
  });

  test('no textbook form for both legs of a four-switch stage', () => {
    const four = designWith(
      { topology: 'four-switch-buck-boost', control: { method: 'peak-current-mode' } },
      { inputVoltage: { min: 12, nominal: 12, max: 12 }, outputVoltage: 12, outputCurrent: { min: 0.2, max: 2 } },
    );
    const { textbook, exact, words } = witnessesAt(four);
    expect(textbook).toBeUndefined();
    expect(exact).toBeDefined();
    expect(words.join(' ')).toMatch(/both legs/u);
  });
});
