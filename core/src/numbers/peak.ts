/** Rounds by which a peak is narrowed, and peaks that are. */
const ROUNDS = 40;
const PEAKS = 4;
const GOLDEN = (Math.sqrt(5) - 1) / 2;

/**
 * Where a magnitude over frequency is highest: each of its highest places among the samples narrowed down between its
 * neighbours.
 * @param frequencies rising, Hz, dense enough that no peak stands between two unseen
 */
export function peakOf(
  frequencies: readonly number[],
  values: readonly number[],
  at: (frequency: number) => number,
): { frequency: number; value: number } {
  const last = frequencies.length - 1;
  const tops = values
    .map((value, k) => ({ value, k }))
    .filter(({ value, k }) => value >= (values[k - 1] ?? 0) && value >= (values[k + 1] ?? 0))
    .sort((a, b) => b.value - a.value)
    .slice(0, PEAKS);
  let best = { frequency: frequencies[0] ?? 0, value: values[0] ?? 0 };
  for (const { value, k } of tops) {
    if (value > best.value) best = { frequency: frequencies[k]!, value };
    let [low, high] = [Math.log(frequencies[Math.max(0, k - 1)]!), Math.log(frequencies[Math.min(last, k + 1)]!)];
    let [a, b] = [high - GOLDEN * (high - low), low + GOLDEN * (high - low)];
    let [atA, atB] = [at(Math.exp(a)), at(Math.exp(b))];
    for (let round = 0; round < ROUNDS && high - low > 1e-5; round += 1) {
      if (atA > atB) {
        [high, b, atB] = [b, a, atA];
        a = high - GOLDEN * (high - low);
        atA = at(Math.exp(a));
      } else {
        [low, a, atA] = [a, b, atB];
        b = low + GOLDEN * (high - low);
        atB = at(Math.exp(b));
      }
      if (Math.max(atA, atB) > best.value)
        best = atA > atB ? { frequency: Math.exp(a), value: atA } : { frequency: Math.exp(b), value: atB };
    }
  }
  return best;
}
