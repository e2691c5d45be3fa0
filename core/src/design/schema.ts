import { z } from 'zod';

/**
 * The design file. One schema for the file, the API, the database's JSON column and the published JSON Schema.
 * All values are SI base units; temperatures in °C. An absent decision is *free* (Yundro decides it), a present one *held*.
 * Objects keep keys they do not know, so that a file written by a later release loses nothing on its way through.
 */

export const LARGEST = 1e18;
export const SMALLEST = 1e-18;
export const MAXIMUM_BANKS = 64;
export const MAXIMUM_DEPTH = 64;
export const MAXIMUM_BYTES = 5_000_000;
export const FORMAT = 'yundro-design';
export const VERSION = 1;

const finite = (minimum: number, what: string) =>
  z
    .number({
      error: (issue) => (typeof issue.input === 'number' ? 'expected a finite number' : 'expected a number'),
    })
    .min(minimum, { error: `expected ${what}` })
    .max(LARGEST, { error: `expected at most ${LARGEST}` })
    .refine((value) => value === 0 || Math.abs(value) >= SMALLEST, {
      error: `expected zero or a magnitude of at least ${SMALLEST}`,
    });

const positive = (description: string) =>
  finite(0, 'a number above 0')
    .refine((value) => value > 0, { error: 'expected a number above 0' })
    .meta({ description, exclusiveMinimum: 0 });
const nonNegative = (description: string) => finite(0, 'zero or a positive number').meta({ description });
const fraction = (description: string) =>
  positive(description).refine((value) => value <= 1, { error: 'expected a fraction above 0, at most 1' });
const celsius = (description: string) =>
  finite(-273.15, 'a temperature above −273.15 °C')
    .max(1e4, { error: 'expected at most 10000 °C' })
    .meta({ description });
const count = (maximum: number, description: string) =>
  z
    .int({ error: 'expected a whole number' })
    .min(1, { error: 'expected at least 1' })
    .max(maximum, { error: `expected at most ${maximum}` })
    .meta({ description });
const name = (maximum: number) =>
  z.string({ error: 'expected text' }).max(maximum, { error: `expected at most ${maximum} characters` });
const choice = <const T extends readonly [string, ...string[]]>(values: T, description: string) =>
  z.enum(values, { error: `expected one of ${values.map((value) => `"${value}"`).join(', ')}` }).meta({ description });

const object = <T extends z.ZodRawShape>(shape: T) => z.looseObject(shape, { error: 'expected an object' });

const range = <T extends { min: number; max: number; nominal?: number | undefined }>(schema: z.ZodType<T>) =>
  schema.superRefine((value, context) => {
    if (value.min > value.max) {
      context.addIssue({
        code: 'custom',
        path: ['min'],
        input: value.min,
        message: `expected at most max, ${value.max}`,
      });
    } else if (value.nominal !== undefined && (value.nominal < value.min || value.nominal > value.max)) {
      context.addIssue({
        code: 'custom',
        path: ['nominal'],
        input: value.nominal,
        message: `expected between min, ${value.min}, and max, ${value.max}`,
      });
    }
  });

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
  load: choice(
    ['resistive', 'constant-current', 'constant-power'],
    'what the load does when the output moves; constant power counts as constant current at an operating point',
  ).default('resistive'),
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
});

const switchSchema = object({
  onResistance: nonNegative('Ω').optional(),
  bodyDiodeVoltage: nonNegative('forward drop of the body diode, V').optional(),
  voltageRating: positive('V').optional(),
  partId: name(120).optional(),
});

const rectifierSchema = z.discriminatedUnion(
  'kind',
  [
    switchSchema.extend({ kind: z.literal('synchronous') }),
    object({
      kind: z.literal('diode'),
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
  voltageRating: positive('V').optional(),
  partId: name(120).optional(),
});
const banks = z
  .array(capacitorBankSchema, { error: 'expected a list of capacitor banks' })
  .min(1, { error: 'expected at least one bank' })
  .max(MAXIMUM_BANKS, { error: `expected at most ${MAXIMUM_BANKS} banks` });

export const RIPPLE_SCHOOLS = ['general', 'peak-current-mode', 'constant-on-time', 'small-and-fast'] as const;

export const decisionsSchema = object({
  topology: choice(['buck', 'boost', 'inverting-buck-boost', 'four-switch-buck-boost'], 'the stage').optional(),
  phases: count(8, 'interleaved phases').optional(),
  switchingFrequency: positive('Hz').optional(),
  lightLoad: choice(['forced-pwm', 'diode-emulation', 'pulse-skipping', 'ultrasonic'], 'light-load policy').optional(),
  rippleSchool: choice(RIPPLE_SCHOOLS, 'school that names the inductor ripple ratio').optional(),
  rippleRatio: positive('inductor ripple, peak to peak, over its full-load average').optional(),
  inductor: object({
    inductance: positive('H').optional(),
    resistance: nonNegative('Ω').optional(),
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
  /** why the person chose as they did, by the decision's path */
  reasons: z.record(z.string(), name(2000), { error: 'expected an object of reasons by decision' }).optional(),
  outputFilter: object({
    inductance: positive('H'),
    resistance: nonNegative('Ω').default(0),
    capacitors: banks,
  }).optional(),
  control: object({
    method: choice(
      ['voltage-mode', 'voltage-mode-feedforward', 'peak-current-mode', 'constant-on-time'],
      'control method',
    ).optional(),
    referenceVoltage: positive('V').optional(),
    rampAmplitude: positive('V').optional(),
    rampGain: positive('ramp amplitude over input voltage').optional(),
    currentSenseGain: positive('V/A').optional(),
    slopeCompensation: nonNegative('V/s').optional(),
    minimumOnTime: nonNegative('s').optional(),
    minimumOffTime: nonNegative('s').optional(),
    maximumDuty: fraction('largest duty the controller gives').optional(),
    deadTime: nonNegative('s, at each edge').optional(),
  }).optional(),
  compensator: object({
    amplifier: choice(['op-amp', 'ota'], 'error amplifier').optional(),
    transconductance: positive('A/V').optional(),
    type: z.union([z.literal(1), z.literal(2), z.literal(3)], { error: 'expected 1, 2 or 3' }).optional(),
    dividerTop: positive('Ω').optional(),
    dividerBottom: positive('Ω').optional(),
    feedbackResistor: positive('Ω').optional(),
    feedbackCapacitor: positive('F').optional(),
    shuntCapacitor: positive('F').optional(),
    inputResistor: nonNegative('Ω').optional(),
    inputCapacitor: positive('F').optional(),
  }).optional(),
});

export const designSchema = object({
  format: z.literal(FORMAT, { error: `expected "${FORMAT}"` }),
  version: z.literal(VERSION, { error: `expected ${VERSION}, the only version this release reads` }),
  name: name(200).default('Untitled'),
  notes: name(20_000).optional(),
  brief: briefSchema,
  decisions: decisionsSchema.default({}),
});

export type Design = z.infer<typeof designSchema>;
export type Brief = Design['brief'];
export type Decisions = Design['decisions'];
export type CapacitorBank = z.infer<typeof capacitorBankSchema>;
export type Rectifier = z.infer<typeof rectifierSchema>;
export type Topology = NonNullable<Decisions['topology']>;
export type RippleSchool = (typeof RIPPLE_SCHOOLS)[number];

/** The JSON Schema (draft 2020-12) of the design file, as `yundro schema` prints it. */
export function designJsonSchema(): object {
  return z.toJSONSchema(designSchema, { io: 'input' });
}
