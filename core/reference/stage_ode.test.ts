import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import type { Design } from '../src/design/index.ts';
import { solve } from '../src/solve.ts';
import { anyStage, designWith } from '../src/testing/designs.ts';
import { runs } from '../src/testing/runs.ts';
import { loadRipple, type OperatingPoint } from '../src/stage/operating/operatingPoint.ts';
import { asked, present } from './python.ts';

// The reference is SciPy's DOP853 (Debian's python3-scipy) on equations written down anew, with shooting for the
// periodic state: core/reference/stage_ode.py. docs/sources.md, N-1.

interface Case {
  name: string;
  design: Design;
  vin: number;
  iout: number;
  expected: Partial<OperatingPoint>;
}

const make = (
  name: string,
  vin: number,
  iout: number,
  decisions: object,
  brief: object,
  expected: Case['expected'],
): Case => ({
  name,
  design: designWith(decisions, { outputCurrent: { min: 0, max: iout }, ...brief }),
  vin,
  iout,
  expected,
});

const diode = { rectifier: { kind: 'diode', forwardVoltage: 0.45, resistance: 0.02 } };
const boost = { topology: 'boost', inductor: { inductance: 22e-6, resistance: 0.02, saturationCurrent: 20 } };
const boostBrief = { inputVoltage: { min: 18, nominal: 24, max: 32 }, outputVoltage: 48 };
const inverting = { topology: 'inverting-buck-boost' };
const invertingBrief = { outputVoltage: 15 };
const four = {
  topology: 'four-switch-buck-boost',
  boostLeg: { controlSwitch: { onResistance: 0.011 }, rectifier: { kind: 'synchronous', onResistance: 0.013 } },
};
const fourBrief = { inputVoltage: { min: 9, nominal: 12, max: 18 }, outputVoltage: 12 };
const phases = (count: number) => ({
  phases: count,
  inductor: { inductance: 0.47e-6, resistance: 1e-3, saturationCurrent: 60 },
});
const rail = { inputVoltage: { min: 10, nominal: 12, max: 14 }, outputVoltage: 0.9 };
const dead = { control: { deadTime: 4e-8 } };
const slow = { control: { maximumDuty: 0.8, deadTime: 3e-8 } };
const bodies = {
  controlSwitch: { onResistance: 0.008, bodyDiodeVoltage: 1.1 },
  rectifier: { kind: 'synchronous', onResistance: 0.006, bodyDiodeVoltage: 0.6 },
};
const curved = (...inductanceCurve: [number, number][]) => ({
  inductor: { inductance: inductanceCurve[0]![1], resistance: 0.02, saturationCurrent: 20, inductanceCurve },
});
const saturating = curved([0, 4.7e-6], [4, 4.4e-6], [7, 2.6e-6], [12, 1.1e-6]);
const swinging = curved([0.2, 60e-6], [2, 25e-6], [8, 18e-6]);
const inverse = { coupling: { coefficient: 0.6, polarity: 'inverse' } };

