import { z } from 'zod';
import { positive, nonNegative, number, flag, fraction, choice, name, object } from './fields.ts';

const coefficients = (title: string, description: string) =>
  z
    .array(number(title, ''), { error: 'expected a list of coefficients' })
    .min(1, { error: 'expected at least one coefficient' })
    .max(16, { error: 'expected at most 16 coefficients' })
    .meta({ title, description });

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
      'Control method',
    ).optional(),
    referenceVoltage: positive('Reference', 'V').optional(),
    rampAmplitude: positive('Ramp amplitude', 'V').optional(),
    rampGain: positive('Ramp over input', '').optional(),
    currentSenseGain: positive('Current-sense gain', 'V/A').optional(),
    slopeCompensation: nonNegative('Slope compensation', 'V/s').optional(),
    currentSenseFilter: positive(
      'Current-sense filter',
      's',
      'peak current mode: time constant before its comparator',
    ).optional(),
    currentAmplifier: object({
      inputResistor: positive('Current amplifier, from the sense', 'Ω').optional(),
      feedbackResistor: positive('Current amplifier, feedback', 'Ω').optional(),
      feedbackCapacitor: positive('Current amplifier, in series', 'F').optional(),
      shuntCapacitor: positive('Current amplifier, across', 'F').optional(),
      outputMinimum: number('Current amplifier, least output', 'V').optional(),
      outputMaximum: number('Current amplifier, greatest output', 'V').optional(),
    })
      .meta({
        description:
          'average current mode: each phase’s amplifier between its current sense and the ramp, the control voltage at its other input',
      })
      .optional(),
    senseResistance: nonNegative('Sense resistance', 'Ω', 'in series with each inductor').optional(),
    minimumOnTime: nonNegative('Minimum on-time', 's').optional(),
    minimumOffTime: nonNegative('Minimum off-time', 's').optional(),
    maximumDuty: fraction('Duty limit', 'the largest the controller gives').optional(),
    deadTime: nonNegative('Dead time', 's', 'at each edge').optional(),
    gateVoltage: positive('Gate voltage', 'V').optional(),
    gateSupply: choice(
      ['from-input', 'from-output', 'given'],
      'Gate supply',
      'what the gate voltage is made from',
    ).optional(),
    driverPullUpResistance: nonNegative('Driver, upward', 'Ω').optional(),
    driverPullDownResistance: nonNegative('Driver, downward', 'Ω').optional(),
    quiescentCurrent: nonNegative('Controller’s own current', 'A', 'drawn from the input').optional(),
    referenceAccuracy: fraction('Reference, accuracy', 'of itself, by which it may lie off').optional(),
    onTime: positive(
      'On-time',
      's',
      'constant on-time; the brief’s output over input and frequency when absent',
    ).optional(),
    hysteresis: positive('Hysteresis at the tap', 'V', 'hysteretic: between on and off').optional(),
    oscillatorDuty: fraction(
      'Oscillator’s duty',
      'gated oscillator: of the period of each pulse it lets through',
    ).optional(),
    rippleInjection: object({
      resistor: positive('Ripple injection, from the node', 'Ω', 'to a node x').optional(),
      capacitor: positive('Ripple injection, to the output', 'F', 'from x').optional(),
      coupling: positive('Ripple injection, to the tap', 'F', 'from x').optional(),
    }).optional(),
    digital: object({
      numerator: coefficients('Difference equation, numerator', 'b0, b1, …'),
      denominator: coefficients('Difference equation, denominator', '1, a1, …').refine((list) => list[0] === 1, {
        error: 'expected 1 as the first',
      }),
      sampleDelay: nonNegative('Sampled ahead', '', 'periods from the sample to the clock, 0 to 1')
        .refine((value) => value <= 1, { error: 'expected at most 1' })
        .default(1),
      dutyResolution: positive('Duty steps a period', '').optional(),
      converterStep: positive('Step of the converter', 'V', 'at the output').optional(),
    }).optional(),
    currentLimit: positive('Current limit', 'A', 'of one phase’s inductor').optional(),
    valleyCurrentLimit: positive(
      'Valley current limit',
      'A',
      'of one phase’s inductor: above it its control switch does not turn on',
    ).optional(),
    currentLimitTolerance: fraction(
      'Current limit, tolerance',
      'of itself, by which it may lie off; a tenth when absent',
    ).optional(),
    hiccup: object({
      pulses: positive('Hiccup after', '', 'limited periods in a row'),
      offTime: positive('Hiccup, off for', 's'),
    }).optional(),
    transconductance: positive('Transconductance', 'A/V', 'of its error amplifier; an op-amp when absent').optional(),
    softStart: nonNegative('Soft start', 's', 'in which the reference rises').optional(),
    undervoltageLockout: object({
      rising: positive('Starts above, at the input', 'V'),
      falling: positive('Stops below, at the input', 'V'),
    })
      .refine(({ rising, falling }) => falling < rising, { error: 'expected falling below rising' })
      .optional(),
    startIntoBias: flag('Starts into a charged output').optional(),
    overVoltage: positive(
      'Over-voltage',
      '%',
      'of the output, above which control switches stay off; 1.15 when absent',
    ).optional(),
    partId: name(120, 'Controller, part').optional(),
  }).optional(),
  compensator: object({
    amplifier: choice(['op-amp', 'ota'], 'Error amplifier').optional(),
    transconductance: positive('Error amplifier, transconductance', 'A/V').optional(),
    type: z
      .union([z.literal(1), z.literal(2), z.literal(3)], { error: 'expected 1, 2 or 3' })
      .meta({ title: 'Network, type' })
      .optional(),
    dividerTop: positive('Divider, top', 'Ω').optional(),
    dividerBottom: positive('Divider, bottom', 'Ω').optional(),
    feedbackResistor: positive('Network, feedback resistor', 'Ω').optional(),
    feedbackCapacitor: positive('Network, feedback capacitor', 'F').optional(),
    shuntCapacitor: positive('Network, shunt capacitor', 'F').optional(),
    inputResistor: nonNegative('Network, input resistor', 'Ω').optional(),
    inputCapacitor: positive('Network, input capacitor', 'F').optional(),
    gainBandwidth: positive('Error amplifier, gain-bandwidth', 'Hz', 'ideal when absent').optional(),
    openLoopGain: positive('Error amplifier, open-loop gain', '').optional(),
    slewRate: positive('Error amplifier, slew rate', 'V/s', 'of an op-amp’s output, with its gainBandwidth').optional(),
    outputMinimum: number('Error amplifier, least output', 'V').optional(),
    outputMaximum: number('Error amplifier, greatest output', 'V').optional(),
    outputCurrentLimit: positive('Error amplifier, current limit', 'A', 'of a transconductance amplifier').optional(),
  })
    .refine(({ slewRate, gainBandwidth }) => slewRate === undefined || gainBandwidth !== undefined, {
      error: 'expected gainBandwidth beside slewRate: an ideal amplifier has no speed to limit',
      path: ['slewRate'],
    })
    .optional(),
};
