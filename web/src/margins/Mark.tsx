import type { Verdict } from '@yundro/core';

/** A shape for each verdict, so that colour is not all that tells them apart. */
const MARKS: Readonly<Record<Verdict, string>> = { missed: '▲', open: '○', marginal: '◐', met: '●' };

/** @param of what is open: being found, or estimated */
export function Mark({ verdict, of }: { verdict: Verdict; of?: 'found' | 'estimate' | undefined }) {
  return <span aria-hidden="true">{of === 'found' ? '◌' : of === 'estimate' ? '≈' : MARKS[verdict]}</span>;
}
