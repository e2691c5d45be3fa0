import { hold, type CompensatorParts } from '@yundro/core';
import { edit, useSolved } from '../../stores/designStore.ts';

/** Holds a network, and with it the control method and what turns its voltage into pulses: it was placed for these. */
export function keepNetwork(parts: CompensatorParts): void {
  const control = useSolved.getState().decisions?.control;
  edit((document) => {
    let next = hold(document, 'compensator', parts);
    for (const key of ['method', 'rampAmplitude', 'rampGain', 'currentSenseGain', 'slopeCompensation'] as const)
      if (control?.[key] !== undefined) next = hold(next, `control.${key}`, control[key]);
    return next;
  });
}
