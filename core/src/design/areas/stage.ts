import { z } from 'zod';
import { positive, nonNegative, number, celsius, count, curve, name, choice, object, partId } from './fields.ts';

export const MAXIMUM_BANKS = 64;

const thermal = {
  thermalResistance: nonNegative('thermal resistance', 'K/W', 'junction or winding to ambient').optional(),
};

/** A heat sink of each device in a place. */
const heatSink = object({
  thermalResistance: positive('sink', 'K/W', 'to ambient, of one device, at the airflow in use').optional(),
  padResistance: nonNegative('pad', 'K/W', 'insulating, case to sink').optional(),
});

const switchSchema = object({
  count: count(100, 'in parallel').optional(),
  onResistance: nonNegative('RDS(on)', 'Ω', 'at 25 °C').optional(),
  onResistanceTemperature: number('RDS(on) over temperature', 'K⁻¹', 'R = R25·(1 + a·(Tj − 25))').optional(),
  gateCharge: nonNegative('gate charge', 'C', 'at the gate voltage in use').optional(),
  gateDrainCharge: nonNegative('gate-drain charge', 'C').optional(),
  postThresholdGateCharge: nonNegative('charge to the plateau', 'C', 'from the threshold').optional(),
  plateauVoltage: positive('plateau', 'V').optional(),
  gateResistance: nonNegative('gate resistance', 'Ω', 'inner').optional(),
  outputCharge: nonNegative('output charge', 'C', 'at the blocking voltage in use').optional(),
  outputChargeCurve: curve('output charge', ['V', 'C'], true, 'in place of one charge').optional(),
  reverseRecoveryCharge: nonNegative('reverse recovery', 'C', 'of the body diode').optional(),
  reverseRecoveryCurve: curve('reverse recovery', ['A', 'C'], true, 'in place of one charge').optional(),
  ...thermal,
  junctionToCase: positive('junction to case', 'K/W').optional(),
  bodyDiodeVoltage: nonNegative('body diode', 'V').optional(),
  voltageRating: positive('voltage rating', 'V').optional(),
  partId: partId().optional(),
});

export const rectifierSchema = z.discriminatedUnion(
  'kind',
  [
    switchSchema.extend({ kind: z.literal('synchronous').meta({ title: '' }) }),
    object({
      kind: z.literal('diode').meta({ title: '' }),
      count: count(100, 'in parallel').optional(),
      outputCharge: nonNegative('output charge', 'C', 'at the blocking voltage in use').optional(),
      outputChargeCurve: curve('output charge', ['V', 'C'], true, 'in place of one charge').optional(),
      reverseRecoveryCharge: nonNegative('reverse recovery', 'C').optional(),
      reverseRecoveryCurve: curve('reverse recovery', ['A', 'C'], true, 'in place of one charge').optional(),
      leakageCurrent: nonNegative('leakage', 'A', 'reverse, at 25 °C and the voltage in use').optional(),
      leakageDoubling: positive('leakage doubles with, K', '', '10 when absent').optional(),
      ...thermal,
      junctionToCase: positive('junction to case', 'K/W').optional(),
      forwardVoltage: nonNegative('forward voltage', 'V').optional(),
      resistance: nonNegative('dynamic resistance', 'Ω').optional(),
      voltageRating: positive('voltage rating', 'V').optional(),
      partId: partId().optional(),
    }),
  ],
  { error: 'expected an object with kind "synchronous" or "diode"' },
);

export const capacitorBankSchema = object({
  capacitance: positive('', 'F', 'of one, effective'),
  esr: nonNegative('ESR', 'Ω', 'of one').default(0),
  esl: nonNegative('ESL', 'H', 'of one').default(0),
  count: count(10_000, 'in parallel').default(1),
  rippleCurrentRating: positive('ripple current rating', 'A', 'RMS, of one').optional(),
  esrCurve: curve('ESR', ['Hz', 'Ω'], true, 'of one: its loss harmonic by harmonic').optional(),
  thermalResistance: positive('thermal resistance', 'K/W', 'core to ambient, of one').optional(),
  lifetime: positive('endurance', 's').optional(),
  lifetimeTemperature: celsius('temperature of the endurance').optional(),
  voltageRating: positive('voltage rating', 'V').optional(),
  partId: partId().optional(),
});
const banks = z
  .array(capacitorBankSchema, { error: 'expected a list of capacitor banks' })
  .min(1, { error: 'expected at least one bank' })
  .max(MAXIMUM_BANKS, { error: `expected at most ${MAXIMUM_BANKS} banks` });

export const RIPPLE_SCHOOLS = ['general', 'peak-current-mode', 'constant-on-time', 'small-and-fast'] as const;

