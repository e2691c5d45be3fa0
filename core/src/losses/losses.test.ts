import { describe, expect, test } from '@jest/globals';
import { readDesign } from '../design/read.ts';
import { solve } from '../solve.ts';
import { designWith } from '../testing/designs.ts';
import { coreLossDensity, generalisedCoefficient } from './core.ts';
import { acResistance, windingLoss, type Trace } from './winding.ts';

/** A straight-sided trace through these places. */
const trace = (...places: [number, number][]): Trace => ({
  time: places.map(([t]) => t),
  value: places.map(([, v]) => v),
});
const sine = (period: number, peak: number, count = 4000): Trace => {
  const time = Array.from({ length: count + 1 }, (_, i) => (i / count) * period);
  return { time, value: time.map((t) => peak * Math.sin((2 * Math.PI * t) / period)) };
};

describe('core loss', () => {
  const steinmetz = { k: 2.1, alpha: 1.43, beta: 2.51 };
  // the generalised equation is made to give the plain Steinmetz law for a sine (Venkatachalam et al., 2002)
  test('a sine gives k·f^α·B^β', () => {
    for (const [f, b] of [
      [20e3, 0.2],
      [300e3, 0.05],
    ] as const) {
      const plain = steinmetz.k * f ** steinmetz.alpha * b ** steinmetz.beta;
      expect(coreLossDensity(sine(1 / f, b), steinmetz) / plain).toBeCloseTo(1, 5);
    }
  });
  // closed form for a triangle of duty D: k_i·ΔB^β·f^α·(D^(1−α) + (1−D)^(1−α)), from its two constant slopes
  test.each([0.5, 0.2, 0.07])('a triangle of duty %d has its closed form', (duty) => {
    const [f, swing] = [1e5, 0.16];
    const t = trace([0, -swing / 2], [duty / f, swing / 2], [1 / f, -swing / 2]);
    const closed =
      generalisedCoefficient(steinmetz) *
      swing ** steinmetz.beta *
      f ** steinmetz.alpha *
      (duty ** (1 - steinmetz.alpha) + (1 - duty) ** (1 - steinmetz.alpha));
    expect(coreLossDensity(t, steinmetz) / closed).toBeCloseTo(1, 12);
  });
  test('a minor loop counts by its own swing: two alike in one period are what each is alone', () => {
    const small = trace([0, 0], [1, 1], [3, 0]);
    const twice = trace([0, 0], [1, 1], [3, 0], [4, 1], [6, 0]);
    expect(coreLossDensity(twice, steinmetz)).toBeCloseTo(coreLossDensity(small, steinmetz), 12);
    // a rise to 2 with a dip of 0.5 on its way: the dip's loop apart, the rise as if it had not been
    const dipped = coreLossDensity(trace([0, 0], [1, 1.5], [1.5, 1], [2, 1.5], [3, 2], [6, 0]), steinmetz);
    const alone = (coreLossDensity(trace([0, 1.5], [0.5, 1], [1, 1.5]), steinmetz) * 1) / 6;
    const rise = (coreLossDensity(trace([0, 0], [1, 1.5], [2, 2], [5, 0]), steinmetz) * 5) / 6;
    expect(dipped).toBeCloseTo(alone + rise, 12);
  });
});

describe('winding loss', () => {
  const points = [
    [0, 0.01],
    [1e4, 0.012],
    [1e5, 0.04],
    [1e6, 0.3],
  ] as const;
  test('resistance in logarithms of both, the last value kept beyond the ends', () => {
    expect(acResistance(points, 3)).toBe(0.012);
    expect(acResistance(points, 1e8)).toBe(0.3);
    expect(acResistance(points, Math.sqrt(1e9))).toBeCloseTo(Math.sqrt(0.012 * 0.04), 12);
  });
  test('a triangle on a direct current: its Fourier series, of odd harmonics (8/π²)·h^−2', () => {
    const [period, ripple, average] = [1e-5, 2, 3];
    const t = trace([0, average - ripple / 2], [period / 2, average + ripple / 2], [period, average - ripple / 2]);
    let expected = average ** 2 * 0.01;
    for (let h = 1; h < 4001; h += 2)
      expected += (((8 / Math.PI ** 2) * (ripple / 2)) / h ** 2 / Math.SQRT2) ** 2 * acResistance(points, h / period);
    const rms = Math.hypot(average, ripple / Math.sqrt(12));
    expect(windingLoss(t, { average, rms, dcResistance: 0.01 }, points) / expected).toBeCloseTo(1, 8);
  });
});

