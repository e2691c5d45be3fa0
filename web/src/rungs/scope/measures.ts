/* What is read from traces beside the simulator’s own figures, as the bench reads it. */

/** Hz of the bandwidth limit that ripple is usually quoted through. */
const BANDWIDTH = 20e6;

/**
 * V peak to peak behind one pole: the exact answer to the straight lines between a trace's places, from where it begins.
 * @param time s, not falling; two places at one time are an edge
 */
export function rippleThrough(time: ArrayLike<number>, volts: ArrayLike<number>, bandwidth = BANDWIDTH): number {
  if (time.length === 0) return 0;
  const tau = 1 / (2 * Math.PI * bandwidth);
  let value = volts[0]!;
  let [min, max] = [value, value];
  for (let k = 1; k < time.length; k += 1) {
    const length = time[k]! - time[k - 1]!;
    if (length <= 0) continue;
    const slope = (volts[k]! - volts[k - 1]!) / length;
    // behind a ramp the answer follows it by tau, and what was apart from that dies away
    const lag = value - (volts[k - 1]! - slope * tau);
    value = volts[k]! - slope * tau + lag * Math.exp(-length / tau);
    if (value < min) min = value;
    if (value > max) max = value;
  }
  return max - min;
}

/**
 * A probe's long ground lead beside the loop that carries the switched current: H between them, s that an edge lasts. Our own
 * stand-in, some centimetres of lead and ten nanoseconds; the bench fact that the lead and not the output makes the spikes is
 * common practice, no source.
 */
const LEAD = { mutual: 0.5e-9, edge: 10e-9 };

/**
 * V peak to peak that such a lead adds within a bandwidth: what each edge of the switched current induces in it, one way as
 * the control switch turns on and the other way as it turns off.
 * @param current A of one phase, at its valley and at its peak
 */
export function leadPickup({ min, max }: { min: number; max: number }, bandwidth = BANDWIDTH): number {
  const through = 1 - Math.exp(-LEAD.edge * 2 * Math.PI * bandwidth);
  return (LEAD.mutual / LEAD.edge) * (Math.abs(min) + Math.abs(max)) * through;
}

/** s from 10 to 90 % of the way between where a trace begins and where it ends, and when. */
export interface Rise {
  time: number;
  from: number;
  to: number;
}

/** Part of the end's own size below which a trace does not rise. */
const RISES = 0.5;

export function riseOf(time: ArrayLike<number>, values: ArrayLike<number>): Rise | undefined {
  const last = time.length - 1;
  if (last < 1) return undefined;
  const [start, end] = [values[0]!, values[last]!];
  if (!(Math.abs(end - start) > RISES * Math.abs(end))) return undefined;
  const at = (part: number): number | undefined => {
    const level = start + part * (end - start);
    for (let k = 1; k <= last; k += 1)
      if ((values[k]! - level) * (end - start) >= 0) {
        const step = values[k]! - values[k - 1]!;
        const within = step === 0 ? 1 : (level - values[k - 1]!) / step;
        return time[k - 1]! + within * (time[k]! - time[k - 1]!);
      }
    return undefined;
  };
  const [from, to] = [at(0.1), at(0.9)];
  return from === undefined || to === undefined ? undefined : { time: to - from, from, to };
}

/** Part of a trace that is taken to lie before its step, and of its largest departure at which the step is seen. */
const BEFORE = 0.05;
const SEEN = 0.3;

/** s at which a trace first leaves the level that it begins with; undefined where it never does. */
export function stepEdge(time: ArrayLike<number>, values: ArrayLike<number>): number | undefined {
  const count = values.length;
  const early = Math.max(1, Math.floor(count * BEFORE));
  let level = 0;
  for (let k = 0; k < early; k += 1) level += values[k]! / early;
  let noise = 0;
  let most = 0;
  for (let k = 0; k < count; k += 1) {
    const apart = Math.abs(values[k]! - level);
    if (k < early) noise = Math.max(noise, apart);
    if (apart > most) most = apart;
  }
  if (!(most > 3 * noise)) return undefined;
  const threshold = Math.max(1.5 * noise, SEEN * most);
  for (let k = 0; k < count; k += 1) if (Math.abs(values[k]! - level) > threshold) return time[k];
  return undefined;
}
