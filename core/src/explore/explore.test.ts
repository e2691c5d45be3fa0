import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { hold, type Design, type Topology } from '../design/index.ts';
import { solveCorner } from '../stage/operating/operatingPoint.ts';
import { waveformsAt } from '../stage/operating/waveforms.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { solve } from '../solve.ts';
import { anyStage, bareDesign, designWith, exampleWith, RATIOS } from '../testing/designs.ts';
import { topologyModel } from '../topology/index.ts';
import { balanceOf } from './balance.ts';
import { modeMap, ratioAgainstDuty } from './curves.ts';
import { picturesOf } from './pictures.ts';
import { dutyCurves, LIGHT_LOADS, lightLoadCurve, lineCurves } from './sweeps.ts';
import { compareTopologies } from './topologies.ts';
import { pairOf } from './twoStages.ts';
import { runs } from '../testing/runs.ts';

const TOPOLOGIES = Object.keys(RATIOS) as Topology[];

/** A stage of each kind with small losses, given in full. */
function stageOf(topology: Topology, decisions: object = {}, brief: object = {}): Design {
  return designWith(
    {
      topology,
      inductor: { inductance: 15e-6, resistance: 0.02, saturationCurrent: 20 },
      controlSwitch: { onResistance: 0.01 },
      rectifier: { kind: 'synchronous', onResistance: 0.01 },
      ...decisions,
    },
    {
      inputVoltage: { min: 9, nominal: 12, max: 16 },
      outputVoltage: { buck: 5, boost: 24, 'inverting-buck-boost': 12, 'four-switch-buck-boost': 12 }[topology],
      outputCurrent: { min: 0.2, max: 2 },
      ...brief,
    },
  );
}

describe('topologies side by side', () => {
  const brief = (inputVoltage: object, outputVoltage: number, more: object = {}): Design => {
    const design = designWith({}, { inputVoltage, outputVoltage, outputCurrent: { min: 0.1, max: 2 }, ...more });
    return { ...design, decisions: {} };
  };
  test.each<[string, Design, Record<Topology, RegExp | undefined>]>([
    [
      'a step down',
      brief({ min: 10, nominal: 12, max: 14 }, 5),
      {
        buck: undefined,
        boost: /cannot hold 5\sV from 14\sV: the input passes through/u,
        'inverting-buck-boost': undefined,
        'four-switch-buck-boost': undefined,
      },
    ],
    [
      'a step up',
      brief({ min: 10, nominal: 12, max: 14 }, 30),
      {
        buck: /cannot give 30\sV from 10\sV at 2\sA/u,
        boost: undefined,
        'inverting-buck-boost': undefined,
        'four-switch-buck-boost': undefined,
      },
    ],
    [
      'an input on both sides',
      brief({ min: 9, nominal: 12, max: 18 }, 12),
      {
        buck: /with the control switch always on it reaches 8\.\d+\sV/u,
        boost: /the output stands at 1\d\.?\d*\sV/u,
        'inverting-buck-boost': undefined,
        'four-switch-buck-boost': undefined,
      },
    ],
    [
      'a negative rail',
      brief({ min: 10, nominal: 12, max: 14 }, 5, { outputPolarity: 'negative' }),
      {
        buck: /gives \+5\sV, and the brief asks for −5\sV/u,
        boost: /gives \+5\sV/u,
        'inverting-buck-boost': undefined,
        'four-switch-buck-boost': /gives \+5\sV/u,
      },
    ],
  ])('%s: each is solved from the brief, and what rules one out is said with its number', (_, design, verdicts) => {
    const { alternatives, linear } = compareTopologies(design);
    for (const a of alternatives) {
      const expected = verdicts[a.topology];
      if (expected) expect(a.ruledOut.join(' ')).toMatch(expected);
      else {
        expect([a.topology, a.ruledOut]).toEqual([a.topology, []]);
        expect(a.result.targets.filter(({ verdict }) => verdict === 'missed').map(({ id }) => id)).toEqual([]);
      }
    }
    const { inputVoltage, outputVoltage, outputPolarity } = design.brief;
    expect(linear.feasible).toBe(outputPolarity !== 'negative' && inputVoltage.min > outputVoltage);
  });

  test('the figures are those of the worst corners, and the design’s own decisions do not weigh in', () => {
    const bare = brief({ min: 9, nominal: 12, max: 18 }, 12);
    const worked = { ...bare, decisions: { inductor: { inductance: 1e-3 }, phases: 4, switchingFrequency: 1e5 } };
    const plain = compareTopologies(bare).alternatives;
    expect(compareTopologies(worked).alternatives).toEqual(plain);
    for (const a of plain) {
      const points = a.result.operatingPoints;
      const most = (of: (p: (typeof points)[number]) => number): number => Math.max(...points.map(of));
      expect(a.inputCapacitorRms).toBe(most((p) => p.inputCapacitor.rmsCurrent));
      expect(a.outputCapacitorRms).toBe(most((p) => p.outputCapacitor.rmsCurrent));
      expect(a.inductor.energy).toBeCloseTo((a.phases * a.inductor.inductance * a.inductor.peak ** 2) / 2, 12);
      const stresses = [a.control, a.rectifier, ...(a.boostLeg ? [a.boostLeg.control, a.boostLeg.rectifier] : [])];
      expect(a.switchProduct).toBeCloseTo(
        stresses.reduce((sum, s) => sum + s.voltage * s.rmsCurrent * a.phases, 0),
        9,
      );
    }
    // where the current is chopped, the bank beside it carries it (common practice, no source)
    const rms = Object.fromEntries(
      compareTopologies(brief({ min: 12, nominal: 12, max: 12 }, 5)).alternatives.map((a) => [
        a.topology,
        [a.inputCapacitorRms, a.outputCapacitorRms],
      ]),
    );
    expect(rms['buck']![0]!).toBeGreaterThan(3 * rms['buck']![1]!);
    expect(rms['inverting-buck-boost']![1]!).toBeGreaterThan(3 * rms['buck']![1]!);
  });
});

