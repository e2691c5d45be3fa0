import type { Vector } from '../numbers/linear.ts';
import type { Course, Quantity } from './course.ts';
import type { Piece, Recorder } from './engine.ts';
import type { Mode } from './mode.ts';
import { along } from './rows.ts';

/** Average, RMS and extremes of one quantity over a run. */
export interface Measured {
  average: number;
  rms: number;
  min: number;
  max: number;
  peakToPeak: number;
}

/** What one quantity gathers, piece by piece. */
class Gauge {
  min = Infinity;
  max = -Infinity;
  private sum = 0;
  private square = 0;
  private time = 0;
  /** at the end of the last piece, and at its start */
  value = 0;
  before = 0;
  /** over the last piece; not where it was stiff */
  course!: Course;
  private readonly matters = (from: number, to: number, more: number): boolean =>
    Math.max(from, to) + more > this.max || Math.min(from, to) - more < this.min;
  private readonly turned = (time: number): void => this.see(this.course.at(time));

  private readonly extremes: boolean;

  /** @param extremes nothing is gathered but its extremes, and what cannot widen them is not looked at */
  constructor(extremes: boolean) {
    this.extremes = extremes;
  }

  piece(quantity: Quantity, { length, start, end, first, integral }: Piece): void {
    const { extremes } = this;
    if (first) {
      this.value = along(quantity.row, start);
      this.see(this.value);
    }
    this.before = this.value;
    this.value = along(quantity.row, end);
    this.see(this.value);
    if (extremes && (integral || within(quantity, start, length, this.min, this.max))) return;
    this.time += length;
    if (integral) {
      // of a parabola through both ends with the average that it has
      const { before: v0, value: v1 } = this;
      const area = along(quantity.row, integral);
      const bow = 6 * (area / length - (v0 + v1) / 2);
      this.sum += area;
      this.square += length * ((v0 * v0 + v0 * v1 + v1 * v1) / 3 + (bow * (v0 + v1)) / 6 + (bow * bow) / 30);
      return;
    }
    const course = quantity.over(start, length);
    this.course = course;
    if (!extremes) {
      this.sum += course.integral(length);
      this.square += course.squared(length);
    }
    const middle = course.coefficients[0]!;
    const { reach } = course;
    if (middle + reach > this.max || middle - reach < this.min) course.turns(length, this.matters, this.turned);
  }

  private see(value: number): void {
    if (value < this.min) this.min = value;
    if (value > this.max) this.max = value;
  }

  /** Average and RMS are NaN where extremes alone were gathered. */
  get measured(): Measured {
    const { extremes } = this;
    const average = extremes ? Number.NaN : this.sum / this.time;
    return {
      average,
      rms: extremes ? Number.NaN : Math.sqrt(Math.max(0, this.square / this.time)),
      min: this.min,
      max: this.max,
      peakToPeak: this.max - this.min,
    };
  }
}

