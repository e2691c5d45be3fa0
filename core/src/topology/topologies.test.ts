import { asBuilt } from '../design/complete.ts';
import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { Design, Topology } from '../design/index.ts';
import { diodesAgree } from '../network/diodes.ts';
import { solveCorner, type OperatingPoint } from '../stage/operating/operatingPoint.ts';
import { conditionsAt } from './ofDesign.ts';
import type { Corner } from '../design/corner.ts';
import { waveformsAt } from '../stage/operating/waveforms.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { estimate, likelyOperation } from '../estimates/estimate.ts';
import { interleavedInputRms } from '../estimates/inputBank.ts';
import { bareDesign, anyStage, designWith, RATIOS } from '../testing/designs.ts';
import { solve } from '../solve.ts';
import { topologyModel } from './index.ts';
import { runs } from '../testing/runs.ts';

function at(design: Design, inputVoltage: number, outputCurrent: number): OperatingPoint {
  const decisions = asBuilt(design.decisions, completeDecisions(design).decisions);
  return solveCorner(topologyModel(decisions.topology), design.brief, decisions, { inputVoltage, outputCurrent })
    .point!;
}

function waveformsOf(design: Design, corner: Corner) {
  return waveformsAt(design, completeDecisions(design).decisions, corner)!;
}

const logarithmic = (low: number, high: number): fc.Arbitrary<number> =>
  fc.double({ min: Math.log(low), max: Math.log(high), noNaN: true }).map(Math.exp);
const between = (min: number, max: number): fc.Arbitrary<number> => fc.double({ min, max, noNaN: true });

const drawn = fc.record({
  input: logarithmic(3, 80),
  duty: between(0.12, 0.8),
  load: logarithmic(0.3, 20),
  phases: fc.integer({ min: 1, max: 8 }),
  frequency: logarithmic(50e3, 2e6),
  ripple: between(0.1, 0.6),
  loss: between(0.001, 0.012),
  drop: fc.oneof(fc.constant(0), between(0.005, 0.02)),
  constant: fc.boolean(),
});

/** A design in continuous conduction with small losses and a stiff output: where the closed forms claim to hold. */
function build(topology: Topology, d: typeof drawn extends fc.Arbitrary<infer T> ? T : never): Design {
  const output = d.input * RATIOS[topology](d.duty);
  const current = topology === 'buck' ? d.load : d.load * Math.max(1, output / d.input);
  const resistance = (d.loss * Math.min(output, d.input)) / current;
  const volts = topology === 'buck' ? output * (1 - d.duty) : d.input * Math.min(d.duty, 0.5);
  const capacitance = (current * d.phases) / d.frequency / (0.002 * output);
  return designWith(
    {
      topology,
      phases: d.phases,
      switchingFrequency: d.frequency,
      inductor: { inductance: volts / (d.ripple * current * d.frequency), resistance, saturationCurrent: 1e3 },
      controlSwitch: { onResistance: resistance },
      rectifier:
        d.drop > 0
          ? { kind: 'diode', forwardVoltage: d.drop * output, resistance: resistance / 2 }
          : { kind: 'synchronous', onResistance: resistance / 2 },
      outputCapacitors: [{ capacitance, esr: (0.0005 * output) / current / d.phases }],
      inputCapacitors: [{ capacitance, esr: 0 }],
      control: { minimumOnTime: 0.05 / d.frequency, minimumOffTime: 0.05 / d.frequency, maximumDuty: 0.95 },
    },
    {
      inputVoltage: { min: d.input, nominal: d.input, max: d.input },
      outputVoltage: output,
      outputCurrent: { min: 0, max: d.load * d.phases },
      load: d.constant ? 'constant-current' : 'resistive',
    },
  );
}

