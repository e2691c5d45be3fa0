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

/** Duty within a range at which the input RMS current is highest: the nearest to (m + ½)/N. */
export function worstInputDuty(lowest: number, highest: number, phases: number): number {
  const candidates = [lowest, highest];
  for (let m = 0; m < phases; m += 1) {
    const peak = (m + 0.5) / phases;
    if (peak > lowest && peak < highest) candidates.push(peak);
  }
  return candidates.reduce((best, duty) =>
    interleavedInputRms(1, duty, phases) > interleavedInputRms(1, best, phases) ? duty : best,
  );
}

/**
 * Capacitive part of the input ripple of a buck, V peak to peak: Iout·D(1−D)/(C·f).
 * Charge balance with a flat-topped input current; common in application literature (recalled from memory).
 */
export function inputRippleCapacitive(
  outputCurrent: number,
  duty: number,
  frequency: number,
  capacitance: number,
): number {
  return (outputCurrent * duty * (1 - duty)) / (capacitance * frequency);
}
