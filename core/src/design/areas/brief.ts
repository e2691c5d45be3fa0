import { z } from 'zod';
import { positive, nonNegative, flag, fraction, celsius, name, choice, object, range } from './fields.ts';

/** What the stage is for. */
export const briefSchema = object({
  inputVoltage: range(
    object({
      min: positive('Minimum input', 'V'),
      nominal: positive('Nominal input', 'V'),
      max: positive('Maximum input', 'V'),
    }),
  ),
  outputVoltage: positive('Output voltage', 'V', 'as a magnitude'),
  outputCurrent: range(object({ min: nonNegative('Lightest load', 'A'), max: positive('Full load', 'A') })),
  outputRipple: positive('Output ripple allowed', 'V', 'peak to peak').optional(),
  loadStep: object({
    from: nonNegative('Load step from', 'A'),
    to: nonNegative('Load step to', 'A'),
    slewRate: positive('Load step slew', 'A/s').optional(),
    deviation: positive('Load step, excursion allowed', 'V').optional(),
    settlingTime: positive('Load step, settled within', 's').optional(),
    settlingBand: fraction('Load step, settled to', 'of the output voltage').optional(),
  }).optional(),
  fullStepDeviation: positive(
    'Full load step, excursion allowed',
    'V',
    'as the load goes from its lightest to all of it and back; 15 % of the output when absent',
  ).optional(),
  lineStep: object({
    from: positive('Line step from', 'V'),
    to: positive('Line step to', 'V'),
    slewRate: positive('Line step slew', 'V/s').optional(),
  }).optional(),
  load: choice(
    ['resistive', 'constant-current', 'constant-power', 'curve'],
    'Load',
    'what it does when the output moves; constant power and a curve count as constant current at an operating point',
  ).default('resistive'),
  loadCurve: z
    .array(z.tuple([nonNegative('Load curve, at', 'V'), nonNegative('Load curve', 'A')]), {
      error: 'expected a list of [V, A]',
    })
    .min(2, { error: 'expected at least two points' })
    .max(100, { error: 'expected at most 100 points' })
    .refine((points) => points.every(([volts], k) => k === 0 || volts > points[k - 1]![0]), {
      error: 'expected rising voltages',
    })
    .meta({
      title: 'Load curve',
      description: 'of load "curve": V and A it draws, in the proportions of its current at the output voltage',
    })
    .optional(),
  ambientTemperature: celsius('Ambient').default(25),
  efficiency: fraction('Efficiency wanted', 'at nominal input and full load').optional(),
  junctionTemperature: celsius('Maximum junction temperature').default(125),
  inputRipple: positive('Input ripple allowed', 'V', 'peak to peak').optional(),
  source: choice(['supply', 'battery'], 'Source', 'a battery has no current limit of its own').optional(),
  sourceName: name(80, 'Source’s name').optional(),
  sourceResistance: nonNegative('Source resistance', 'Ω', 'with its leads; a stiff source when absent').optional(),
  sourceInductance: nonNegative('Source inductance', 'H', 'with its leads').optional(),
  outputPolarity: choice(['positive', 'negative'], 'Output polarity', 'against return').optional(),
  keepClear: z
    .array(
      range(
        object({ min: nonNegative('Band to keep clear, from', 'Hz'), max: positive('Band to keep clear, to', 'Hz') }),
      ),
      { error: 'expected a list of bands' },
    )
    .max(20, { error: 'expected at most 20 bands' })
    .optional()
    .meta({ description: 'bands of frequency that the switching and its harmonics should stay out of' }),
  inputFuse: positive('Fuse at the source', 'A').optional(),
  serviceLife: positive('Electrolytics last', 's', 'at full load').optional(),
  batteryEnergy: positive('Battery', 'J').optional(),
  maximumHeight: positive('Height left for parts', 'm').optional(),
  controller: object({
    passThrough: flag('Controller wished, 100 % duty').optional(),
    spreadSpectrum: flag('Controller wished, spread spectrum').optional(),
    powerGood: flag('Controller wished, power good').optional(),
    externalCompensation: flag('Controller wished, network outside').optional(),
    synchronisable: flag('Controller wished, follows an outer clock').optional(),
    softStart: flag('Controller wished, soft start').optional(),
    accuracy: fraction('Reference within').optional(),
    quiescentCurrent: positive('Quiescent current at most', 'A').optional(),
  })
    .optional()
    .meta({ description: 'what is wished for in a controller' }),
  loadProfile: z
    .array(
      object({
        current: nonNegative('Load profile, draws', 'A'),
        share: positive('Load profile, of the time', '%', 'made to add up to 1'),
      }),
      { error: 'expected a list of loads' },
    )
    .min(1, { error: 'expected at least one load' })
    .max(20, { error: 'expected at most 20 loads' })
    .optional()
    .meta({ description: 'loads and how much of the time each is drawn' }),
});