// 4 × 600 designs. Agreement: 0.5 % in duty and average current, 1.5 % in ripple (6 % in a transition, whose form leaves
// the middle part's slope out), 1 % in the switches' RMS; what is left is the ripple's second order and the output's sag.
describe.each(Object.keys(RATIOS) as Topology[])('%s: network and closed forms', (topology) => {
  test('agree over random designs, and energy is conserved', () => {
    const model = topologyModel(topology);
    fc.assert(
      fc.property(drawn, (d) => {
        const design = build(topology, d);
        const { decisions } = completeDecisions(design);
        const { brief } = design;
        const point = at(design, d.input, brief.outputCurrent.max);
        const conditions = conditionsAt(brief, decisions, {
          inputVoltage: d.input,
          outputCurrent: brief.outputCurrent.max,
        });
        const form = estimate(model, conditions);
        const operation = likelyOperation(model, conditions);
        const within = (what: string, value: number, expected: number, bound: number): void => {
          if (!(Math.abs(value / expected - 1) <= bound)) throw new Error(`${what}: ${value} against ${expected}`);
        };
        expect(point.outputVoltage.average / brief.outputVoltage).toBeCloseTo(1, 6);
        if (point.conductionMode === 'DCM') return;
        const byBoostLeg = operation.dutyOf === 'boostControl' || operation.transition?.open === 'boostDuty';
        const duty = byBoostLeg ? point.boostDuty! : point.duty;
        if (point.region === operation.region) {
          within('duty', duty, form.duty, 5e-3);
          within('inductor average', point.inductorCurrent.average, form.inductorAverage, 5e-3);
          within(
            'ripple',
            point.inductorCurrent.ripple,
            form.inductorRipple,
            point.region === 'buck-boost' ? 4e-2 : 1.5e-2,
          );
        }
        if (topology !== 'four-switch-buck-boost') {
          within('control RMS', point.controlSwitch.rmsCurrent, form.controlRms, 1e-2);
          within('rectifier RMS', point.rectifier.rmsCurrent, form.rectifierRms, 1e-2);
        }
        const fed = topology === 'boost' || point.region === 'boost';
        const used = (fed ? point.inductorCurrent.average : point.controlSwitch.averageCurrent) * decisions.phases;
        within('energy', used * d.input, point.outputPower + point.losses.total, 1e-6);
      }),
      { numRuns: runs(150), seed: 20260202 },
    );
  }, 120_000);
});

const lossless = {
  controlSwitch: { onResistance: 0 },
  rectifier: { kind: 'synchronous', onResistance: 0 },
  inputCapacitors: [{ capacitance: 1e-3 }],
};
const ideal = (inductance: number, capacitance: number) => ({
  ...lossless,
  inductor: { inductance, resistance: 0, saturationCurrent: 1e3 },
  outputCapacitors: [{ capacitance }],
});

// 3 × 200 designs with diodes, deep in discontinuous conduction. Agreement: 2 % in both durations; what is left is what
// resistance takes from the ramps and the output's sag.
const pulsed = fc.record({
  input: logarithmic(3, 80),
  duty: between(0.12, 0.8),
  load: logarithmic(0.3, 20),
  phases: fc.integer({ min: 1, max: 8 }),
  frequency: logarithmic(50e3, 2e6),
  ripple: logarithmic(4, 40),
  loss: between(1e-5, 1e-4),
  drop: between(0.005, 0.02),
  constant: fc.boolean(),
});
test.each(['buck', 'boost', 'inverting-buck-boost'] as const)(
  '%s in discontinuous conduction: network and closed forms agree over random designs',
  (topology) => {
    fc.assert(
      fc.property(pulsed, (d) => {
        const design = build(topology, d);
        const decisions = asBuilt(design.decisions, completeDecisions(design).decisions);
        const corner = { inputVoltage: d.input, outputCurrent: design.brief.outputCurrent.max };
        const point = at(design, corner.inputVoltage, corner.outputCurrent);
        expect(point.conductionMode).toBe('DCM');
        const conditions = conditionsAt(design.brief, decisions, corner);
        const form = topologyModel(topology).operations(conditions)[0]!.forms.dcmDuties(conditions);
        expect(Math.abs(point.duty / form.duty - 1)).toBeLessThan(0.02);
        expect(Math.abs(point.rectifierDuty / form.rectifierDuty - 1)).toBeLessThan(0.02);
        // charge: each pulse brings the load's share of a period
        const brought = topology === 'buck' ? point.inductorCurrent.average : point.rectifier.averageCurrent;
        expect((brought * decisions.phases) / corner.outputCurrent).toBeCloseTo(1, 6);
      }),
      { numRuns: runs(60), seed: 20261125 },
    );
  },
  60_000,
);

test('every corner of any stage that could be built is solved, with its diodes as its currents say', () => {
  fc.assert(
    fc.property(anyStage, (design) => {
      const { decisions } = completeDecisions(design);
      const { brief } = design;
      for (const load of [brief.outputCurrent.min, brief.outputCurrent.max]) {
        const corner = { inputVoltage: brief.inputVoltage.nominal, outputCurrent: load };
        const { state, point } = solveCorner(topologyModel(decisions.topology), brief, decisions, corner);
        expect(point).toBeDefined();
        if (state!.outOfReach) continue;
        expect(point!.outputVoltage.average / brief.outputVoltage).toBeCloseTo(1, 6);
        // a frequency that follows the load has no cause to fall at full load
        if (decisions.lightLoad === 'ultrasonic' && load === brief.outputCurrent.max && point!.conductionMode === 'CCM')
          expect(point!.switchingFrequency / decisions.switchingFrequency).toBeCloseTo(1, 9);
        const blocks = decisions.rectifier.kind === 'diode' || decisions.lightLoad !== 'forced-pwm';
        expect(state!.operation.transition !== undefined || diodesAgree(state!.periodic, blocks)).toBe(true);
      }
    }),
    { numRuns: runs(100), seed: 20261124 },
  );
}, 900_000);

