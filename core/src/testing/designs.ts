import fc from 'fast-check';
import { designSchema, type Design, type Topology } from '../design/index.ts';

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

/** A design of which only the brief is given, and what is laid over it. */
export const bareDesign = (brief: object, decisions: object = {}): Design =>
  designSchema.parse({ format: EXAMPLE.format, version: EXAMPLE.version, name: 'Bare', brief, decisions });

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

/** Output over input voltage of a lossless stage at a duty; a four-switch stage's by its legs together. */
export const RATIOS: Readonly<Record<Topology, (duty: number) => number>> = {
  buck: (d) => d,
  boost: (d) => 1 / (1 - d),
  'inverting-buck-boost': (d) => d / (1 - d),
  'four-switch-buck-boost': (d) => 2 * d,
};

/**
 * Stages of any topology, mode and arrangement that could be built, down to light load: one to four phases, coupled
 * or not, diode or synchronous, every light-load policy, one to three banks, some with a second section or a source
 * impedance.
 */
export const anyStage: fc.Arbitrary<Design> = fc
  .record({
    topology: fc.constantFrom(...(Object.keys(RATIOS) as Topology[])),
    phases: fc.constantFrom(1, 1, 2, 2, 3, 4),
    input: log(3, 60),
    duty: fc.double({ min: 0.1, max: 0.8, noNaN: true }),
    load: log(0.2, 30),
    least: fc.constantFrom(0.02, 0.1, 0.3),
    frequency: log(50e3, 2e6),
    ripple: log(0.1, 3),
    loss: log(0.001, 0.03),
    shares: fc.tuple(fc.double({ min: 0.1, max: 1, noNaN: true }), fc.double({ min: 0.1, max: 1, noNaN: true })),
    drop: fc.option(fc.double({ min: 0.1, max: 0.7, noNaN: true }), { nil: undefined }),
    lightLoad: fc.constantFrom('forced-pwm', 'diode-emulation', 'pulse-skipping', 'ultrasonic'),
    dead: fc.option(fc.double({ min: 0.001, max: 0.02, noNaN: true }), { nil: 0 }),
    coefficient: fc.option(fc.double({ min: 0.05, max: 0.97, noNaN: true }), { nil: undefined }),
    polarity: fc.constantFrom('inverse', 'direct'),
    oneCore: fc.boolean(),
    banks: fc.array(fc.record({ size: log(0.3, 3), esr: log(0.002, 0.02), esl: log(1e-9, 20e-9) }), {
      minLength: 1,
      maxLength: 3,
    }),
    inputBanks: fc.array(fc.record({ size: log(0.05, 3), esr: log(0.0005, 0.05) }), { minLength: 1, maxLength: 2 }),
    bodies: fc.tuple(fc.double({ min: 0.5, max: 1.3, noNaN: true }), fc.double({ min: 0.5, max: 1.3, noNaN: true })),
    everyInductance: fc.boolean(),
    filter: fc.boolean(),
    source: fc.option(log(1e-8, 1e-6), { nil: undefined }),
    constant: fc.boolean(),
  })
  .map((d) => {
    const { phases } = d;
    const output = d.input * RATIOS[d.topology](d.duty);
    const current = (d.load * (d.topology === 'buck' ? 1 : Math.max(1, (output + d.input) / d.input))) / phases;
    const volts = d.topology === 'buck' ? output * (1 - d.duty) : d.input * Math.min(d.duty, 0.5);
    const inductance = volts / (current * d.ripple * d.frequency);
    const resistance = (d.loss * Math.min(d.input, output)) / current;
    const capacitance = d.load / d.frequency / (0.02 * output);
    const ohms = output / d.load;
    const coupled = d.coefficient !== undefined && phases > 1;
    return designWith(
      {
        topology: d.topology,
        phases,
        switchingFrequency: d.frequency,
        lightLoad: d.lightLoad,
        inductor: { inductance, resistance, saturationCurrent: 1e3 },
        controlSwitch: { onResistance: resistance * d.shares[0], bodyDiodeVoltage: d.bodies[0] },
        rectifier:
          d.drop === undefined
            ? { kind: 'synchronous', onResistance: resistance * d.shares[1], bodyDiodeVoltage: d.bodies[1] }
            : { kind: 'diode', forwardVoltage: d.drop, resistance: resistance * d.shares[1] },
        ...(coupled
          ? {
              coupling: {
                coefficient: d.coefficient,
                polarity: d.polarity,
                arrangement: d.oneCore || phases % 2 === 1 ? 'one-core' : 'pairs',
              },
            }
          : {}),
        // a chopped current's ideal edge would make a spike without width where every branch had series inductance
        outputCapacitors: d.banks.map(({ size, esr, esl }, at) => ({
          capacitance: (capacitance * size) / d.banks.length,
          esr: esr * ohms,
          esl: at > 0 || (d.everyInductance && d.topology === 'buck' && !d.constant) ? esl : 0,
        })),
        inputCapacitors: d.inputBanks.map(({ size, esr }) => ({
          capacitance: (3 * capacitance * size * output) / d.input,
          esr: (esr * d.input) / d.load,
        })),
        ...(d.filter
          ? {
              outputFilter: {
                inductance: inductance / 10,
                resistance: resistance / 4,
                capacitors: [{ capacitance: capacitance / 2, esr: 0.005 * ohms }],
              },
            }
          : {}),
        control: {
          minimumOnTime: 0.03 / d.frequency,
          minimumOffTime: 0.05 / d.frequency,
          maximumDuty: 0.96,
          deadTime: d.dead / d.frequency,
        },
      },
      {
        inputVoltage: { min: d.input, nominal: d.input, max: d.input },
        outputVoltage: output,
        outputCurrent: { min: d.load * d.least, max: d.load },
        load: d.constant ? 'constant-current' : 'resistive',
        ...(d.source === undefined ? {} : { sourceResistance: resistance, sourceInductance: d.source }),
      },
    );
  });

/** Methods that close an analogue loop of any number of phases: those by a clock, and all. */
export const CLOCKED_METHODS = [
  'voltage-mode',
  'voltage-mode-feedforward',
  'peak-current-mode',
  'average-current-mode',
] as const;
export const CLOSED_METHODS = [...CLOCKED_METHODS, 'constant-on-time'] as const;

/** A type 3 network by its parts, for 3.3 V from a reference of 0.8 V. */
export const TYPE_3 = {
  type: 3,
  dividerTop: 10000,
  dividerBottom: 3200,
  feedbackResistor: 8200,
  feedbackCapacitor: 4.7e-9,
  shuntCapacitor: 82e-12,
  inputResistor: 220,
  inputCapacitor: 1.5e-9,
} as const;
