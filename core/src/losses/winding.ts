/**
 * A periodic current by samples: times from 0 to one period (s), A, both sides of every edge. Between them it is the cubic
 * through values and slopes (A/s) where slopes are given, straight where they are not.
 */
export interface Trace {
  time: ArrayLike<number>;
  value: ArrayLike<number>;
  slope?: ArrayLike<number>;
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

/** Harmonics summed one by one at most (a short pulse now and then has thousands), and the part of the loss that what is left of them may still make uncertain. */
const HARMONICS = 4000;
const UNCERTAIN = 1e-8;
/** Parts of the period below which a piece's slope by its values is rounding, and below which it is none but two edges that rounding parts. */
const SHORT = 1e-6;
const NOTHING = 1e-12;
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
 * Loss in one winding, W: I_avg²·R_dc + Σ_h I_h²·R(h·f), the harmonics being exact for the pieces of the trace.
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
 * A² RMS of one harmonic after another of a periodic trace: integrated by parts, each place where the value or one of its
 * derivatives steps is one rotating pointer, Σ Δi⁽ᵏ⁾/(jω)ᵏ·e^(−jωt)/(jω) with k up to the third.
 */
class Harmonics {
  private readonly period: number;
  /** at each place, the steps of value and derivatives: four numbers */
  private readonly steps: Float64Array;
  private readonly turns: Float64Array;
  private readonly pointers: Float64Array;
  private h = 0;

  constructor({ time, value, slope }: Trace, period: number) {
    this.period = period;
    const places: number[] = [];
    const steps: number[] = [];
    let before = [0, 0, 0, 0];
    const reach = (at: number, next: number[]): void => {
      if (next.some((one, k) => one !== before[k])) {
        places.push(at);
        for (let k = 0; k < 4; k += 1) steps.push(next[k]! - before[k]!);
      }
    };
    const last = time.length - 1;
    for (let i = 1; i <= last; i += 1) {
      const span = time[i]! - time[i - 1]!;
      if (span < NOTHING * period) continue;
      const straight = (value[i]! - value[i - 1]!) / span;
      const [first, then] = slope ? [slope[i - 1]!, slope[i]!] : [straight, straight];
      const rise = span < SHORT * period ? (first + then) / 2 : straight;
      const third = (6 * (first + then - 2 * rise)) / span ** 2;
      reach(time[i - 1]!, [value[i - 1]!, first, (6 * rise - 4 * first - 2 * then) / span, third]);
      before = [value[i]!, then, (4 * then + 2 * first - 6 * rise) / span, third];
    }
    reach(time[last]!, [0, 0, 0, 0]);
    this.steps = Float64Array.from(steps);
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
    const { steps, turns, pointers } = this;
    const over = 1 / omega;
    let [re, im] = [0, 0];
    for (let i = 0; i < pointers.length; i += 2) {
      const [x, y] = [pointers[i]!, pointers[i + 1]!];
      const [c, s] = [turns[i]!, turns[i + 1]!];
      const a = x * c - y * s;
      const b = x * s + y * c;
      pointers[i] = a;
      pointers[i + 1] = b;
      // 1/j, 1/j² and 1/j³ are −j, −1 and j
      const even = steps[2 * i]! - steps[2 * i + 2]! * over * over;
      const odd = (steps[2 * i + 1]! - steps[2 * i + 3]! * over * over) * over;
      re += even * a + odd * b;
      im += even * b - odd * a;
    }
    return (2 * (re ** 2 + im ** 2)) / (omega * this.period) ** 2;
  }
}
