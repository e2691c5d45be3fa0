import { z } from 'zod';
import { positive, nonNegative, fraction, choice, name, object } from './fields.ts';

/** Decisions about the controller and its compensation. */
export const controlShape = {
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
    senseResistance: nonNegative('in series with each inductor, Ω').optional(),
    minimumOnTime: nonNegative('s').optional(),
    minimumOffTime: nonNegative('s').optional(),
    maximumDuty: fraction('largest duty the controller gives').optional(),
    deadTime: nonNegative('s, at each edge').optional(),
    gateVoltage: positive('V, of the gate drive').optional(),
    driverPullUpResistance: nonNegative('Ω').optional(),
    driverPullDownResistance: nonNegative('Ω').optional(),
    quiescentCurrent: nonNegative('A, drawn from the input').optional(),
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
  }).optional(),
};
