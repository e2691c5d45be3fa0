import type { Corner, LoopCorners } from '@yundro/core';
import { useDocument } from '../../stores/designStore.ts';
import { createSettings } from '../../stores/settings.ts';
import type { MeasuredCurve } from './measured.ts';

/** What is looked at over frequency. */
export const SHOWN = {
  loop: 'loop gain',
  plant: 'plant: control to output',
  compensator: 'compensator',
  nyquist: 'loop gain, Nyquist',
  witnesses: 'plant: textbook, averaged, exact',
  step: 'load step, predicted and simulated',
  ramp: 'over the line: fixed ramp, feedforward',
  conduction: 'light load: discontinuous, forced',
  audio: 'source to output, closed',
  source: 'source against input impedance',
  measured: 'measured against predicted',
} as const;
export type ShownOf = keyof typeof SHOWN;

/** What the Loop is set to; it stays while other rungs are looked at. */
export interface LoopSettings {
  shown: ShownOf;
  /** the corner that a single one is looked at in */
  corner: Corner | undefined;
  measured: (MeasuredCurve & Corner) | undefined;
  /** whether parts are varied too */
  spread: boolean;
  /** corners with a network that is being dragged */
  dragged: LoopCorners | undefined;
}

export const useLoop = createSettings<LoopSettings>(
  'loop',
  { shown: 'loop', corner: undefined, measured: undefined, spread: false, dragged: undefined },
  ['measured'],
  useDocument,
);

export const setLoop = (change: Partial<LoopSettings>): void => useLoop.setState(change);
