import { z } from 'zod';
import { positive, nonNegative, number, celsius, count, curve, name, choice, object } from './fields.ts';

export const MAXIMUM_BANKS = 64;

const thermal = {
  thermalResistance: nonNegative('junction or winding to ambient, K/W').optional(),
};

/** A heat sink of each device in a place. */
const heatSink = object({
  thermalResistance: positive('sink to ambient, of one device, at the airflow in use, K/W').optional(),
  padResistance: nonNegative('insulating pad, case to sink, K/W').optional(),
}).optional();

const switchSchema = object({
  count: count(100, 'equal ones in parallel').optional(),
  onResistance: nonNegative('Ω, at 25 °C').optional(),
  onResistanceTemperature: number('1/K: R = R25·(1 + a·(Tj − 25))').optional(),
  gateCharge: nonNegative('C, at the gate voltage in use').optional(),
  gateDrainCharge: nonNegative('C').optional(),
  postThresholdGateCharge: nonNegative('C, from threshold to plateau').optional(),
  plateauVoltage: positive('V').optional(),
  gateResistance: nonNegative('Ω, inner').optional(),
  outputCharge: nonNegative('C, at the blocking voltage in use').optional(),
  outputChargeCurve: curve('[V, C] rising in voltage, in place of one charge', true).optional(),
  reverseRecoveryCharge: nonNegative('C, of the body diode').optional(),
  reverseRecoveryCurve: curve('[A, C] rising in current, in place of one charge', true).optional(),
  ...thermal,
  junctionToCase: positive('K/W').optional(),
  bodyDiodeVoltage: nonNegative('forward drop of the body diode, V').optional(),
  voltageRating: positive('V').optional(),
  partId: name(120).optional(),
});

export const rectifierSchema = z.discriminatedUnion(
  'kind',
  [
    switchSchema.extend({ kind: z.literal('synchronous') }),
    object({
      kind: z.literal('diode'),
      count: count(100, 'equal ones in parallel').optional(),
      outputCharge: nonNegative('C, at the blocking voltage in use').optional(),
      outputChargeCurve: curve('[V, C] rising in voltage, in place of one charge', true).optional(),
      reverseRecoveryCharge: nonNegative('C').optional(),
      reverseRecoveryCurve: curve('[A, C] rising in current, in place of one charge', true).optional(),
      leakageCurrent: nonNegative('reverse, at 25 °C and the voltage in use, A').optional(),
      leakageDoubling: positive('rise that doubles the leakage, K; 10 when absent').optional(),
      ...thermal,
      junctionToCase: positive('K/W').optional(),
      forwardVoltage: nonNegative('V').optional(),
      resistance: nonNegative('slope resistance, Ω').optional(),
      voltageRating: positive('V').optional(),
      partId: name(120).optional(),
    }),
  ],
  { error: 'expected an object with kind "synchronous" or "diode"' },
);

export const capacitorBankSchema = object({
  capacitance: positive('effective capacitance of one, F'),
  esr: nonNegative('Ω, of one').default(0),
  esl: nonNegative('H, of one').default(0),
  count: count(10_000, 'equal ones in parallel').default(1),
  rippleCurrentRating: positive('A RMS, of one').optional(),
  esrCurve: curve('[Hz, Ω] rising in frequency, of one: its loss harmonic by harmonic', true).optional(),
  thermalResistance: positive('core to ambient, of one, K/W').optional(),
  lifetime: positive('endurance, s').optional(),
  lifetimeTemperature: celsius('temperature of the endurance, °C').optional(),
  voltageRating: positive('V').optional(),
  partId: name(120).optional(),
});
const banks = z
  .array(capacitorBankSchema, { error: 'expected a list of capacitor banks' })
  .min(1, { error: 'expected at least one bank' })
  .max(MAXIMUM_BANKS, { error: `expected at most ${MAXIMUM_BANKS} banks` });

export const RIPPLE_SCHOOLS = ['general', 'peak-current-mode', 'constant-on-time', 'small-and-fast'] as const;

