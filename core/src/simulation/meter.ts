import { zeros, type Vector } from '../numbers/linear.ts';
import type { Piece, Recorder } from './engine.ts';
import type { Mode } from './mode.ts';
import { along } from './rows.ts';
import { halved, TERMS, type Quantity, type Stretcher } from './stretch.ts';

/** Average, RMS and extremes of one quantity over a run. */
export interface Measured {
  average: number;
  rms: number;
  min: number;
  max: number;
  peakToPeak: number;
}

const polynomial = zeros(TERMS);

function at(p: Vector, time: number): number {
  let value = p[TERMS - 1]!;
  for (let k = TERMS - 2; k >= 0; k -= 1) value = value * time + p[k]!;
  return value;
}

function slopeAt(p: Vector, time: number): number {
  let value = (TERMS - 1) * p[TERMS - 1]!;
  for (let k = TERMS - 2; k >= 1; k -= 1) value = value * time + k * p[k]!;
  return value;
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
  private slope = 0;
  private curve = 0;

  piece(quantity: Quantity, { length, start, end, first, stiff }: Piece): void {
    if (first) {
      this.value = along(quantity.row, start);
      this.slope = along(quantity.slope, start);
      this.curve = along(quantity.curve, start);
      this.see(this.value);
    }
    const v0 = this.value;
    const s0 = this.slope;
    const c0 = this.curve;
    const v1 = along(quantity.row, end);
    const s1 = along(quantity.slope, end);
    const c1 = along(quantity.curve, end);
    this.before = v0;
    this.value = v1;
    this.slope = s1;
    this.curve = c1;
    if (v1 < this.min) this.min = v1;
    if (v1 > this.max) this.max = v1;
    if (stiff) {
      this.square += (length * (v0 * v0 + v0 * v1 + v1 * v1)) / 3;
      return;
    }
    // the square's integral from its values, slopes and curvatures at both ends
    this.square +=
      (length / 2) * (v0 * v0 + v1 * v1) +
      ((length * length) / 5) * (v0 * s0 - v1 * s1) +
      ((length * length * length) / 60) * (s0 * s0 + v0 * c0 + s1 * s1 + v1 * c1);
    if (s0 * s1 < 0) this.turn(quantity, start, length, s0, s1);
  }

  /** An extreme within a piece. */
  private turn(quantity: Quantity, start: Vector, length: number, s0: number, s1: number): void {
    const most = Math.max(Math.abs(s0), Math.abs(s1)) * length;
    if (
      s0 > 0
        ? Math.max(this.before, this.value) + most <= this.max
        : Math.min(this.before, this.value) - most >= this.min
    )
      return;
    quantity.seriesInto(start, polynomial);
    // from a parabola's top by Newton's method, within the piece
    let low = 0;
    let high = length;
    let time = (s0 / (s0 - s1)) * length;
    for (let round = 0; round < 60; round += 1) {
      const slope = slopeAt(polynomial, time);
      if (slope * s0 > 0) low = time;
      else high = time;
      let curve = 0;
      for (let k = TERMS - 1; k >= 2; k -= 1) curve = curve * time + k * (k - 1) * polynomial[k]!;
      let next = time - slope / curve;
      if (!(next > low && next < high)) next = (low + high) / 2;
      if (Math.abs(next - time) <= 1e-9 * length) break;
      time = next;
    }
    this.see(at(polynomial, time));
  }

  stretch(quantity: Quantity, length: number, integral: Vector): void {
    this.time += length;
    this.sum += along(quantity.row, integral);
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

/** Part of the places' distance within which two are one. */
const SAME = 1e-9;
/** Places of the waveforms in a clock period, between switchings, and clock periods up to which there are so many. */
const PLACES_A_PERIOD = 48;
const FINELY = 4000;

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
      /** s, one clock period, and the whole run where it is known */
      period?: number;
      duration?: number | undefined;
      controls: boolean;
      band?: { target: number; within: number } | undefined;
    },
  ) {
    this.currents = Array.from({ length: phases }, () => new Gauge());
    this.controls = options.controls;
    const { period = Infinity, duration = 0 } = options;
    // a long run is told by fewer, so that its traces stay within bounds: never fewer than its switchings and nodes
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

  piece(piece: Piece, stretcher: Stretcher): void {
    const { mode, from, length, start, end } = piece;
    this.output.piece(mode.output, piece);
    this.input.piece(mode.input, piece);
    for (let k = 0; k < this.currents.length; k += 1) this.currents[k]!.piece(mode.current(k), piece);
    if (this.band) this.judge(this.band, piece);
    if (!this.waveforms) return;
    if (piece.first) this.put(from, start, mode);
    const between = piece.stiff ? 0 : Math.floor(length / this.finest);
    if (between > 0) stretcher.open(mode.motion, start, length);
    for (let k = 1; k <= between; k += 1) {
      const after = (length * k) / (between + 1);
      this.put(from + after, stretcher.stateAt(mode.motion, after), mode);
    }
    this.put(from + length, end, mode);
  }

  stretch(mode: Mode, length: number, integral: Vector): void {
    this.output.stretch(mode.output, length, integral);
    this.input.stretch(mode.input, length, integral);
    for (let k = 0; k < this.currents.length; k += 1) this.currents[k]!.stretch(mode.current(k), length, integral);
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

  private judge(
    { target, within }: { target: number; within: number },
    { from, length, start, mode, stiff }: Piece,
  ): void {
    const { before, value } = this.output;
    const outside = (volts: number): boolean => Math.abs(volts - target) > within;
    if (outside(value)) {
      this.lastOutside = from + length;
      return;
    }
    if (stiff) {
      if (outside(before)) this.lastOutside = from + length;
      return;
    }
    // out of the band at the start, or by a hump between
    const quantity = mode.output;
    const s0 = along(quantity.slope, start);
    const hump = Math.abs(before - target) + Math.abs(s0) * length > within;
    if (!outside(before) && !hump) return;
    quantity.seriesInto(start, polynomial);
    let out = 0;
    if (!outside(before)) {
      if (slopeAt(polynomial, 0) * slopeAt(polynomial, length) >= 0) return;
      const sign = s0 > 0 ? -1 : 1;
      out = halved((time) => slopeAt(polynomial, time), 0, length, sign);
      if (!outside(at(polynomial, out))) return;
    }
    let back = length;
    for (let round = 0; round < 60; round += 1) {
      const middle = (out + back) / 2;
      if (outside(at(polynomial, middle))) out = middle;
      else back = middle;
    }
    this.lastOutside = from + back;
  }
}