describe.each(TOPOLOGIES)('curves of a %s', (topology) => {
  test('over line and load they pass through the corners, and over duty through the line', () => {
    const design = stageOf(topology);
    const { operatingPoints } = solve(design);
    const line = lineCurves(design, 8);
    for (const { load, points } of line) {
      expect(points[0]).toEqual(operatingPoints.find((p) => p.inputVoltage === 9 && p.outputCurrent === load));
      expect(points.at(-1)).toEqual(operatingPoints.find((p) => p.inputVoltage === 16 && p.outputCurrent === load));
    }
    const policies = LIGHT_LOADS.map((policy) => lightLoadCurve(design, policy, 6));
    const full = policies.map((points) => points.at(-1)!);
    for (const point of full) expect(point.duty).toBeCloseTo(full[0]!.duty, 9);
    const frequencies = policies.map((points) => points[0]!.switchingFrequency);
    expect(frequencies[0]).toBeCloseTo(4e5, 3);
    expect(frequencies[2]).toBeLessThan(frequencies[3]! * 1.0001);
    for (const { duties, points } of dutyCurves(design, 9)) {
      expect(duties.length).toBeGreaterThan(4);
      points.forEach((point, i) => {
        const ideal = topologyModel(topology).idealDuty(design.brief.outputVoltage / point.inputVoltage);
        expect(ideal).toBeCloseTo(duties[i]!, 9);
      });
    }
  });

  test('the ratio with losses is what the network gives at that duty', () => {
    const design = stageOf(topology, {}, { outputCurrent: { min: 0.2, max: 0.4 } });
    const { decisions } = completeDecisions(design);
    const curves = ratioAgainstDuty(design, decisions);
    expect(curves.length).toBe(topology === 'four-switch-buck-boost' ? 2 : 1);
    for (const { region, ideal, withLosses } of curves) {
      for (const at of [40, 80, 105]) {
        const ratio = withLosses.y[at]!;
        expect(ratio).toBeLessThan(ideal.y[at]!);
        // the load's resistance stays while the output moves
        const { outputCurrent, outputVoltage } = design.brief;
        const output = 12 * ratio;
        const current = (outputCurrent.max * output) / outputVoltage;
        const moved = stageOf(topology, {}, { outputVoltage: output, outputCurrent: { min: 0, max: current } });
        const { point } = solveCorner(topologyModel(topology), moved.brief, decisions, {
          inputVoltage: 12,
          outputCurrent: current,
        });
        if (region !== undefined && point!.region !== region) continue;
        const duty = region === 'boost' ? point!.boostDuty! : point!.duty;
        expect(duty).toBeCloseTo(withLosses.x[at]!, 2);
      }
    }
  });

  test('the map of modes puts a diode stage’s corners on the right side of its boundary', () => {
    const design = stageOf(
      topology,
      {
        inductor: { inductance: 4e-6, resistance: 0, saturationCurrent: 50 },
        controlSwitch: { onResistance: 0 },
        rectifier: { kind: 'diode', forwardVoltage: 0, resistance: 0 },
        outputCapacitors: [{ capacitance: 5e-3 }],
      },
      { outputCurrent: { min: 0.05, max: 4 } },
    );
    const { decisions, operatingPoints } = solve(design);
    const { boundaries, places } = modeMap(design, decisions, operatingPoints);
    expect(boundaries.length).toBe(topology === 'four-switch-buck-boost' ? 2 : 1);
    expect(places.length).toBeGreaterThanOrEqual(4);
    expect(new Set(places.map(({ mode }) => mode)).size).toBe(2);
    for (const { k, critical, mode } of places) expect(mode === 'CCM').toBe(k > critical);
  });
});

