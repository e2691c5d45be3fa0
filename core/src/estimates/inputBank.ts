/**
 * RMS current of a buck's input bank, A, with the inductor's ripple in it.
 * Iout·√(D(1−D) + D/12·(ΔI/Iout)²). Source: Erickson and Maksimović, RMS values of piecewise waveforms; recalled from memory.
 */
export function buckInputRms(outputCurrent: number, duty: number, ripple: number): number {
  return Math.sqrt(outputCurrent ** 2 * duty * (1 - duty) + (duty * ripple ** 2) / 12);
}

/**
 * Ideal RMS current of the input bank of N interleaved buck phases, A: Iout·√((D − m/N)((m+1)/N − D)), m = ⌊ND⌋.
 * Source: the ripple-cancellation result in the multiphase literature (recalled from memory).
 */
export function interleavedInputRms(outputCurrent: number, duty: number, phases: number): number {
  const m = Math.min(phases - 1, Math.floor(phases * duty));
  return outputCurrent * Math.sqrt(Math.max(0, (duty - m / phases) * ((m + 1) / phases - duty)));
}