// a winding whose mate's diode conducts for less than a sample after each edge, and one whose currents settle over
// hundreds of periods: both were once left out
test.each<[Topology, number, number, object]>([
  ['boost', 9.979, 15.38, { coefficient: 0.966, polarity: 'direct' }],
  ['inverting-buck-boost', 19.95, 32.89, { coefficient: 0.9866, polarity: 'inverse' }],
])('%s with tightly coupled windings at light load is solved', (topology, input, output, coupling) => {
  const boosting = topology === 'boost';
  const design = designWith(
    {
      topology,
      phases: 2,
      coupling,
      lightLoad: 'diode-emulation',
      switchingFrequency: boosting ? 133990 : 279211,
      inductor: { inductance: boosting ? 3.865e-6 : 40.66e-6, resistance: boosting ? 0.04933 : 0.01844 },
      controlSwitch: { onResistance: 0.02 },
      rectifier: boosting
        ? { kind: 'synchronous', onResistance: 0.01 }
        : { kind: 'diode', forwardVoltage: 0.45, resistance: 0.01 },
      outputCapacitors: [{ capacitance: boosting ? 350.9e-6 : 49.55e-6, esr: boosting ? 0.01228 : 0.01787 }],
      control: { deadTime: 0 },
    },
    {
      inputVoltage: { min: input, nominal: input, max: input },
      outputVoltage: output,
      outputCurrent: { min: boosting ? 0.1963 : 0.01213, max: 1 },
    },
  );
  const { operatingPoints } = solve(design);
  expect(operatingPoints.map(({ outputVoltage }) => outputVoltage.average / output)).toEqual([
    expect.closeTo(1, 6),
    expect.closeTo(1, 6),
  ]);
});

