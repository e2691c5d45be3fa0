import { dot, GAUSS_NODES, type Vector } from '../numbers/linear.ts';
import type { Mode, Piece, Recorder } from './engine.ts';

/** Average, RMS and extremes of one quantity over a run. */
export interface Measured {
  average: number;
  rms: number;
  min: number;
  max: number;
  peakToPeak: number;
}

const INTERIOR = [0.25, 0.5, 0.75] as const;

/** What one quantity gathers, piece by piece. */
class Gauge {
  private sum = 0;
  private square = 0;
  private time = 0;
  min = Infinity;
  max = -Infinity;
  private readonly values: number[] = [];

  /** @param row over the state; or the number of one state */
  add(row: Vector | number, { length, series, terms, start, end, integral }: Piece): void {
    const of = (at: Vector): number => (typeof row === 'number' ? at[row]! : dot(row.length, row, at));
    const first = of(start);
    const last = of(end);
    this.time += length;
    this.see(first);
    this.see(last);
    if (terms === 0) {
      this.sum += integral ? of(integral) : (length * (first + last)) / 2;
      this.square += (length * (first * first + first * last + last * last)) / 3;
      return;
    }
    const { values: p } = this;
    let count = terms;
    for (let k = 0; k < terms; k += 1) p[k] = of(series[k]!);
    while (count > 2 && p[count - 1] === 0) count -= 1;
    if (count < 2) p[1] = 0;
    count = Math.max(2, count);
    const at = (time: number): number => {
      let value = p[count - 1]!;
      for (let k = count - 2; k >= 0; k -= 1) value = value * time + p[k]!;
      return value;
    };
    for (const { at: place, weight } of GAUSS_NODES) {
      const value = at(place * length);
      this.sum += length * weight * value;
      this.square += length * weight * value * value;
    }
    // an extreme inside shows where the slopes at the ends differ in sign, or a place inside is beyond both
    const slope = (time: number): number => {
      let value = (count - 1) * p[count - 1]!;
      for (let k = count - 2; k >= 1; k -= 1) value = value * time + k * p[k]!;
      return value;
    };
    let [low, rise] = [0, slope(0)];
    for (const part of [...INTERIOR, 1]) {
      const high = part * length;
      const next = slope(high);
      if (rise * next < 0) {
        let [a, b] = [low, high];
        for (let round = 0; round < 60 && b - a > 1e-15 * length; round += 1) {
          const middle = (a + b) / 2;
          if (slope(middle) * rise > 0) a = middle;
          else b = middle;
        }
        this.see(at((a + b) / 2));
      }
      [low, rise] = [high, next];
    }
  }

  private see(value: number): void {
    if (value < this.min) this.min = value;
    if (value > this.max) this.max = value;
  }

  get measured(): Measured {
    const average = this.sum / this.time;
    return {
      average,
      rms: Math.sqrt(Math.max(0, this.square / this.time)),
      min: this.min,
      max: this.max,
      peakToPeak: this.max - this.min,
    };
  }
}

/** Traces of a run, both sides of every switching edge. */
export interface Waveforms {
  time: number[];
  outputVoltage: number[];
  inductorCurrent: number[][];
  switchNode: number[][];
  inputCurrent: number[];
  controlVoltage?: number[];
}

/** Places of the waveforms in a clock period, between switchings. */
const PLACES_A_PERIOD = 48;

/** The state some time into a piece. */
function stateAfter({ series, terms }: Piece, time: number): Vector {
  const state = series[terms - 1]!.slice();
  for (let k = terms - 2; k >= 0; k -= 1) {
    const term = series[k]!;
    for (let i = 0; i < state.length; i += 1) state[i] = state[i]! * time + term[i]!;
  }
  return state;
}