/** Whether a quantity is known to stay between two values over a piece, by a bound that costs little. */
function within(quantity: Quantity, start: Vector, length: number, low: number, high: number): boolean {
  const most = quantity.below(start, length, 1);
  return most !== undefined && most <= high && quantity.below(start, length, -1)! <= -low;
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

/** Part of the places' distance within which two are one. */
const SAME = 1e-9;
/** Places of the waveforms in a clock period, between switchings, and clock periods up to which there are so many. */
const PLACES_A_PERIOD = 48;
const FINELY = 4000;

/** Everything that a run is measured by. */
export class Meter implements Recorder {
  readonly output: Gauge;
  readonly input: Gauge;
  readonly currents: Gauge[];
  readonly waveforms: Waveforms | undefined;
  /** s, when the output was last outside its band; 0 where it never was */
  lastOutside = 0;
  private readonly band: { target: number; within: number } | undefined;
  private readonly controls: boolean;
  /** whether extremes alone are wanted: averages are NaN then */
  readonly extremes: boolean;
  /** s between places of the waveforms at most */
  private readonly finest: number;

  constructor(
    phases: number,
    options: {
      waveforms: boolean;
      /** s, one clock period, and the whole run where it is known */
      period?: number;
      duration?: number | undefined;
      controls: boolean;
      band?: { target: number; within: number } | undefined;
      extremes?: boolean;
    },
  ) {
    const { extremes = false } = options;
    this.extremes = extremes;
    this.output = new Gauge(extremes);
    this.input = new Gauge(extremes);
    this.currents = Array.from({ length: phases }, () => new Gauge(extremes));
    this.controls = options.controls;
    const { period = Infinity, duration = 0 } = options;
    // a long run is told by fewer, so that its traces stay within bounds: never fewer than its switchings
    this.finest = (period / PLACES_A_PERIOD) * Math.max(1, duration / period / FINELY);
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
    this.output.piece(mode.output, piece);
    this.input.piece(mode.input, piece);
    for (let k = 0; k < this.currents.length; k += 1) this.currents[k]!.piece(mode.current(k), piece);
    if (this.band) this.judge(this.band, piece);
    if (!this.waveforms) return;
    if (piece.first) this.put(from, start, mode);
    if (!piece.integral) this.putBetween(this.waveforms, piece);
    this.put(from + length, end, mode);
  }

  private put(moment: number, state: Vector, mode: Mode): void {
    const waves = this.waveforms!;
    // a piece's end is the next one's start but for rounding
    const last = waves.time.length - 1;
    const before = waves.time[last] ?? -Infinity;
    const time = moment - before > SAME * this.finest ? moment : before;
    const volts = along(mode.output.row, state);
    const node = along(mode.node(0).row, state);
    // a place that says nothing new is not put twice
    if (waves.time[last] === time && waves.outputVoltage[last] === volts && waves.switchNode[0]![last] === node) return;
    waves.time.push(time);
    waves.outputVoltage.push(volts);
    for (let k = 0; k < this.currents.length; k += 1) {
      waves.inductorCurrent[k]!.push(state[k]!);
      waves.switchNode[k]!.push(k === 0 ? node : along(mode.node(k).row, state));
    }
    waves.inputCurrent.push(along(mode.input.row, state));
    if (this.controls) waves.controlVoltage!.push(along(mode.controlRow, state));
  }

  /** The places within a piece, by each quantity's course. */
  private putBetween(waves: Waveforms, { mode, from, length, start }: Piece): void {
    const between = Math.floor(length / this.finest);
    if (between === 0) return;
    for (let k = 1; k <= between; k += 1) waves.time.push(from + (length * k) / (between + 1));
    this.output.course.tell(length, between, waves.outputVoltage);
    this.input.course.tell(length, between, waves.inputCurrent);
    for (let k = 0; k < this.currents.length; k += 1) {
      this.currents[k]!.course.tell(length, between, waves.inductorCurrent[k]!);
      mode.node(k).over(start, length).tell(length, between, waves.switchNode[k]!);
    }
    if (waves.controlVoltage) mode.controlled.over(start, length).tell(length, between, waves.controlVoltage);
  }

  private judge(
    { target, within: band }: { target: number; within: number },
    { mode, from, length, start, integral }: Piece,
  ): void {
    const { before, value } = this.output;
    const outside = (volts: number): boolean => Math.abs(volts - target) > band;
    if (outside(value)) {
      this.lastOutside = from + length;
      return;
    }
    if (integral) {
      if (outside(before)) this.lastOutside = from + length;
      return;
    }
    if (this.extremes && within(mode.output, start, length, target - band, target + band)) return;
    const course = mode.output.over(start, length);
    if (Math.abs(course.coefficients[0]! - target) + course.reach <= band) return;
    // out of the band at the start, or by a hump between
    let out = outside(before) ? 0 : -1;
    course.turns(
      length,
      (from, to, more) => Math.max(Math.abs(from - target), Math.abs(to - target)) + more > band,
      (time) => {
        if (outside(course.at(time))) out = time;
      },
    );
    if (out < 0) return;
    const above = course.at(out) > target;
    const middle = course.coefficients[0]!;
    course.coefficients[0] = middle - target + (above ? -band : band);
    this.lastOutside = from + course.crossing(out, length, above ? -1 : 1);
    course.coefficients[0] = middle;
  }
}