/** Decisions about the power stage. */
export const stageShape = {
  topology: choice(['buck', 'boost', 'inverting-buck-boost', 'four-switch-buck-boost'], 'Topology').optional(),
  phases: count(8, 'Phases', 'interleaved').optional(),
  switchingFrequency: positive('Switching frequency', 'Hz').optional(),
  lightLoad: choice(['forced-pwm', 'diode-emulation', 'pulse-skipping', 'ultrasonic'], 'Light load').optional(),
  rippleSchool: choice(RIPPLE_SCHOOLS, 'Ripple-ratio guideline').optional(),
  rippleRatio: positive('Ripple ratio', '%', 'of the inductor, peak to peak over its full-load average')
    .refine((value) => value <= 10, { error: 'expected at most 10 (1000 %)' })
    .optional(),
  inductor: object({
    inductance: positive('Inductance', 'H').optional(),
    resistance: nonNegative('Winding resistance', 'Ω', 'at 25 °C').optional(),
    resistanceTemperature: number('Winding resistance over temperature', 'K⁻¹', 'R = R25·(1 + a·(T − 25))').optional(),
    acResistance: curve('Winding resistance over frequency', ['Hz', 'Ω'], true, 'at 25 °C').optional(),
    inductanceCurve: curve('Inductance over current', ['A', 'H'], true).optional(),
    core: object({
      turns: positive('Core, turns', ''),
      area: positive('Core, area', 'm²'),
      volume: positive('Core, volume', 'm³'),
      steinmetz: object({
        k: positive('Core loss, coefficient', '', 'for W/m³, Hz, T peak'),
        alpha: positive('Core loss, exponent of frequency', ''),
        beta: positive('Core loss, exponent of flux density', ''),
      }),
    }).optional(),
    thermalResistance: nonNegative('Inductor, thermal resistance', 'K/W', 'winding to ambient').optional(),
    saturationCurrent: positive('Saturation current', 'A').optional(),
    partId: name(120, 'Inductor, part').optional(),
  }).optional(),
  coupling: object({
    coefficient: nonNegative('Coupling coefficient', '', '0 to below 1').refine((value) => value < 1, {
      error: 'expected below 1',
    }),
    polarity: choice(['inverse', 'direct'], 'Coupling, sense'),
    arrangement: choice(
      ['pairs', 'one-core'],
      'Coupling, arrangement',
      'two windings a core, half a period apart (when absent), or all on one; inverse on one core, the coefficient is the sum over the others',
    ).optional(),
  }).optional(),
  phaseMismatch: z
    .array(
      object({
        inductance: positive('Phase mismatch, inductance', '', 'times the inductance').optional(),
        resistance: nonNegative('Phase mismatch, resistance', '', 'times the winding’s resistance').optional(),
        duty: number('Phase mismatch, duty', '%', 'of a period, added to its pulse').optional(),
      }),
      { error: 'expected a list, one entry a phase' },
    )
    .max(8, { error: 'expected at most 8' })
    .meta({ description: 'how each phase differs from what is said of all: simulated, not solved' })
    .optional(),
  conduction: choice(
    ['fixed-frequency', 'critical'],
    'Conduction',
    'critical: each period ends as the current comes back, and the frequency follows line and load',
  ).optional(),
  critical: object({
    valleyCurrent: nonNegative(
      'Negative valley current',
      'A',
      'how far below zero the current goes before the next period',
    ).optional(),
    nodeCapacitance: nonNegative(
      'Switch-node capacitance',
      'F',
      'of one switch node, for zero-voltage switching',
    ).optional(),
  }).optional(),
  preload: nonNegative('Preload', 'A', 'always drawn beside the load').optional(),
  controlSwitch: switchSchema.meta({ title: 'Control switch' }).optional(),
  rectifier: rectifierSchema.meta({ title: 'Rectifier' }).optional(),
  boostLeg: object({
    controlSwitch: switchSchema.meta({ title: 'Boost switch' }).optional(),
    rectifier: rectifierSchema.meta({ title: 'Boost rectifier' }).optional(),
  }).optional(),
  outputCapacitors: banks.meta({ title: 'Output capacitor' }).optional(),
  inputCapacitors: banks.meta({ title: 'Input capacitor' }).optional(),
  snubber: object({
    capacitance: positive('Snubber, capacitor', 'F', 'across each switch node'),
    resistance: nonNegative('Snubber, resistor', 'Ω', 'in series with it').optional(),
  }).optional(),
  outputLeadResistance: nonNegative(
    'Output leads',
    'Ω',
    'and connectors, beyond where the output is sensed',
  ).optional(),
  cooling: object({
    copperArea: positive('Copper under each switch', 'm²').optional(),
    copperThickness: positive('Copper thickness', 'm', 'one ounce (35 µm) when absent').optional(),
    boardArea: positive('Board', 'm²', 'that the stage warms as a whole').optional(),
    airflow: nonNegative('Air', 'm/s').optional(),
    heatSinks: object({
      controlSwitch: heatSink.meta({ title: 'Control switch’s heat sink' }).optional(),
      rectifier: heatSink.meta({ title: 'Rectifier’s heat sink' }).optional(),
      boostControlSwitch: heatSink.meta({ title: 'Boost switch’s heat sink' }).optional(),
      boostRectifier: heatSink.meta({ title: 'Boost rectifier’s heat sink' }).optional(),
    }).optional(),
  }).optional(),
  /** why the person chose as they did, by the decision's path */
  reasons: z
    .record(z.string(), name(2000, 'Reason'), { error: 'expected an object of reasons by decision' })
    .optional(),
  outputFilter: object({
    inductance: positive('Second-stage filter, inductance', 'H'),
    resistance: nonNegative('Second-stage filter, resistance', 'Ω').default(0),
    capacitors: banks.meta({ title: 'Second-stage filter, capacitor' }),
    feedback: choice(
      ['after', 'before'],
      'Second-stage filter, output sensed',
      'where the output is sensed: behind the filter, which is usual, or before it',
    ).optional(),
  }).optional(),
};