/** Decisions about the power stage. */
export const stageShape = {
  topology: choice(['buck', 'boost', 'inverting-buck-boost', 'four-switch-buck-boost'], 'the stage').optional(),
  phases: count(8, 'interleaved phases').optional(),
  switchingFrequency: positive('Hz').optional(),
  lightLoad: choice(['forced-pwm', 'diode-emulation', 'pulse-skipping', 'ultrasonic'], 'light-load policy').optional(),
  rippleSchool: choice(RIPPLE_SCHOOLS, 'school that names the inductor ripple ratio').optional(),
  rippleRatio: positive('inductor ripple, peak to peak, over its full-load average').optional(),
  inductor: object({
    inductance: positive('H').optional(),
    resistance: nonNegative('Ω, at 25 °C').optional(),
    resistanceTemperature: number('1/K: R = R25·(1 + a·(T − 25))').optional(),
    acResistance: curve('[Hz, Ω] rising in frequency, at 25 °C', true).optional(),
    inductanceCurve: curve('[A, H] rising in current', true).optional(),
    core: object({
      turns: positive('turns'),
      area: positive('m²'),
      volume: positive('m³'),
      steinmetz: object({
        k: positive('W/m³, Hz, T peak'),
        alpha: positive('exponent of frequency'),
        beta: positive('exponent of flux density'),
      }),
    }).optional(),
    ...thermal,
    saturationCurrent: positive('A').optional(),
    partId: name(120).optional(),
  }).optional(),
  coupling: object({
    coefficient: nonNegative('0 to below 1').refine((value) => value < 1, { error: 'expected below 1' }),
    polarity: choice(['inverse', 'direct'], 'sense of the pair'),
    arrangement: choice(
      ['pairs', 'one-core'],
      'two windings a core, half a period apart (when absent), or all on one; inverse on one core, the coefficient is the sum over the others',
    ).optional(),
  }).optional(),
  phaseMismatch: z
    .array(
      object({
        inductance: positive('times the inductance').optional(),
        resistance: nonNegative('times the winding’s resistance').optional(),
        duty: number('part of a period added to its pulse').optional(),
      }),
      { error: 'expected a list, one entry a phase' },
    )
    .max(8, { error: 'expected at most 8' })
    .meta({ description: 'how each phase differs from what is said of all: simulated, not solved' })
    .optional(),
  conduction: choice(
    ['fixed-frequency', 'critical'],
    'critical: each period ends as the current comes back, and the frequency follows line and load',
  ).optional(),
  critical: object({
    valleyCurrent: nonNegative('how far below zero the current goes before the next period, A').optional(),
    nodeCapacitance: nonNegative('of one switch node, F, for zero-voltage switching').optional(),
  }).optional(),
  preload: nonNegative('current that is always drawn beside the load, A').optional(),
  controlSwitch: switchSchema.optional(),
  rectifier: rectifierSchema.optional(),
  boostLeg: object({
    controlSwitch: switchSchema.optional(),
    rectifier: rectifierSchema.optional(),
  }).optional(),
  outputCapacitors: banks.optional(),
  inputCapacitors: banks.optional(),
  snubber: object({
    capacitance: positive('across each switch node, F'),
    resistance: nonNegative('in series with it, Ω').optional(),
  }).optional(),
  outputLeadResistance: nonNegative('of leads and connectors beyond where the output is sensed, Ω').optional(),
  cooling: object({
    copperArea: positive('copper under each switch, m²').optional(),
    copperThickness: positive('m, one ounce (35 µm) when absent').optional(),
    boardArea: positive('board that the stage warms as a whole, m²').optional(),
    airflow: nonNegative('m/s').optional(),
    heatSinks: object({
      controlSwitch: heatSink,
      rectifier: heatSink,
      boostControlSwitch: heatSink,
      boostRectifier: heatSink,
    }).optional(),
  }).optional(),
  /** why the person chose as they did, by the decision's path */
  reasons: z.record(z.string(), name(2000), { error: 'expected an object of reasons by decision' }).optional(),
  outputFilter: object({
    inductance: positive('H'),
    resistance: nonNegative('Ω').default(0),
    capacitors: banks,
    feedback: choice(
      ['after', 'before'],
      'where the output is sensed: behind the filter, which is usual, or before it',
    ).optional(),
  }).optional(),
};