const cases: Case[] = [
  make(
    'buck, two banks, one with series inductance',
    24,
    6,
    {
      outputCapacitors: [
        { capacitance: 100e-6, esr: 0.02, esl: 4e-9 },
        { capacitance: 22e-6, esr: 0.004, count: 2 },
      ],
    },
    {},
    { conductionMode: 'CCM' },
  ),
  make('buck, dead time, current through zero', 32, 0.6, dead, {}, { conductionMode: 'CCM' }),
  make(
    'buck, diode, source impedance',
    24,
    5,
    { ...diode },
    { sourceResistance: 0.05, sourceInductance: 0.4e-6 },
    { conductionMode: 'CCM' },
  ),
  make(
    'buck, second section, constant current',
    24,
    4,
    {
      outputFilter: { inductance: 0.47e-6, resistance: 0.006, capacitors: [{ capacitance: 47e-6, esr: 0.01 }] },
    },
    { load: 'constant-current' },
    { conductionMode: 'CCM' },
  ),
  make(
    'buck, critical conduction with negative current',
    24,
    4,
    {
      conduction: 'critical',
      critical: { valleyCurrent: 1.2 },
      ...dead,
    },
    {},
    { conductionMode: 'CRM' },
  ),
  make('buck, pulse skipping', 24, 0.1, { lightLoad: 'pulse-skipping' }, {}, { conductionMode: 'DCM' }),
  make('boost, synchronous, dead time', 18, 1.2, { ...boost, ...dead }, boostBrief, { conductionMode: 'CCM' }),
  make('boost, negative current', 32, 0.05, { ...boost, ...dead }, boostBrief, { conductionMode: 'CCM' }),
  make('boost, diode, light load', 24, 0.06, { ...boost, ...diode }, boostBrief, { conductionMode: 'DCM' }),
  make(
    'boost, two coupled phases',
    20,
    3,
    { ...boost, phases: 2, coupling: { coefficient: 0.4, polarity: 'direct' } },
    boostBrief,
    { conductionMode: 'CCM' },
  ),
  make(
    'boost, source with resistance',
    20,
    1,
    boost,
    { ...boostBrief, sourceResistance: 0.1 },
    { conductionMode: 'CCM' },
  ),
  make('inverting, synchronous', 24, 0.6, { ...inverting, ...dead }, invertingBrief, { conductionMode: 'CCM' }),
  make('inverting, diode emulation', 24, 0.05, { ...inverting, lightLoad: 'diode-emulation' }, invertingBrief, {
    conductionMode: 'DCM',
  }),
  make('inverting, two phases with diodes', 18, 8, { ...inverting, ...diode, phases: 2 }, invertingBrief, {
    conductionMode: 'CCM',
  }),
  make('four-switch, buck region', 18, 4, { ...four, ...dead }, fourBrief, { region: 'buck', conductionMode: 'CCM' }),
  make('four-switch, transition', 12.4, 4, { ...four, ...dead }, fourBrief, {
    region: 'buck-boost',
    conductionMode: 'CCM',
  }),
  make('four-switch, boost region', 9, 4, { ...four, ...dead }, fourBrief, { region: 'boost', conductionMode: 'CCM' }),
  make(
    'buck, unlike input banks',
    24,
    6,
    {
      switchingFrequency: 1e5,
      inputCapacitors: [
        { capacitance: 100e-9, esr: 0.01 },
        { capacitance: 100e-6, esr: 0.1 },
        { capacitance: 10e-6, esr: 0.004 },
      ],
    },
    {},
    { conductionMode: 'CCM' },
  ),
  make(
    'buck, series inductance in every output capacitor, the load damping what rings between them',
    12,
    20,
    {
      switchingFrequency: 5e5,
      inductor: { inductance: 0.4e-6, resistance: 1e-3, saturationCurrent: 40 },
      outputCapacitors: [
        { capacitance: 22e-6, esr: 0.003, esl: 1e-9 },
        { capacitance: 100e-9, esr: 0.01, esl: 0.5e-9 },
      ],
    },
    { ...rail, outputVoltage: 1.8 },
    { conductionMode: 'CCM' },
  ),
  make(
    'buck, one output capacitor with series inductance',
    12,
    20,
    { outputCapacitors: [{ capacitance: 100e-6, esr: 0.003, esl: 6e-9 }] },
    { ...rail, outputVoltage: 1.8 },
    { conductionMode: 'CCM' },
  ),
  make(
    'buck, body diodes apart, negative current in the dead time',
    32,
    0.1,
    { ...dead, ...bodies, inductor: { inductance: 2.2e-6, resistance: 0.009, saturationCurrent: 20 } },
    {},
    { conductionMode: 'CCM' },
  ),
  make('inverting, body diodes apart', 24, 0.03, { ...inverting, ...dead, ...bodies }, invertingBrief, {
    conductionMode: 'CCM',
  }),
  make('four-switch, transition, the boost leg regulating', 12.1, 4, { ...four, ...slow }, fourBrief, {
    region: 'buck-boost',
    conductionMode: 'CCM',
  }),
  make(
    'four-switch, boost region, body diodes apart',
    9,
    0.1,
    { ...four, ...bodies, ...dead, boostLeg: bodies },
    fourBrief,
    { region: 'boost', conductionMode: 'CCM' },
  ),
  make('four-switch, three phases in transition', 12.3, 9, { ...four, ...dead, phases: 3 }, fourBrief, {
    region: 'buck-boost',
    conductionMode: 'CCM',
  }),
  make('four-switch, two phases, buck region', 18, 8, { ...four, ...dead, phases: 2 }, fourBrief, {
    region: 'buck',
    conductionMode: 'CCM',
  }),
  make('four phases', 12, 80, phases(4), rail, { conductionMode: 'CCM' }),
  make('four phases, inverse pairs', 12, 80, { ...phases(4), ...inverse }, rail, { conductionMode: 'CCM' }),
  make(
    'three phases on one core',
    12,
    60,
    {
      ...phases(3),
      coupling: { coefficient: 0.5, polarity: 'inverse', arrangement: 'one-core' },
    },
    rail,
    { conductionMode: 'CCM' },
  ),
  make('two coupled phases with diodes, light load', 12, 1.2, { ...phases(2), ...inverse, ...diode }, rail, {
    conductionMode: 'DCM',
  }),

  make('buck, saturating inductor, current through zero', 30, 0.4, { ...saturating, ...dead }, {}, {}),
  make('four-switch, transition, saturating inductor', 12.4, 4, { ...four, ...dead, ...saturating }, fourBrief, {
    region: 'buck-boost',
    conductionMode: 'CCM',
  }),
  make(
    'buck, critical conduction, saturating inductor',
    24,
    4,
    { ...saturating, ...dead, conduction: 'critical', critical: { valleyCurrent: 0.8 } },
    {},
    { conductionMode: 'CRM' },
  ),
  make('boost, diode, swinging choke, light load', 24, 0.06, { ...boost, ...diode, ...swinging }, boostBrief, {
    conductionMode: 'DCM',
  }),
];