describe('published figures', () => {
  // Erickson and Maksimović, Fundamentals of Power Electronics, averaged-model chapter; recalled from memory. docs/sources.md, E-1.
  test('the buck-boost example: duty, control-to-output and line-to-output gain, right-half-plane zero', () => {
    const stage = (output: number): Design =>
      designWith(
        { topology: 'inverting-buck-boost', switchingFrequency: 100e3, ...ideal(160e-6, 160e-6) },
        { outputVoltage: output, inputVoltage: { min: 29, nominal: 30, max: 31 }, outputCurrent: { min: 0, max: 5 } },
      );
    const duty = (output: number, input: number): number => at(stage(output), input, output / 10).duty;
    expect(duty(45, 30)).toBeCloseTo(0.6, 4);
    const perVolt = (duty(45.05, 30) - duty(44.95, 30)) / 0.1;
    expect(1 / perVolt).toBeCloseTo(187.5, 0);
    const perLine = (duty(45, 30.05) - duty(45, 29.95)) / 0.1;
    expect(-perLine / perVolt).toBeCloseTo(1.5, 2);
    const { decisions, brief } = { ...completeDecisions(stage(45)), brief: stage(45).brief };
    const model = topologyModel('inverting-buck-boost');
    const zero = estimate(
      model,
      conditionsAt(brief, decisions, { inputVoltage: 30, outputCurrent: 4.5 }),
    ).rightHalfPlaneZero;
    expect(zero! / 2.65e3).toBeCloseTo(1, 2);
  });

  // Same book, DCM chapter: critical K and the conversion ratios. docs/sources.md, E-5.
  test.each<[Topology, number, (d: number, k: number) => number, (d: number) => number]>([
    ['boost', 30, (d, k) => (1 + Math.sqrt(1 + (4 * d ** 2) / k)) / 2, (d) => d * (1 - d) ** 2],
    ['inverting-buck-boost', 15, (d, k) => d / Math.sqrt(k), (d) => (1 - d) ** 2],
    ['buck', 5, (d, k) => 2 / (1 + Math.sqrt(1 + (4 * k) / d ** 2)), (d) => 1 - d],
  ])('%s in DCM: ratio, and the boundary at the critical K', (topology, output, ratio, critical) => {
    const inductance = 10e-6;
    const frequency = 100e3;
    const design = designWith(
      {
        topology,
        switchingFrequency: frequency,
        ...ideal(inductance, 5e-3),
        rectifier: { kind: 'diode', forwardVoltage: 0, resistance: 0 },
      },
      { outputVoltage: output, inputVoltage: { min: 12, nominal: 12, max: 12 }, outputCurrent: { min: 0, max: 50 } },
    );
    const kAt = (load: number): number => (2 * inductance * frequency) / (output / load);
    const point = at(design, 12, 0.3);
    expect(point.conductionMode).toBe('DCM');
    expect(ratio(point.duty, kAt(0.3))).toBeCloseTo(output / 12, 3);
    expect(
      topologyModel(topology)
        .operations(
          conditionsAt(design.brief, completeDecisions(design).decisions, { inputVoltage: 12, outputCurrent: 1 }),
        )[0]!
        .forms.criticalK(0.3),
    ).toBeCloseTo(critical(0.3), 12);
    const duty = at(design, 12, 40).duty;
    const boundary = (critical(duty) * output) / (2 * inductance * frequency);
    expect(at(design, 12, boundary * 0.99).conductionMode).toBe('DCM');
    expect(at(design, 12, boundary * 1.01).conductionMode).toBe('CCM');
  });

  // Same book, loss chapter: the boost's ratio peaks at D' = √(RL/R) with ½√(R/RL). docs/sources.md, E-6.
  test('a boost collapses where its winding says', () => {
    const winding = 0.1;
    const design = designWith(
      {
        topology: 'boost',
        ...ideal(100e-6, 1e-3),
        inductor: { inductance: 100e-6, resistance: winding, saturationCurrent: 1e3 },
        control: { maximumDuty: 0.99, minimumOffTime: 0 },
      },
      { inputVoltage: { min: 10, nominal: 10, max: 10 }, outputVoltage: 80, outputCurrent: { min: 0, max: 8 } },
    );
    const point = at(design, 10, 8); // 10 Ω, asked for more than it can give
    expect(1 - point.duty).toBeCloseTo(Math.sqrt(winding / 10), 3);
    expect(point.outputVoltage.average / 10).toBeCloseTo(Math.sqrt(10 / winding) / 2, 2);
  });

  // Interleaving: the multiphase literature (recalled from memory). docs/sources.md, M-1.
  test.each([2, 3, 4, 6, 8])('%i phases: summed ripple and input RMS follow the cancellation law', (phases) => {
    for (const duty of [0.13, 0.31, 0.55]) {
      const design = designWith(
        { phases, ...ideal(1e-6, 0.1) },
        {
          outputVoltage: 12 * duty,
          inputVoltage: { min: 12, nominal: 12, max: 12 },
          outputCurrent: { min: 0, max: 400 },
        },
      );
      const point = at(design, 12, 400);
      const m = Math.floor(phases * duty);
      const law = (phases * (duty - m / phases) * ((m + 1) / phases - duty)) / (duty * (1 - duty));
      const { inductorSum } = waveformsOf(design, { inputVoltage: 12, outputCurrent: 400 });
      const swing = Math.max(...inductorSum) - Math.min(...inductorSum);
      expect(swing / point.inductorCurrent.ripple).toBeCloseTo(law, 3);
      expect(point.inputCapacitor.rmsCurrent / interleavedInputRms(400, duty, phases)).toBeCloseTo(1, 2);
    }
  });

  // Wong, Lee et al., 2001: the inductance that rules a coupled pair's winding ripple; recalled from memory. docs/sources.md, M-2.
  test.each([0.2, 0.4])('an inverse pair at duty %f: equivalent steady-state inductance', (duty) => {
    const coefficient = 0.5;
    const inductance = 1e-6;
    const pair = (coupling?: object) =>
      at(
        designWith(
          { phases: 2, ...ideal(inductance, 0.1), ...(coupling ? { coupling } : {}) },
          {
            outputVoltage: 12 * duty,
            inputVoltage: { min: 12, nominal: 12, max: 12 },
            outputCurrent: { min: 0, max: 40 },
          },
        ),
        12,
        40,
      ).inductorCurrent.ripple;
    const equivalent = (1 - coefficient ** 2) / (1 - (coefficient * duty) / (1 - duty));
    expect(pair() / pair({ coefficient, polarity: 'inverse' })).toBeCloseTo(equivalent, 3);
    // at half duty or below, direct coupling at the same self-inductance gives more winding ripple still
    expect(pair({ coefficient, polarity: 'direct' })).toBeGreaterThan(pair({ coefficient, polarity: 'inverse' }));
  });
});