/** Everything that a run is measured by. */
export class Meter implements Recorder {
  readonly output = new Gauge();
  readonly input = new Gauge();
  readonly currents: Gauge[];
  readonly waveforms: Waveforms | undefined;
  /** s, when the output was last outside its band; 0 where it never was */
  lastOutside = 0;
  private readonly band: { target: number; within: number } | undefined;
  private readonly controls: boolean;
  /** s between places of the waveforms at most */
  private readonly finest: number;

  constructor(
    phases: number,
    options: {
      waveforms: boolean;
      /** s, one clock period */
      period?: number;
      controls: boolean;
      band?: { target: number; within: number } | undefined;
    },
  ) {
    this.currents = Array.from({ length: phases }, () => new Gauge());
    this.controls = options.controls;
    this.finest = (options.period ?? Infinity) / PLACES_A_PERIOD;
    this.band = options.band;
    const lists = (): number[][] => Array.from({ length: phases }, () => []);
    if (options.waveforms)
      this.waveforms = {
        time: [],
        outputVoltage: [],
        inductorCurrent: lists(),
        switchNode: lists(),
        inputCurrent: [],
        ...(options.controls ? { controlVoltage: [] } : {}),
      };
  }

  piece(piece: Piece): void {
    const { mode, from, length, start, end } = piece;
    this.output.add(mode.load, piece);
    this.input.add(mode.input, piece);
    this.currents.forEach((gauge, k) => gauge.add(k, piece));
    if (this.band) this.judge(this.band, piece);
    if (!this.waveforms) return;
    this.put(from, start, mode);
    const between = piece.terms === 0 ? 0 : Math.floor(length / this.finest);
    for (let k = 1; k <= between; k += 1) {
      const after = (length * k) / (between + 1);
      this.put(from + after, stateAfter(piece, after), mode);
    }
    this.put(from + length, end, mode);
  }

  private put(moment: number, state: Vector, mode: Mode): void {
    const waves = this.waveforms!;
    // a piece's end is the next one's start but for rounding
    const time = Math.max(moment, waves.time[waves.time.length - 1] ?? -Infinity);
    const n = state.length;
    const last = waves.time.length - 1;
    const volts = dot(n, mode.load, state);
    const node = dot(n, mode.switchNodes[0]!, state);
    // a place that says nothing new is not put twice
    if (waves.time[last] === time && waves.outputVoltage[last] === volts && waves.switchNode[0]![last] === node) return;
    waves.time.push(time);
    waves.outputVoltage.push(volts);
    this.currents.forEach((_, k) => {
      waves.inductorCurrent[k]!.push(state[k]!);
      waves.switchNode[k]!.push(dot(n, mode.switchNodes[k]!, state));
    });
    waves.inputCurrent.push(dot(n, mode.input, state));
    if (this.controls) waves.controlVoltage!.push(dot(n, mode.control, state));
  }

  private judge(
    { target, within }: { target: number; within: number },
    { from, length, series, terms, start, end, mode }: Piece,
  ): void {
    const n = start.length;
    const outside = (value: number): boolean => Math.abs(value - target) > within;
    const valueAt = (time: number): number => {
      if (terms === 0) {
        const [a, b] = [dot(n, mode.load, start), dot(n, mode.load, end)];
        return a + ((b - a) * time) / length;
      }
      let value = 0;
      for (let k = terms - 1; k >= 0; k -= 1) value = value * time + dot(n, mode.load, series[k]!);
      return value;
    };
    if (outside(dot(n, mode.load, end))) {
      this.lastOutside = from + length;
      return;
    }
    const PLACES = 8;
    for (let k = PLACES - 1; k >= 0; k -= 1) {
      let low = (length * k) / PLACES;
      if (!outside(valueAt(low))) continue;
      let high = (length * (k + 1)) / PLACES;
      for (let round = 0; round < 50; round += 1) {
        const middle = (low + high) / 2;
        if (outside(valueAt(middle))) low = middle;
        else high = middle;
      }
      this.lastOutside = Math.max(this.lastOutside, from + high);
      return;
    }
  }
}