test('pictures: the span, and cancellation that vanishes at every m/N', () => {
  const pictures = picturesOf(hold(stageOf('buck'), 'phases', 4));
  expect(pictures.phases).toBe(4);
  expect(pictures.span.min).toBeGreaterThan(0.3);
  expect(pictures.span.max).toBeLessThan(0.6);
  pictures.cancellation.forEach(({ phases, curve }) => {
    curve.x.forEach((duty, i) => {
      const whole = Math.abs(duty * phases - Math.round(duty * phases)) < 1e-9;
      if (whole) expect(curve.y[i]).toBeCloseTo(0, 9);
      else if (duty > 0 && duty < 1) expect(curve.y[i]).toBeGreaterThan(0);
      expect(curve.y[i]).toBeLessThanOrEqual(1 + 1e-12);
    });
  });
  // without coupling the coefficient's end of every curve is the uncoupled one
  const { overCoefficient, duty } = pictures.coupled;
  const at = Math.round(duty * 200);
  expect(overCoefficient.inverse.winding.y[0]).toBeCloseTo(1, 9);
  expect(overCoefficient.direct.sum.y[0]).toBeCloseTo(pictures.cancellation[3]!.curve.y[at]!, 1);
});

test('waveforms of any stage: volts and charge balance, and what flows into a node flows out of it', () => {
  fc.assert(
    fc.property(anyStage, (design) => {
      const { decisions } = completeDecisions(design);
      const { brief } = design;
      for (const outputCurrent of [brief.outputCurrent.min, brief.outputCurrent.max]) {
        const w = waveformsAt(design, decisions, { inputVoltage: brief.inputVoltage.nominal, outputCurrent });
        if (!w) continue;
        const { voltSeconds, charge } = balanceOf(w);
        for (const { positive, negative } of [voltSeconds, charge])
          expect(Math.abs(positive + negative)).toBeLessThanOrEqual(0.02 * positive + 1e-15);
        expect(w.time.at(-1)).toBeCloseTo(2 * w.period, 12);
        // the phases add up to their sum; one of a leg's two switches carries the winding's current, body diodes among them
        const scale = Math.max(...w.inductorSum.map(Math.abs));
        let amiss = 0;
        w.time.forEach((_, i) => {
          const first = w.inductorCurrent[0]![i]!;
          const sum = w.inductorCurrent.reduce((total, phase) => total + phase[i]!, 0);
          const second = w.boostControlCurrent ? w.boostControlCurrent[i]! + w.boostRectifierCurrent![i]! : first;
          for (const off of [
            sum - w.inductorSum[i]!,
            w.controlCurrent[i]! + w.rectifierCurrent[i]! - first,
            second - first,
          ])
            amiss = Math.max(amiss, Math.abs(off) / scale);
          if (w.gate[i] === 1) amiss = Math.max(amiss, Math.abs(w.rectifierCurrent[i]!));
        });
        expect(amiss).toBeLessThan(1e-9);
      }
    }),
    { numRuns: runs(30), seed: 21 },
  );
}, 120_000);

describe('two stages', () => {
  test.each([
    [
      '48 V to 0.9 V',
      { inputVoltage: { min: 40, nominal: 48, max: 60 }, outputVoltage: 0.9, outputCurrent: { min: 1, max: 20 } },
      9,
    ],
    [
      '5 V to 150 V',
      { inputVoltage: { min: 4.5, nominal: 5, max: 5.5 }, outputVoltage: 150, outputCurrent: { min: 1e-3, max: 0.02 } },
      24,
    ],
  ])('%s is built as two rails, each within what one stage does well', (_, brief, voltage) => {
    const design = bareDesign({ ...brief, efficiency: 0.85 });
    const pair = pairOf(design)!;
    expect(pair.voltage).toBe(voltage);
    const [first, second] = [solve(pair.first), solve(pair.second)];
    for (const { warnings } of [first, second]) expect(warnings.map(({ id }) => id)).not.toContain('conversion-ratio');
    // the first delivers what the second draws, and both together lose what one was allowed
    const drawn = Math.max(...second.operatingPoints.map((point) => point.inputCurrent.average));
    expect(pair.first.brief.outputCurrent.max).toBeGreaterThan(drawn);
    expect(pair.first.brief.outputCurrent.max).toBeLessThan(1.3 * drawn);
    expect(pair.first.brief.efficiency! * pair.second.brief.efficiency!).toBeCloseTo(0.85, 2);
    expect(pair.second.brief.sourceName).toBe(pair.first.name);
    expect(
      solve(design)
        .warnings.map(({ message }) => message)
        .join(' '),
    ).toContain(`${voltage}\u00a0V between them`);
  });

  test('a step that one stage does is left alone', () => {
    expect(pairOf(exampleWith())).toBeUndefined();
  });
});