describe('modes', () => {
  test('pulse skipping: the frequency falls with the load in proportion; ultrasonic stops above hearing', () => {
    const skipping = designWith({ lightLoad: 'pulse-skipping' }, { outputCurrent: { min: 0, max: 6 } });
    const [a, b] = [at(skipping, 24, 0.1), at(skipping, 24, 0.05)];
    expect(a.switchingFrequency).toBeLessThan(4e5);
    expect(a.switchingFrequency / b.switchingFrequency).toBeCloseTo(2, 1);
    const ultrasonic = designWith({ lightLoad: 'ultrasonic' }, { outputCurrent: { min: 0, max: 6 } });
    expect(at(ultrasonic, 24, 1e-3).switchingFrequency).toBeCloseTo(25e3, 0);
    expect(at(ultrasonic, 24, 6).switchingFrequency).toBeCloseTo(4e5, 0);
  });

  test('critical conduction: the current returns to the valley, and the frequency rises as the load falls', () => {
    const critical = designWith(
      { conduction: 'critical', critical: { valleyCurrent: 1 } },
      { outputCurrent: { min: 0, max: 6 } },
    );
    const [full, light] = [at(critical, 24, 6), at(critical, 24, 2)];
    expect(full.conductionMode).toBe('CRM');
    expect(full.inductorCurrent.valley).toBeCloseTo(-1, 6);
    expect(full.inductorCurrent.peak).toBeCloseTo(13, 0);
    expect(light.switchingFrequency / full.switchingFrequency).toBeCloseTo(14 / 6, 1);
  });

  test('a preload keeps the current flowing and is paid for', () => {
    const diode = { rectifier: { kind: 'diode', forwardVoltage: 0.4, resistance: 0 } };
    const brief = { outputCurrent: { min: 0, max: 6 } };
    expect(at(designWith({ ...diode, preload: 3 }, brief), 24, 0.1).conductionMode).toBe('CCM');
    const point = at(designWith({ ...diode, preload: 0.6 }, brief), 24, 0.1);
    expect(point.losses.preload).toBeCloseTo(0.6 * 3.3, 2);
    expect(point.inductorCurrent.average).toBeCloseTo(0.7, 4);
  });
});

test('windings coupled so strongly that no guess is near are reached by way of other loads', () => {
  const design = bareDesign(
    {
      inputVoltage: { min: 5.339, nominal: 5.339, max: 5.339 },
      outputVoltage: 2.475,
      outputCurrent: { min: 0.1, max: 0.2 },
      sourceResistance: 0.1376,
      sourceInductance: 9.45e-7,
    },
    {
      topology: 'four-switch-buck-boost',
      phases: 4,
      switchingFrequency: 66880,
      lightLoad: 'diode-emulation',
      inductor: { inductance: 2.528e-4, resistance: 0.1376, saturationCurrent: 1000 },
      coupling: { coefficient: 0.97, polarity: 'direct', arrangement: 'pairs' },
      controlSwitch: { onResistance: 0.02558, bodyDiodeVoltage: 0.8559 },
      rectifier: { kind: 'diode', forwardVoltage: 0.2896, resistance: 0.1227 },
      outputCapacitors: [
        { capacitance: 3.02e-5, esr: 0.05908, count: 1 },
        { capacitance: 3.02e-5, esr: 0.1862, esl: 2.926e-9, count: 1 },
      ],
      inputCapacitors: [{ capacitance: 8.4e-5, esr: 0.8218, count: 1 }],
      outputFilter: {
        inductance: 2.528e-5,
        resistance: 0.0344,
        capacitors: [{ capacitance: 3.02e-5, esr: 0.06188, count: 1 }],
      },
      control: { minimumOnTime: 4.5e-7, minimumOffTime: 7.5e-7, maximumDuty: 0.96, deadTime: 1.72e-7 },
    },
  );
  const { decisions } = completeDecisions(design);
  const at = (outputCurrent: number) =>
    solveCorner(topologyModel('four-switch-buck-boost'), design.brief, decisions, {
      inputVoltage: 5.339,
      outputCurrent,
    });
  const [half, whole] = [at(0.1), at(0.2)];
  expect(whole.point!.outputVoltage.average).toBeCloseTo(2.475, 6);
  expect(diodesAgree(whole.state!.periodic, true)).toBe(true);
  // as at a neighbour's load, only more of it
  expect(whole.point!.conductionMode).toBe('DCM');
  expect(whole.point!.duty).toBeGreaterThan(half.point!.duty);
  expect(whole.point!.duty).toBeLessThan(half.point!.duty * 1.1);
});
