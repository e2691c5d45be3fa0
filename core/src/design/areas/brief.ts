import { z } from 'zod';
import { positive, nonNegative, fraction, celsius, name, choice, object, range } from './fields.ts';

/** What the stage is for. */
export const briefSchema = object({
  inputVoltage: range(
    object({
      min: positive('lowest input, V'),
      nominal: positive('nominal input, V'),
      max: positive('highest input, V'),
    }),
  ),
  outputVoltage: positive('output, V, as a magnitude'),
  outputCurrent: range(object({ min: nonNegative('lightest load, A'), max: positive('full load, A') })),
  outputRipple: positive('allowed output ripple, V peak to peak').optional(),
  loadStep: object({
    from: nonNegative('A'),
    to: nonNegative('A'),
    slewRate: positive('A/s').optional(),
    deviation: positive('allowed excursion of the output, V').optional(),
    settlingTime: positive('s').optional(),
    settlingBand: fraction('fraction of the output voltage').optional(),
  }).optional(),
  fullStepDeviation: positive(
    'allowed excursion of the output as the load goes from its lightest to all of it and back, V; 15 % of it when absent',
  ).optional(),
  lineStep: object({
    from: positive('V'),
    to: positive('V'),
    slewRate: positive('V/s').optional(),
  }).optional(),
  load: choice(
    ['resistive', 'constant-current', 'constant-power', 'curve'],
    'what the load does when the output moves; constant power and a curve count as constant current at an operating point',
  ).default('resistive'),
  loadCurve: z
    .array(z.tuple([nonNegative('V'), nonNegative('A')]), { error: 'expected a list of [V, A]' })
    .min(2, { error: 'expected at least two points' })
    .max(100, { error: 'expected at most 100 points' })
    .refine((points) => points.every(([volts], k) => k === 0 || volts > points[k - 1]![0]), {
      error: 'expected rising voltages',
    })
    .optional()
    .meta({
      description: 'of load "curve": V and A it draws, in the proportions of its current at the output voltage',
    }),
  ambientTemperature: celsius('°C').default(25),
  efficiency: fraction('wanted at nominal input and full load').optional(),
  junctionTemperature: celsius('highest junction temperature allowed, °C').default(125),
  inputRipple: positive('allowed input ripple, V peak to peak').optional(),
  source: choice(['supply', 'battery'], 'what feeds the stage: a battery has no current limit of its own').optional(),
  sourceName: name(80).optional(),
  sourceResistance: nonNegative('of the source and its leads, Ω; a stiff source when absent').optional(),
  sourceInductance: nonNegative('of the source and its leads, H').optional(),
  outputPolarity: choice(['positive', 'negative'], 'of the output against return').optional(),
  keepClear: z
    .array(range(object({ min: nonNegative('Hz'), max: positive('Hz') })), { error: 'expected a list of bands' })
    .max(20, { error: 'expected at most 20 bands' })
    .optional()
    .meta({ description: 'bands of frequency that the switching and its harmonics should stay out of' }),
  inputFuse: positive('rating of the fuse at the source, A').optional(),
  serviceLife: positive('wanted of the electrolytic capacitors at full load, s').optional(),
  batteryEnergy: positive('of the battery that feeds it, J').optional(),
  maximumHeight: positive('height that is left for parts, m').optional(),
  controller: object({
    passThrough: z.boolean().optional(),
    spreadSpectrum: z.boolean().optional(),
    powerGood: z.boolean().optional(),
    externalCompensation: z.boolean().optional(),
    synchronisable: z.boolean().optional(),
    softStart: z.boolean().optional(),
    accuracy: fraction('of the reference').optional(),
    quiescentCurrent: positive('A').optional(),
  })
    .optional()
    .meta({ description: 'what is wished for in a controller' }),
  loadProfile: z
    .array(object({ current: nonNegative('A'), share: positive('part of the time; made to add up to 1') }), {
      error: 'expected a list of loads',
    })
    .min(1, { error: 'expected at least one load' })
    .max(20, { error: 'expected at most 20 loads' })
    .optional()
    .meta({ description: 'loads and how much of the time each is drawn' }),
});
