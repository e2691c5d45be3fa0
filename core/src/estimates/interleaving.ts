/**
 * Ripple of the phases' sum relative to one phase's: N(D − m/N)((m+1)/N − D)/(D(1 − D)), m = ⌊ND⌋.
 * Source: the multiphase literature (recalled from memory).
 */
export function cancellation(phases: number, duty: number): number {
  if (!(duty > 0 && duty < 1)) return 0;
  const m = Math.floor(phases * duty);
  return Math.max(0, (phases * (duty - m / phases) * ((m + 1) / phases - duty)) / (duty * (1 - duty)));
}
