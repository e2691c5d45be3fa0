/** A periodic current as straight pieces between samples: times from 0 to one period (s) and A, both sides of every edge. */
export interface Trace {
  time: ArrayLike<number>;
  value: ArrayLike<number>;
}

/** Harmonics summed one by one; those beyond keep the last one's resistance. */
const HARMONICS = 400;

/**
 * AC resistance at a frequency, by the data sheet's points in logarithms of both, the last value kept beyond the ends.
 * @param points [Hz, Ω], rising in frequency; a point at 0 Hz is the DC resistance and no place for logarithms
 */
export function acResistance(points: readonly (readonly [number, number])[], frequency: number): number {
  const known = points.filter(([at]) => at > 0);
  const first = known[0];
  const last = known[known.length - 1];
  if (!first || !last) return points[0]![1];
  if (frequency <= first[0]) return first[1];
  if (frequency >= last[0]) return last[1];
  const next = known.findIndex(([at]) => at >= frequency);
  const [low, high] = [known[next - 1]!, known[next]!];
  const part = Math.log(frequency / low[0]) / Math.log(high[0] / low[0]);
  return low[1] * (high[1] / low[1]) ** part;
}

/**
 * Loss in one winding, W: I_avg²·R_dc + Σ_h I_h²·R(h·f), the harmonics being exact for the straight pieces of the trace.
 * @param rms A, exact: what the harmonics summed do not hold is taken at the last one's resistance
 */
export function windingLoss(
  trace: Trace,
  { average, rms, dcResistance }: { average: number; rms: number; dcResistance: number },
  points: readonly (readonly [number, number])[],
): number {
  const period = trace.time[trace.time.length - 1]!;
  let rest = Math.max(0, rms ** 2 - average ** 2);
  const whole = rest;
  let loss = average ** 2 * dcResistance;
  for (let h = 1; h <= HARMONICS && rest > 1e-12 * whole; h += 1) {
    const square = Math.min(rest, harmonicSquare(trace, (2 * Math.PI * h) / period, period));
    rest -= square;
    loss += square * acResistance(points, h / period);
  }
  return loss + rest * acResistance(points, HARMONICS / period);
}

/** A² RMS of one harmonic: integrated by parts, each straight piece gives its slope's change and each edge its step. */
function harmonicSquare({ time, value }: Trace, omega: number, period: number): number {
  let [re, im] = [0, 0];
  for (let i = 1; i < time.length; i += 1) {
    const [a, b] = [time[i - 1]!, time[i]!];
    const span = b - a;
    if (span <= 0) continue;
    const [from, to] = [value[i - 1]!, value[i]!];
    const slope = (to - from) / span;
    const [ca, sa, cb, sb] = [Math.cos(omega * a), Math.sin(omega * a), Math.cos(omega * b), Math.sin(omega * b)];
    // ∫ i cos ωt = [i sin ωt]/ω + slope·[cos ωt]/ω², and ∫ i sin ωt = −[i cos ωt]/ω + slope·[sin ωt]/ω²
    re += (to * sb - from * sa) / omega + (slope * (cb - ca)) / omega ** 2;
    im += -(to * cb - from * ca) / omega + (slope * (sb - sa)) / omega ** 2;
  }
  return (2 * (re ** 2 + im ** 2)) / period ** 2;
}
