/** A periodic current as straight pieces between samples: times from 0 to one period (s) and A, both sides of every edge. */
export interface Trace {
  time: ArrayLike<number>;
  value: ArrayLike<number>;
}

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

/** Harmonics summed one by one at most, and the part of the loss that what is left of them may still make uncertain. */
const HARMONICS = 400;
const UNCERTAIN = 1e-8;
/** Gauss–Legendre places and weights over 0 to 1, eight of them. Source: Abramowitz and Stegun, table 25.4; recalled from memory and held to ∫uᵏ in the tests. */
const PLACES = [
  [0.0198550717512319, 0.0506142681451881],
  [0.101666761293187, 0.111190517226687],
  [0.237233795041835, 0.156853322938944],
  [0.408282678752175, 0.181341891689181],
  [0.591717321247825, 0.181341891689181],
  [0.762766204958165, 0.156853322938944],
  [0.898333238706813, 0.111190517226687],
  [0.980144928248768, 0.0506142681451881],
] as const;

/**
 * Loss in one winding, W: I_avg²·R_dc + Σ_h I_h²·R(h·f), the harmonics being exact for the straight pieces of the trace.
 * @param rms A, exact: what the harmonics summed do not hold is taken at the resistance that their tail sees
 */
export function windingLoss(
  trace: Trace,
  { average, rms, dcResistance }: { average: number; rms: number; dcResistance: number },
  points: readonly (readonly [number, number])[],
): number {
  const period = trace.time[trace.time.length - 1]!;
  let rest = Math.max(0, rms ** 2 - average ** 2);
  let loss = average ** 2 * dcResistance;
  const highest = points[points.length - 1]![1];
  const harmonics = new Harmonics(trace, period);
  let h = 0;
  while (h < HARMONICS && rest > 1e-12 * rms ** 2) {
    h += 1;
    const square = Math.min(rest, harmonics.next());
    const resistance = acResistance(points, h / period);
    rest -= square;
    loss += square * resistance;
    // what the tail's own resistances leave open is a small part of their spread
    if (h >= 8 && rest * Math.abs(highest - resistance) * 0.05 < UNCERTAIN * loss) break;
  }
  // beyond the last harmonic a triangle's fall with the fourth power: by u = (h/H)^−3 their squares are evenly spread
  let tail = 0;
  for (const [u, weight] of PLACES) tail += weight * acResistance(points, ((h + 0.5) * u ** (-1 / 3)) / period);
  return loss + rest * tail;
}

/**
 * A² RMS of one harmonic after another of a periodic trace of straight pieces: integrated by parts twice, each place
 * where the value or the slope steps is one rotating pointer, −Σ (Δi + Δslope/(jω))·e^(−jωt)/(jω).
 */
class Harmonics {
  private readonly period: number;
  private readonly steps: Float64Array;
  private readonly bends: Float64Array;
  private readonly turns: Float64Array;
  private readonly pointers: Float64Array;
  private h = 0;

  constructor({ time, value }: Trace, period: number) {
    this.period = period;
    const places: number[] = [];
    const steps: number[] = [];
    const bends: number[] = [];
    let slope = 0;
    const put = (at: number, step: number, bend: number): void => {
      if (step === 0 && bend === 0) return;
      places.push(at);
      steps.push(step);
      bends.push(bend);
    };
    put(0, value[0]!, 0);
    for (let i = 1; i < time.length; i += 1) {
      const span = time[i]! - time[i - 1]!;
      if (span <= 0) {
        put(time[i]!, value[i]! - value[i - 1]!, 0);
        continue;
      }
      const next = (value[i]! - value[i - 1]!) / span;
      put(time[i - 1]!, 0, next - slope);
      slope = next;
    }
    put(0, -value[time.length - 1]!, -slope);
    this.steps = Float64Array.from(steps);
    this.bends = Float64Array.from(bends);
    const count = places.length;
    this.turns = new Float64Array(2 * count);
    this.pointers = new Float64Array(2 * count);
    for (let i = 0; i < count; i += 1) {
      const angle = (2 * Math.PI * places[i]!) / period;
      this.turns[2 * i] = Math.cos(angle);
      this.turns[2 * i + 1] = -Math.sin(angle);
      this.pointers[2 * i] = 1;
    }
  }

  next(): number {
    this.h += 1;
    const omega = (2 * Math.PI * this.h) / this.period;
    const { steps, bends, turns, pointers } = this;
    let [stepRe, stepIm, bendRe, bendIm] = [0, 0, 0, 0];
    for (let i = 0; i < steps.length; i += 1) {
      const [re, im] = [pointers[2 * i]!, pointers[2 * i + 1]!];
      const [c, s] = [turns[2 * i]!, turns[2 * i + 1]!];
      const turnedRe = re * c - im * s;
      const turnedIm = re * s + im * c;
      pointers[2 * i] = turnedRe;
      pointers[2 * i + 1] = turnedIm;
      stepRe += steps[i]! * turnedRe;
      stepIm += steps[i]! * turnedIm;
      bendRe += bends[i]! * turnedRe;
      bendIm += bends[i]! * turnedIm;
    }
    // the coefficient is (step − j·bend/ω)/(jω) over the period: its size alone counts
    const re = stepRe + bendIm / omega;
    const im = stepIm - bendRe / omega;
    return (2 * (re ** 2 + im ** 2)) / (omega * this.period) ** 2;
  }
}