describe('losses and heat of a stage', () => {
  const device = {
    onResistance: 0.01,
    gateCharge: 12e-9,
    gateDrainCharge: 3e-9,
    postThresholdGateCharge: 2e-9,
    plateauVoltage: 2.5,
    gateResistance: 1.5,
    outputCharge: 20e-9,
    reverseRecoveryCharge: 15e-9,
  };
  const control = {
    deadTime: 20e-9,
    gateVoltage: 5,
    driverPullUpResistance: 2,
    driverPullDownResistance: 1,
    quiescentCurrent: 2e-3,
  };
  const stage = (decisions: object, brief: object = {}) => designWith(decisions, { ambientTemperature: 40, ...brief });
  const full = (more: object = {}, of: object = {}) =>
    stage({
      control,
      controlSwitch: { ...device, count: 2, thermalResistance: 40, onResistanceTemperature: 0.005, ...of },
      rectifier: { kind: 'synchronous', ...device, thermalResistance: 30, onResistanceTemperature: 0.005 },
      ...more,
    });
  const at = (design: ReturnType<typeof stage>) =>
    solve(design, {
      at: { inputVoltage: design.brief.inputVoltage.nominal, outputCurrent: design.brief.outputCurrent.max },
    }).operatingPoints[0]!;

  test('every mechanism by its own formula, from the currents at the edges', () => {
    const design = full();
    const point = at(design);
    const { losses, switchingFrequency: f } = point;
    const blocking = point.controlSwitch.blockingVoltage;
    const [on, off] = [point.inductorCurrent.valley, point.inductorCurrent.peak];
    const charge = 5e-9 * 2;
    const rise = (charge * (2 + 1.5 / 2)) / (5 - 2.5);
    const fall = (charge * (1 + 1.5 / 2)) / 2.5;
    // the edges lie a dead time from valley and peak at most
    expect(losses.controlSwitchOverlap! / (0.5 * f * blocking * (on * rise + off * fall))).toBeCloseTo(1, 1);
    expect(losses.outputCharge).toBeCloseTo(0.5 * f * blocking * (2 * 20e-9 + 20e-9), 12);
    expect(losses.reverseRecovery).toBeCloseTo(f * blocking * 15e-9, 12);
    expect(losses.gateDrive).toBeCloseTo(f * 5 * 3 * 12e-9, 12);
    expect(losses.controller).toBeCloseTo(2e-3 * point.inputVoltage, 12);
    const { total, ...named } = losses;
    expect(total).toBeCloseTo(
      Object.values(named).reduce<number>((sum, loss: number) => sum + loss, 0),
      12,
    );
    expect(point.inputCurrent.average * point.inputVoltage).toBeCloseTo(point.outputPower + total, 10);
  });

  test('heat and resistance have settled on each other, device by device', () => {
    const point = at(full());
    const { losses } = point;
    const heat =
      losses.controlSwitchConduction + losses.controlSwitchOverlap! + losses.outputCharge! + losses.reverseRecovery!;
    const { controlSwitch, rectifier } = point.temperatures!;
    expect(controlSwitch).toBeCloseTo(40 + (40 * heat) / 2, 6);
    expect(rectifier).toBeCloseTo(40 + 30 * (losses.rectifierConduction + losses.deadTimeConduction!), 6);
    const hot = (0.01 * (1 + 0.005 * (controlSwitch! - 25))) / 2;
    expect(losses.controlSwitchConduction).toBeCloseTo(point.controlSwitch.rmsCurrent ** 2 * hot, 9);
    expect(point.temperatures!.inductor).toBeUndefined();
  });

  test('parallel devices share: two of half the data are one of the whole', () => {
    const one = at(
      full(
        {},
        {
          count: 1,
          onResistance: 0.005,
          gateResistance: 0.75,
          outputCharge: 40e-9,
          gateCharge: 24e-9,
          gateDrainCharge: 6e-9,
          postThresholdGateCharge: 4e-9,
          thermalResistance: 20,
        },
      ),
    );
    const two = at(full());
    for (const name of [
      'controlSwitchConduction',
      'controlSwitchOverlap',
      'outputCharge',
      'gateDrive',
      'total',
    ] as const)
      expect(two.losses[name]).toBeCloseTo(one.losses[name]!, 9);
    expect(two.temperatures!.controlSwitch).toBeCloseTo(one.temperatures!.controlSwitch!, 6);
  });

  test('a winding of AC resistance alone heats up by it, and its resistance with it', () => {
    const inductor = {
      inductance: 4.7e-6,
      resistance: 0,
      saturationCurrent: 20,
      thermalResistance: 30,
      acResistance: [[1e5, 0.2]],
    };
    const cold = at(stage({ inductor }));
    const hot = at(stage({ inductor: { ...inductor, resistanceTemperature: 0.004 } }));
    const temperature = hot.temperatures!.inductor!;
    expect(temperature).toBeCloseTo(40 + 30 * hot.losses.windingConduction, 6);
    expect(hot.losses.windingConduction / cold.losses.windingConduction).toBeCloseTo(1 + 0.004 * (temperature - 25), 6);
    // all harmonics at one resistance: the alternating part's square times it
    const { rms, average } = cold.inductorCurrent;
    expect(cold.losses.windingConduction).toBeCloseTo((rms ** 2 - average ** 2) * 0.2, 9);
  });

  test('what is soft-switched loses no charge; after a rest the node’s own voltage is lost', () => {
    const light = { outputCurrent: { min: 0.01, max: 0.05 } };
    const negative = at({ ...full(), brief: { ...full().brief, ...light } });
    expect(negative.inductorCurrent.valley).toBeLessThan(0);
    expect(negative.losses.outputCharge).toBe(0);
    expect(negative.losses.reverseRecovery).toBe(0);
    const pausing = full({ lightLoad: 'diode-emulation' });
    const stopped = at({ ...pausing, brief: { ...pausing.brief, ...light } });
    expect(stopped.conductionMode).toBe('DCM');
    const { blockingVoltage } = stopped.controlSwitch;
    const energy = (0.5 * (3 * 20e-9) * (stopped.inputVoltage - 3.3) ** 2) / blockingVoltage;
    expect(stopped.losses.outputCharge! / (stopped.switchingFrequency * energy)).toBeCloseTo(1, 9);
    expect(stopped.losses.reverseRecovery).toBe(0);
    expect(stopped.losses.controlSwitchOverlap).toBeGreaterThan(0);
    const idle = solve(pausing, { at: { inputVoltage: 12, outputCurrent: 0 } }).operatingPoints[0]!;
    expect(idle.losses.total).toBeCloseTo(2e-3 * 12, 12);
  });

  // the node stands a body diode's drop beyond the rail in the dead time, whichever switch it belongs to
  test.each([
    ['buck', 3.3, 24],
    ['boost', 48, 48],
    ['inverting-buck-boost', 12, 36],
  ])('what a %s blocks counts the body diode of its dead time', (topology, outputVoltage, volts) => {
    const design = designWith(
      {
        topology,
        control: { deadTime: 3e-8 },
        controlSwitch: { onResistance: 1e-6, bodyDiodeVoltage: 1.1 },
        rectifier: { kind: 'synchronous', onResistance: 1e-6, bodyDiodeVoltage: 0.6 },
        inductor: { inductance: 3.3e-6, resistance: 0.005, saturationCurrent: 40 },
        outputCapacitors: [{ capacitance: 10e-3, esr: 0 }],
      },
      { outputVoltage, outputCurrent: { min: 0.05, max: 2 } },
    );
    // at this load the current flows back before the clock: both body diodes have their turn
    const point = solve(design, { at: { inputVoltage: 24, outputCurrent: 0.05 } }).operatingPoints[0]!;
    expect(point.inductorCurrent.valley).toBeLessThan(0);
    expect(point.controlSwitch.blockingVoltage).toBeCloseTo(volts + 0.6, 2);
    expect(point.rectifier.blockingVoltage).toBeCloseTo(volts + 1.1, 2);
  });

  test('a leg that rests drives no gate, though its current comes to rest', () => {
    const gated = { onResistance: 0.01, gateCharge: 10e-9 };
    const design = designWith(
      {
        topology: 'four-switch-buck-boost',
        lightLoad: 'diode-emulation',
        controlSwitch: gated,
        rectifier: { kind: 'synchronous', ...gated },
        control: { gateVoltage: 5, deadTime: 0 },
      },
      { outputVoltage: 24, outputCurrent: { min: 0.05, max: 2 } },
    );
    const at = (inputVoltage: number) =>
      solve(design, { at: { inputVoltage, outputCurrent: 0.05 } }).operatingPoints[0]!;
    const [up, down] = [at(9), at(60)];
    expect([up.conductionMode, up.region, down.conductionMode, down.region]).toEqual(['DCM', 'boost', 'DCM', 'buck']);
    expect(up.losses.gateDrive ?? 0).toBe(0);
    expect(up.losses.boostGateDrive).toBeCloseTo(up.switchingFrequency * 5 * 20e-9, 12);
    expect(down.losses.boostGateDrive ?? 0).toBe(0);
    expect(down.losses.gateDrive).toBeCloseTo(down.switchingFrequency * 5 * 20e-9, 12);
  });

  test.each([
    ['boost', 48, 24],
    ['inverting-buck-boost', 12, 24],
    ['four-switch-buck-boost', 48, 24],
  ])('a %s that has come to rest turns on from the input', (topology, outputVoltage, rested) => {
    const held = { ...device, onResistance: 0.01 };
    const { losses, controlSwitch, boostLeg, conductionMode, switchingFrequency } = solve(
      designWith(
        {
          topology,
          lightLoad: 'diode-emulation',
          controlSwitch: held,
          rectifier: { kind: 'synchronous', ...held },
          control: { deadTime: 0 },
        },
        { outputVoltage, outputCurrent: { min: 0.02, max: 2 } },
      ),
      { at: { inputVoltage: 24, outputCurrent: 0.02 } },
    ).operatingPoints[0]!;
    expect(conductionMode).toBe('DCM');
    const loss = boostLeg ? losses.boostOutputCharge! : losses.outputCharge!;
    const blocking = (boostLeg?.controlSwitch ?? controlSwitch).blockingVoltage;
    expect(loss / ((0.5 * switchingFrequency * 40e-9 * rested ** 2) / blocking)).toBeCloseTo(1, 9);
  });

  test('what the gates are supplied from costs the rest of its voltage, and has to reach', () => {
    const supplied = (gateSupply: string, more: object = {}) =>
      at(full({ control: { ...control, gateSupply, ...more } }));
    const f = supplied('given').switchingFrequency;
    expect(supplied('from-input').losses.gateSupply).toBeCloseTo(f * (24 - 5) * 3 * 12e-9, 9);
    expect(supplied('from-output', { gateVoltage: 3 }).losses.gateSupply).toBeCloseTo(f * 0.3 * 3 * 12e-9, 6);
    expect(supplied('given').losses.gateSupply).toBe(0);
    expect(at(full()).losses.gateSupply).toBeUndefined();
    const short = solve(full({ control: { ...control, gateSupply: 'from-output' } }));
    expect(short.targets.find(({ id }) => id === 'gateSupply')).toMatchObject({ verdict: 'missed', required: 5 });
    expect(short.warnings.map(({ id }) => id)).toContain('gateSupply');
    expect(solve(full()).targets.map(({ id }) => id)).not.toContain('gateSupply');
  });

  test('a divider that the file gives takes its part of the output; one that a rule assumes does not', () => {
    const divided = full({ compensator: { dividerTop: 1000, dividerBottom: 320 } });
    expect(at(divided).losses.divider).toBeCloseTo(3.3 ** 2 / 1320, 12);
    expect(at(full()).losses.divider).toBeUndefined();
    const idle = full({ compensator: { dividerTop: 1000, dividerBottom: 320 }, lightLoad: 'diode-emulation' });
    const { losses } = solve(idle, { at: { inputVoltage: 24, outputCurrent: 0 } }).operatingPoints[0]!;
    expect(losses.total).toBeCloseTo(2e-3 * 24 + 3.3 ** 2 / 1320, 12);
  });

  test('an edge longer than the state it leads into is said', () => {
    const slow = full({ control: { ...control, driverPullDownResistance: 4000 } });
    expect(solve(slow).warnings.map(({ id }) => id)).toContain('slow-edge');
    expect(solve(full()).warnings.map(({ id }) => id)).not.toContain('slow-edge');
  });

  test('a loss that rises faster than its heat can leave is named, and takes no other figure with it', () => {
    const wild = full({}, { thermalResistance: 4000, onResistanceTemperature: 0.02 });
    const result = solve(wild);
    expect(result.warnings.map(({ id }) => id)).toContain('thermal-runaway');
    const point = at(wild);
    expect(point.temperatures!.controlSwitch).toBeUndefined();
    expect(point.temperatures!.rectifier).toBeGreaterThan(40);
    expect(Number.isFinite(point.losses.total)).toBe(true);
    expect(solve(full()).warnings.map(({ id }) => id)).not.toContain('thermal-runaway');
  });

  test('what the data allow is said where the efficiency stands', () => {
    expect(solve(stage({ control: { deadTime: 0 } })).lossScope.words).toBe('conduction only');
    expect(solve(stage({ control: { deadTime: 0, quiescentCurrent: 1e-3 } })).lossScope).toMatchObject({
      words: 'without switching loss',
      leftOut: expect.not.arrayContaining(['controller']) as unknown,
    });
    const core = { turns: 8, area: 20e-6, volume: 1e-6, steinmetz: { k: 2, alpha: 1.4, beta: 2.5 } };
    const inductor = { inductance: 4.7e-6, resistance: 0.01, saturationCurrent: 20, core };
    const whole = solve({ ...full({ inductor }), brief: { ...full().brief, efficiency: 0.8 } });
    expect(whole.lossScope).toEqual({ words: 'every mechanism', leftOut: [] });
    expect(whole.targets.find(({ id }) => id === 'efficiency')?.name).toBe('Efficiency, every mechanism');
    // a dead time that no one gave leaves it open; a diode has neither dead time nor body diode to recover
    const { deadTime: _, ...timeless } = control;
    const open = full({ inductor });
    const guessed = { ...open, decisions: { ...open.decisions, control: timeless } };
    expect(solve(guessed).lossScope).toEqual({ words: 'known losses', leftOut: ['dead time'] });
    const diode = { kind: 'diode', forwardVoltage: 0.4, resistance: 0.01, outputCharge: 5e-9 };
    expect(solve(full({ inductor, rectifier: diode })).lossScope).toEqual({ words: 'every mechanism', leftOut: [] });
    // what one device brings is not yet the whole of a loss
    const bare = { kind: 'diode', forwardVoltage: 0.4, resistance: 0.01 };
    expect(solve(full({ inductor, rectifier: bare })).lossScope.leftOut).toEqual(['the rectifier’s output charge']);
    expect(
      solve(full({ inductor, rectifier: { kind: 'synchronous', onResistance: 0.01, reverseRecoveryCharge: 0 } }))
        .lossScope,
    ).toEqual({ words: 'known losses', leftOut: ['the rectifier’s output charge', 'the rectifier’s gate drive'] });
    const inductanceCurve = [
      [0, 5e-6],
      [10, 3e-6],
    ];
    const warned = (decisions: object): string[] =>
      solve(full({ inductor: { ...inductor, inductanceCurve }, ...decisions })).warnings.map(({ id }) => id);
    expect(warned({})).not.toContain('inductance-curve');
    expect(warned({ conduction: 'critical' })).not.toContain('inductance-curve');
    expect(warned({ phases: 2, coupling: { coefficient: 0.4, polarity: 'inverse' } })).toContain('inductance-curve');
  });
});