// beside the chosen circuits, random ones (without the small series inductances that make an ODE solver crawl): some
// of all kinds, some with coupled windings at light load, where one phase's switching drives another's resting current
const quick = anyStage.filter(
  ({ brief, decisions }) =>
    brief.sourceInductance === undefined && decisions.outputCapacitors!.every(({ esl }) => esl === 0),
);
const random = fc.sample(
  quick.filter((design) => reaches(design) !== undefined),
  { numRuns: runs(4), seed: 3 },
);
const coupled = fc.sample(
  quick.filter((design) => design.decisions.coupling !== undefined && reaches(design) === 'DCM'),
  { numRuns: runs(3), seed: 4 },
);

function lightest({ brief }: Design): { inputVoltage: number; outputCurrent: number } {
  return { inputVoltage: brief.inputVoltage.nominal, outputCurrent: brief.outputCurrent.min };
}

function reaches(design: Design): string | undefined {
  const point = solve(design, { at: lightest(design) }).operatingPoints[0];
  return point && Math.abs(point.outputVoltage.average / design.brief.outputVoltage - 1) < 1e-6
    ? point.conductionMode
    : undefined;
}

for (const [kind, designs] of Object.entries({ random, coupled })) {
  designs.forEach((design, at) => {
    const { topology, phases } = design.decisions;
    const { inputVoltage: vin, outputCurrent: iout } = lightest(design);
    cases.push({ name: `${kind} ${at + 1}: ${topology}, ${phases} phases`, design, vin, iout, expected: {} });
  });
}

type Measured = Record<string, number>;

(present ? describe : describe.skip)('against an ODE solver', () => {
  const solved = cases.map(({ design, vin, iout }) =>
    solve(design, { at: { inputVoltage: vin, outputCurrent: iout } }),
  );
  let references: Measured[] = [];

  test('the reference runs', async () => {
    const request = cases.map(({ design }, at) => ({ design, point: solved[at]!.operatingPoints[0] }));
    const { said, complaint } = await asked('stage_ode.py', request);
    expect(complaint).toBe('');
    references = said as Measured[];
    expect(references).toHaveLength(cases.length);
  }, 3_600_000);

  test.each(cases.map((item, at) => [item.name, at] as const))('%s', (_, at) => {
    const { design, expected } = cases[at]!;
    const point = solved[at]!.operatingPoints[0]!;
    const r = references[at]!;
    expect(point).toMatchObject(expected);
    const scale = Math.max(Math.abs(r.inductorPeak!), Math.abs(r.inductorValley!));
    const pairs: [string, number, number | undefined, number][] = [
      ['output', design.brief.outputVoltage, r.outputVoltage, design.brief.outputVoltage],
      ['inductor average', point.inductorCurrent.average, r.inductorAverage, scale],
      ['inductor rms', point.inductorCurrent.rms, r.inductorRms, scale],
      ['inductor peak', point.inductorCurrent.peak, r.inductorPeak, scale],
      ['inductor valley', point.inductorCurrent.valley, r.inductorValley, scale],
      ['control average', point.controlSwitch.averageCurrent, r.controlAverage, scale],
      ['control rms', point.controlSwitch.rmsCurrent, r.controlRms, scale],
      ['rectifier average', point.rectifier.averageCurrent, r.rectifierAverage, scale],
      ['rectifier rms', point.rectifier.rmsCurrent, r.rectifierRms, scale],
      ['output bank rms', point.outputCapacitor.rmsCurrent, r.outputCapacitorRms, r.outputCapacitorRms!],
      ['output ripple', point.outputCapacitor.ripple, r.outputRipple, r.outputRipple!],
      ['load ripple', loadRipple(point), r.loadRipple, r.loadRipple!],
      ['input bank rms', point.inputCapacitor.rmsCurrent, r.inputCapacitorRms, r.inputCapacitorRms!],
      ['input ripple', point.inputCapacitor.ripple, r.inputRipple, r.inputRipple!],
      ['input bank heat', point.losses.inputCapacitorEsr, r.inputHeat, r.inputHeat!],
      ['output bank heat', point.losses.outputCapacitorEsr, r.outputHeat, r.outputHeat!],
    ];
    const wrong = pairs
      .filter(([, ours, theirs, unit]) => theirs !== undefined && !(Math.abs(ours - theirs) <= 1e-5 * unit))
      .map(([name, ours, theirs]) => `${name}: ${ours} against ${theirs}`);
    expect(wrong).toEqual([]);
  });
});

test('the ODE reference is present, or the run says that it is not', () => {
  if (!present) process.stderr.write('python3-scipy is missing: the comparison with an ODE solver was left out\n');
  expect(present || !process.env.CI).toBe(true);
});
