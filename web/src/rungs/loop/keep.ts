import { hold, type CompensatorParts, type DigitalParts } from '@yundro/core';
import { edit, useSolved } from '../../stores/designStore.ts';

const KEPT = [
  'method',
  'rampAmplitude',
  'rampGain',
  'currentSenseGain',
  'slopeCompensation',
  'currentAmplifier',
] as const;

/** Holds a network, and with it the control method and what turns its voltage into pulses: it was placed for these. */
export function keepNetwork(parts: CompensatorParts): void {
  const control = useSolved.getState().decisions?.control;
  edit((document) => {
    let next = hold(document, 'compensator', parts);
    for (const key of KEPT) if (control?.[key] !== undefined) next = hold(next, `control.${key}`, control[key]);
    return next;
  });
}

/** Holds a difference equation, and with it that its controller is a digital one. */
export const keepEquation = (digital: DigitalParts): void =>
  edit((document) => hold(hold(document, 'control.method', 'digital'), 'control.digital', digital));
