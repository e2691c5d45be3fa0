import { useCallback } from 'react';
import type { Corner, Design, ResponseCurve } from '@yundro/core';
import type { Lane, Trace } from '../../plots/Plot.tsx';
import { useAnswer } from '../../workers/useAnswer.ts';
import { DASHES } from './Corners.tsx';

export const ACROSS = { name: 'frequency', unit: 'Hz' as const, log: true };

/** dB below which nothing is read: a zero at half the sampling frequency goes down without end. */
const DEEPEST = -120;
const bounded = (decibels: number): number => Math.max(DEEPEST, decibels);

/** Gain and phase over one another, as a loop is read: steps of 20 dB and 45°. */
export function bodeLanes(
  curves: readonly {
    name: string;
    curve: ResponseCurve;
    dash?: readonly number[];
    ink?: string;
    /** faint beneath: what parts make of it */
    ghost?: boolean;
  }[],
): Lane[] {
  const traces = (ink: string, of: 'gain' | 'phase'): Trace[] =>
    curves.map(({ name, curve, dash, ink: own, ghost }, k) => ({
      name,
      x: curve.frequency,
      y: of === 'gain' && curve.gain.some((value) => value < DEEPEST) ? curve.gain.map(bounded) : curve[of],
      ink: own ?? ink,
      dash: dash ?? DASHES[k % DASHES.length]!,
      ...(ghost ? { ghost } : {}),
    }));
  const { frequency } = curves[0]?.curve ?? { frequency: [1, 2] };
  const ends = [frequency[0]!, frequency[frequency.length - 1]!];
  const level = (at: number): Trace => ({ name: '', x: ends, y: [at, at], ink: '--soft', ghost: true });
  return [
    {
      id: 'gain',
      name: 'gain, dB',
      unit: '',
      kind: 'frequency',
      step: 20,
      traces: [level(0), ...traces('--freq', 'gain')],
    },
    {
      id: 'phase',
      name: 'phase, degrees',
      unit: '',
      kind: 'phase',
      step: 45,
      traces: [level(-180), ...traces('--volt', 'phase')],
    },
  ];
}

/** What a worker answers about the design at a corner. */
export function useCornerAnswer<R>(corner: Corner, ask: (design: Design, corner: Corner) => Promise<R>): R | undefined {
  const { inputVoltage, outputCurrent } = corner;
  const asked = useCallback(
    (design: Design) => ask(design, { inputVoltage, outputCurrent }),
    [ask, inputVoltage, outputCurrent],
  );
  return useAnswer(asked);
}
