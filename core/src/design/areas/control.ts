import { z } from 'zod';
import { positive, nonNegative, number, fraction, choice, name, object } from './fields.ts';

const coefficients = (description: string) =>
  z
    .array(number('coefficient'), { error: 'expected a list of coefficients' })
    .min(1, { error: 'expected at least one coefficient' })
    .max(16, { error: 'expected at most 16 coefficients' })
    .meta({ description });

/** Decisions about the controller and its compensation. */
export const controlShape = {
  control: object({
    method: choice(
      [
        'voltage-mode',
        'voltage-mode-feedforward',
        'peak-current-mode',
        'average-current-mode',
        'constant-on-time',
        'digital',
        'hysteretic',
        'gated-oscillator',
      ],
      'control method',
    ).optional(),
    referenceVoltage: positive('V').optional(),
    rampAmplitude: positive('V').optional(),
    rampGain: positive('ramp amplitude over input voltage').optional(),
    currentSenseGain: positive('V/A').optional(),
    slopeCompensation: nonNegative('V/s').optional(),
    currentSenseFilter: positive('peak current mode: time constant of the filter before its comparator, s').optional(),
    currentAmplifier: object({
      inputResistor: positive('from the current sense to the inverting input, Ω').optional(),
      feedbackResistor: positive('Ω').optional(),
      feedbackCapacitor: positive('in series with the feedback resistor, F').optional(),
      shuntCapacitor: positive('across that series pair, F').optional(),
      outputMinimum: number('V').optional(),
      outputMaximum: number('V').optional(),
    })
      .meta({
        description:
          'average current mode: each phase’s amplifier between its current sense and the ramp, the control voltage at its other input',
      })
      .optional(),
    senseResistance: nonNegative('in series with each inductor, Ω').optional(),
    minimumOnTime: nonNegative('s').optional(),
    minimumOffTime: nonNegative('s').optional(),
    maximumDuty: fraction('largest duty the controller gives').optional(),
    deadTime: nonNegative('s, at each edge').optional(),
    gateVoltage: positive('V, of the gate drive').optional(),
    gateSupply: choice(['from-input', 'from-output', 'given'], 'what the gate voltage is made from').optional(),
    driverPullUpResistance: nonNegative('Ω').optional(),
    driverPullDownResistance: nonNegative('Ω').optional(),
    quiescentCurrent: nonNegative('A, drawn from the input').optional(),
    referenceAccuracy: fraction('part of itself by which its reference may lie off').optional(),
    onTime: positive('constant on-time, s; the brief’s output over input and frequency when absent').optional(),
    hysteresis: positive('hysteretic: V between on and off at the divider’s tap').optional(),
    oscillatorDuty: fraction('gated oscillator: part of the period of each pulse it lets through').optional(),
    rippleInjection: object({
      resistor: positive('from the switch node to a node x, Ω').optional(),
      capacitor: positive('from x to the output, F').optional(),
      coupling: positive('from x to the tap of the divider, F').optional(),
    }).optional(),
    digital: object({
      numerator: coefficients('b0, b1, … of the difference equation'),
      denominator: coefficients('1, a1, … of the difference equation').refine((list) => list[0] === 1, {
        error: 'expected 1 as the first',
      }),
      sampleDelay: nonNegative('periods from the sample to the clock, 0 to 1')
        .refine((value) => value <= 1, { error: 'expected at most 1' })
        .default(1),
      dutyResolution: positive('steps of the duty in a period').optional(),
      converterStep: positive('V of the output').optional(),
    }).optional(),
    currentLimit: positive('of one phase’s inductor, A').optional(),
    valleyCurrentLimit: positive('of one phase’s inductor, A: above it its control switch does not turn on').optional(),
    currentLimitTolerance: fraction(
      'part of itself by which the current limit may lie off; a tenth when absent',
    ).optional(),
    hiccup: object({
      pulses: positive('limited periods in a row'),
      offTime: positive('s'),
    }).optional(),
    transconductance: positive('of its error amplifier, A/V; an op-amp when absent').optional(),
    softStart: nonNegative('s in which the reference rises').optional(),
    undervoltageLockout: object({
      rising: positive('V at the input above which it starts'),
      falling: positive('V at the input below which it stops'),
    })
      .refine(({ rising, falling }) => falling < rising, { error: 'expected falling below rising' })
      .optional(),
    startIntoBias: z.boolean({ error: 'expected true or false' }).optional(),
    overVoltage: positive('of the output, above which control switches stay off; 1.15 when absent').optional(),
    partId: name(120).optional(),
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
    gainBandwidth: positive('Hz; an ideal amplifier when absent').optional(),
    openLoopGain: positive('V/V').optional(),
    slewRate: positive('V/s of an op-amp’s output, with its gainBandwidth').optional(),
    outputMinimum: number('V').optional(),
    outputMaximum: number('V').optional(),
    outputCurrentLimit: positive('of a transconductance amplifier, A').optional(),
  })
    .refine(({ slewRate, gainBandwidth }) => slewRate === undefined || gainBandwidth !== undefined, {
      error: 'expected gainBandwidth beside slewRate: an ideal amplifier has no speed to limit',
      path: ['slewRate'],
    })
    .optional(),
};
