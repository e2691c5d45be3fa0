import fc from 'fast-check';
import { designSchema, type Design } from '../design/index.ts';

/** A complete buck, the one in the file format's own example. */
export const EXAMPLE = {
  format: 'yundro-design',
  version: 1,
  name: 'Logic rail',
  brief: {
    inputVoltage: { min: 18, nominal: 24, max: 32 },
    outputVoltage: 3.3,
    outputCurrent: { min: 0.3, max: 6 },
    outputRipple: 0.033,
    loadStep: { from: 1.5, to: 4.5, slewRate: 1e6, deviation: 0.1, settlingTime: 1e-4 },
    load: 'resistive',
    efficiency: 0.9,
  },
  decisions: {
    topology: 'buck',
    phases: 1,
    switchingFrequency: 400000,
    lightLoad: 'forced-pwm',
    inductor: { inductance: 4.7e-6, resistance: 0.009, saturationCurrent: 11 },
    controlSwitch: { onResistance: 0.008 },
    rectifier: { kind: 'synchronous', onResistance: 0.006 },
    outputCapacitors: [{ capacitance: 22e-6, esr: 0.003, esl: 0.5e-9, count: 4 }],
    inputCapacitors: [{ capacitance: 10e-6, esr: 0.004, count: 2 }],
    control: { method: 'voltage-mode', minimumOnTime: 8e-8, minimumOffTime: 1.2e-7, maximumDuty: 0.97, deadTime: 2e-8 },
  },
};

/** The example with changes laid over its brief and decisions. */
export function exampleWith(decisions: object = {}, brief: object = {}): Design {
  return designSchema.parse({
    ...EXAMPLE,
    brief: { ...EXAMPLE.brief, ...brief },
    decisions: { ...EXAMPLE.decisions, ...decisions },
  });
}

/** A design of any topology with every part given: ideal timing, one ceramic bank at each side, changes laid over it. */
export function designWith(decisions: object = {}, brief: object = {}): Design {
  const { control, ...rest } = decisions as { control?: object };
  return designSchema.parse({
    format: EXAMPLE.format,
    version: EXAMPLE.version,
    name: 'Given in full',
    brief: { ...EXAMPLE.brief, loadStep: undefined, ...brief },
    decisions: {
      ...EXAMPLE.decisions,
      outputCapacitors: [{ capacitance: 22e-6, esr: 0.004, count: 4 }],
      ...rest,
      control: { minimumOnTime: 8e-8, minimumOffTime: 1.2e-7, maximumDuty: 0.97, deadTime: 0, ...control },
    },
  });
}

const log = (low: number, high: number): fc.Arbitrary<number> =>
  fc.double({ min: Math.log(low), max: Math.log(high), noNaN: true }).map(Math.exp);

/** Bucks that could be built: sensible ripple, losses of at most some per cent. */
export const buildableBucks: fc.Arbitrary<Design> = fc
  .record({
    vout: log(0.8, 40),
    ratio: fc.double({ min: 1.15, max: 12, noNaN: true }),
    current: log(0.2, 30),
    frequency: log(50e3, 2e6),
    ripple: fc.double({ min: 0.1, max: 0.8, noNaN: true }),
    loss: fc.double({ min: 0.001, max: 0.03, noNaN: true }),
    esr: fc.double({ min: 0.05, max: 2, noNaN: true }),
    outputRipple: fc.double({ min: 0.002, max: 0.02, noNaN: true }),
    constant: fc.boolean(),
  })
  .map(({ vout, ratio, current, frequency, ripple, loss, esr, outputRipple, constant }) => {
    const vin = vout * ratio;
    const swing = ripple * current;
    const resistance = (loss * vout) / current;
    const capacitance = swing / (8 * frequency * outputRipple * vout);
    return designSchema.parse({
      ...EXAMPLE,
      brief: {
        inputVoltage: { min: vin, nominal: vin, max: vin },
        outputVoltage: vout,
        outputCurrent: { min: current, max: current },
        load: constant ? 'constant-current' : 'resistive',
      },
      decisions: {
        topology: 'buck',
        phases: 1,
        switchingFrequency: frequency,
        inductor: {
          inductance: (vout * (1 - 1 / ratio)) / (swing * frequency),
          resistance,
          saturationCurrent: 3 * current,
        },
        controlSwitch: { onResistance: resistance },
        rectifier: { kind: 'synchronous', onResistance: resistance / 2 },
        outputCapacitors: [{ capacitance, esr: esr / (8 * frequency * capacitance) }],
        inputCapacitors: [{ capacitance: current / (frequency * 0.02 * vin), esr: (0.002 * vin) / current }],
        control: { deadTime: 0 },
      },
    });
  });
