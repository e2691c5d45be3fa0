import fc from 'fast-check';
import { designSchema, type Design } from '../design/index.ts';
import { TOPOLOGIES } from '../topology/index.ts';

const size = fc.double({ min: -17, max: 17, noNaN: true }).map((e) => 10 ** e);
const milder = fc.double({ min: -6, max: 6, noNaN: true }).map((e) => 10 ** e);
const value = fc.oneof(milder, size);
const orNothing = fc.oneof(fc.constant(0), value);
const bank = fc.record({ capacitance: value, esr: orNothing, esl: orNothing, count: fc.integer({ min: 1, max: 20 }) });
const banks = fc.oneof(
  { weight: 4, arbitrary: fc.array(bank, { minLength: 1, maxLength: 3 }) },
  fc.array(bank, { minLength: 10, maxLength: 64 }),
);

/** Well-formed designs of values that no one would give, over all topologies, modes and arrangements: some with dozens of unlike capacitors. */
export const absurdDesigns: fc.Arbitrary<Design> = fc
  .record({
    low: value,
    high: value,
    out: value,
    load: value,
    frequency: value,
    inductance: value,
    resistance: orNothing,
    body: fc.option(value, { nil: undefined }),
    output: banks,
    input: banks,
    dead: orNothing,
    topology: fc.constantFrom(...TOPOLOGIES),
    phases: fc.integer({ min: 1, max: 8 }),
    lightLoad: fc.constantFrom('forced-pwm', 'diode-emulation', 'pulse-skipping', 'ultrasonic'),
    critical: fc.boolean(),
    coupled: fc.option(fc.double({ min: 1e-6, max: 0.999, noNaN: true }), { nil: undefined }),
    source: fc.option(value, { nil: undefined }),
    filter: fc.option(value, { nil: undefined }),
    diode: fc.boolean(),
    constant: fc.boolean(),
    free: fc.boolean(),
  })
  .map((d) => {
    const [min, max] = d.low < d.high ? [d.low, d.high] : [d.high, d.low];
    const decisions = {
      topology: d.topology,
      phases: d.phases,
      lightLoad: d.lightLoad,
      ...(d.critical
        ? {
            conduction: 'critical',
            critical: { valleyCurrent: d.resistance, nodeCapacitance: d.output[0]!.capacitance },
          }
        : {}),
      ...(d.coupled === undefined
        ? {}
        : { coupling: { coefficient: d.coupled, polarity: d.free ? 'inverse' : 'direct' } }),
      ...(d.filter === undefined
        ? {}
        : { outputFilter: { inductance: d.filter, resistance: 0, capacitors: d.output.slice(0, 2) } }),
      switchingFrequency: d.frequency,
      inductor: { inductance: d.inductance, resistance: d.resistance },
      controlSwitch: d.body === undefined ? {} : { bodyDiodeVoltage: d.body },
      rectifier: d.diode ? { kind: 'diode', forwardVoltage: d.resistance } : { kind: 'synchronous' },
      outputCapacitors: d.output,
      inputCapacitors: d.input,
      control: { deadTime: d.dead },
    };
    return designSchema.parse({
      format: 'yundro-design',
      version: 1,
      brief: {
        inputVoltage: { min, nominal: min, max },
        outputVoltage: d.out,
        outputCurrent: { min: 0, max: d.load },
        load: d.constant ? 'constant-current' : 'resistive',
        ...(d.source === undefined ? {} : { sourceResistance: d.source, sourceInductance: d.source }),
        loadStep: { from: 0, to: d.load, deviation: d.out },
      },
      decisions: d.free ? { topology: d.topology } : decisions,
    });
  });