test('a leg with a diode has no dead time: beside a leg with switches its diode carries the current there', () => {
  const four = (boostDiode: boolean) =>
    designWith(
      {
        topology: 'four-switch-buck-boost',
        inductor: { inductance: 6.8e-6, resistance: 0.01, saturationCurrent: 20 },
        controlSwitch: { onResistance: 0.004 },
        rectifier: { kind: 'synchronous', onResistance: 0.004 },
        ...(boostDiode ? { boostLeg: { rectifier: { kind: 'diode', forwardVoltage: 0.5, resistance: 0.01 } } } : {}),
        control: { deadTime: 30e-9 },
      },
      { inputVoltage: { min: 8, nominal: 8, max: 20 }, outputVoltage: 12, outputCurrent: { min: 1, max: 4 } },
    );
  const losses = (design: ReturnType<typeof four>, inputVoltage: number) =>
    solve(design, { at: { inputVoltage, outputCurrent: 4 } }).operatingPoints[0]!;
  expect(losses(four(false), 8).losses.deadTimeConduction).toBeGreaterThan(0.01);
  const boost = losses(four(true), 8);
  expect(boost.region).toBe('boost');
  expect(boost.losses.deadTimeConduction ?? 0).toBe(0);
  expect(boost.rectifierDuty).toBe(0);
  // its buck leg still has one, where that switches
  expect(losses(four(true), 20).losses.deadTimeConduction).toBeGreaterThan(0.001);
});

test.each<[string, object, RegExp]>([
  [
    'decisions.control.gateVoltage',
    { control: { gateVoltage: 2.4 }, controlSwitch: { plateauVoltage: 2.5 } },
    /plateau voltage, 2.5 V/u,
  ],
  [
    'decisions.inductor.acResistance',
    {
      inductor: {
        acResistance: [
          [2e5, 1],
          [1e5, 2],
        ],
      },
    },
    /places that rise/u,
  ],
  ['decisions.controlSwitch.gateCharge', { controlSwitch: { gateCharge: -1e-9 } }, /zero or a positive number/u],
  ['decisions.rectifier.count', { rectifier: { kind: 'diode', count: 0 } }, /from 1 to 100/u],
])('%s: data that no part has are named by their place', (path, decisions, words) => {
  const read = readDesign({ ...designWith(), decisions });
  const faults = read.ok ? [] : read.faults;
  expect(faults.map((fault) => fault.path)).toEqual([path]);
  expect(`${faults[0]?.message} ${faults[0]?.expected}`).toMatch(words);
});
