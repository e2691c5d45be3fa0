import type { CellName } from '../network/circuit.ts';
import { balanced, rowTimes, scaledNorm, spend, zeros, type Vector } from '../numbers/linear.ts';
import type { Amplifier, AmplifierMode, ModeEvent, Wiring } from './amplifier.ts';
import type { Injection } from './injection.ts';
import { CELL_CODES, type Fault, type Setup } from './modulator.ts';
import type { Plant, PlantConfiguration } from './plant.ts';
import { rowOf, type Row } from './rows.ts';
import { Quantity } from './course.ts';
import { Motion } from './motion.ts';
import type { Crossing } from './stretch.ts';

/** Where what drives the stage stands among all states: after the stage's own come the drives, then the controller's, then 1. */
export class Places {
  /** states of the stage, drives and controller apart */
  readonly states: number;
  readonly size: number;
  readonly quadrature: number;
  constructor(states: number, own: number, sine: boolean) {
    this.states = states;
    this.quadrature = sine ? states + DRIVES + own : -1;
    this.size = states + DRIVES + own + (sine ? 1 : 0) + 1;
  }
  get source(): number {
    return this.states;
  }
  get drawn(): number {
    return this.states + 1;
  }
  get reference(): number {
    return this.states + 2;
  }
  /** V added to what the controller senses at the output */
  get injected(): number {
    return this.states + 3;
  }
  get firstOwn(): number {
    return this.states + DRIVES;
  }
  get one(): number {
    return this.size - 1;
  }
}

const DRIVES = 4;

/** What may rise through zero in a mode. */
export const WATCHED = {
  limit: 0,
  falls: 1,
  rises: 2,
  forward: 3,
  reverse: 4,
  amplifier: 5,
  over: 6,
  under: 7,
  pulse: 8,
  compare: 9,
  levelUp: 10,
  levelDown: 11,
  valley: 16,
  starves: 12,
  feeds: 13,
  sags: 14,
  recovers: 15,
} as const;
export type Watched = (typeof WATCHED)[keyof typeof WATCHED];
/** Room for each kind's phases, or the amplifier's ways. */
const ROOM = 64;

/** Everything of the stage while its switches and its amplifier stand in one way. */
export class Mode {
  readonly motion: Motion;
  readonly configuration: PlantConfiguration;
  readonly cells: readonly CellName[];
  readonly codes: number[];
  readonly levels: readonly number[] | undefined;
  private readonly band: number;
  /** rows over all states */
  readonly load: Vector;
  /** V where the controller senses, what is injected apart */
  private readonly sensed: Vector;
  readonly control: Vector;
  readonly feedback: Vector;
  readonly controlRow: Row;
  readonly sensedRow: Row;
  /** V that each phase's ramp meets, and each phase's slope adds to */
  readonly compared: readonly Row[];
  private readonly comparedWith: readonly Vector[];
  /** with the amplifier that each changes: the voltage's, then each phase's current's */
  readonly amplifierEvents: (ModeEvent & { amplifier: number })[];
  /** how fast source, drawn current and reference move */
  readonly slopes: readonly [number, number, number];
  private readonly switchNodes: Vector[];
  private readonly inputs: Vector;
  private readonly inputVolts: Vector;
  /** V at the input node */
  readonly inputNode: Row;
  private inputCourse: { slope: Row; bend: Row } | undefined;
  private readonly rests: { forward: Vector; reverse: Vector }[];
  private readonly setup: Setup;
  private readonly places: Places;
  readonly plant: Plant;
  private readonly known: Crossing[] = [];
  private readonly quantities: { row: Vector; quantity: Quantity }[] = [];
  private knownOutput: Quantity | undefined;
  /** the first of the phases' filtered currents among the states; −1 without a filter */
  private readonly filtered: number = -1;
  private knownBefore: Quantity | undefined;
  private knownInput: Quantity | undefined;
  private knownControl: Quantity | undefined;
  private readonly knownCurrents: Quantity[] = [];
  private readonly knownNodes: Quantity[] = [];

  constructor(
    setup: Setup,
    places: Places,
    plant: Plant,
    injection: Injection | undefined,
    {
      cells,
      codes,
      levels,
      amplifierModes,
      fault,
      band,
      slopes,
      forward,
    }: {
      cells: readonly CellName[];
      codes: number[];
      levels: readonly number[] | undefined;
      amplifierModes: readonly AmplifierMode[];
      /** the part of its course over voltage that the load stands in */
      band: number;
      fault: Fault | undefined;
      slopes: readonly [number, number, number];
      /** the cell that each phase's rectifier would conduct in */
      forward: readonly CellName[];
    },
  ) {
    const { size, states: s, one, firstOwn } = places;
    // assembling it is some dozens of passes over a matrix
    spend(40 * size * size);
    const configuration = plant.configuration(cells, levels);
    const lift = (row: Vector): Vector => {
      const lifted = zeros(size);
      for (let k = 0; k < s + 2; k += 1) lifted[k] = row[k]!;
      lifted[one] = row[s + 2]!;
      return lifted;
    };
    const matrix = zeros(size * size);
    const put = (at: number, row: Vector): void => {
      for (let k = 0; k < size; k += 1) matrix[at * size + k] = row[k]!;
    };
    configuration.matrix.forEach((row, i) => put(i, lift(row)));
    this.setup = setup;
    this.places = places;
    this.plant = plant;
    this.configuration = configuration;
    this.cells = cells;
    this.codes = codes;
    this.levels = levels;
    this.band = band;
    this.slopes = slopes;
    this.load = lift(configuration.loadVoltage);
    this.inputs = lift(configuration.inputCurrent);
    const inputNode = lift(configuration.inputVoltage);
    this.inputNode = rowOf(inputNode);
    this.inputVolts = inputNode;
    this.switchNodes = configuration.switchNodes.map(lift);
    this.sensed = lift(configuration.sensedVoltage);
    const sensed = fault === 'feedback-lost' ? zeros(size) : this.sensed.slice();
    // held, the control voltage takes what is injected instead of what is sensed
    if (!setup.held) sensed[places.injected]! += 1;
    this.sensedRow = rowOf(sensed);
    this.control = zeros(size);
    this.amplifierEvents = [];
    const assembled = (one: Amplifier, at: number, wiring: Wiring): Vector => {
      const part = one.assemble(amplifierModes[at]!, wiring);
      part.slopes.forEach((row, k) => put(wiring.first + k, row));
      this.amplifierEvents.push(...part.events.map((event) => ({ ...event, amplifier: at })));
      return part.control;
    };
    const amplifier = fault === 'divider-open' ? (setup.undivided ?? setup.amplifier) : setup.amplifier;
    if (amplifier) {
      const reference = zeros(size);
      reference[places.reference] = 1;
      this.control = assembled(amplifier, 0, { size, first: firstOwn, reference, sensed });
    }
    if (setup.held) {
      this.control[places.reference] = 1;
      this.control[places.injected] = 1;
    }
    this.controlRow = rowOf(this.control);
    const { currentAmplifier } = setup;
    this.comparedWith = cells.map((_, k) => {
      if (!currentAmplifier) return this.control;
      const sense = zeros(size);
      sense[k] = setup.modulator.currentSenseGain;
      const first = firstOwn + (amplifier?.states ?? 0) + k * currentAmplifier.states;
      return assembled(currentAmplifier, k + 1, { size, first, reference: this.control, sensed: sense });
    });
    if (setup.modulator.senseFilter > 0) {
      this.filtered = firstOwn + (amplifier?.states ?? 0);
      for (let k = 0; k < cells.length; k += 1) {
        const slope = zeros(size);
        slope[k] = setup.modulator.currentSenseGain / setup.modulator.senseFilter;
        slope[this.filtered + k] = -1 / setup.modulator.senseFilter;
        put(this.filtered + k, slope);
      }
    }
    this.compared = currentAmplifier ? this.comparedWith.map(rowOf) : cells.map(() => this.controlRow);
    this.feedback = sensed.map((value) => value * (fault === 'divider-open' ? 1 : setup.tapRatio));
    if (injection) {
      const first = firstOwn + (amplifier?.states ?? 0);
      const part = injection.assemble({ size, first, sensed, node: this.switchNodes[0]! });
      part.slopes.forEach((row, k) => put(first + k, row));
      this.feedback = part.tap;
    }
    if (setup.sine) {
      const speed = 2 * Math.PI * setup.sine.frequency;
      matrix[places.injected * size + places.quadrature] = speed;
      matrix[places.quadrature * size + places.injected] = -speed;
    }
    this.rests = cells.map((name, k) => {
      if (name !== 'idle') return { forward: this.load, reverse: this.load };
      const ahead = plant.appliedRow(forward[k]!, configuration);
      const back = plant.appliedRow('deadReverse', configuration);
      const induced = configuration.induced[k]!;
      for (let i = 0; i < ahead.length; i += 1) {
        ahead[i]! -= induced[i]!;
        back[i] = induced[i]! - back[i]!;
      }
      // each is above zero where the diode turns on
      return { forward: lift(ahead), reverse: lift(back) };
    });
    const dynamic = matrix.slice();
    for (const drive of [places.source, places.drawn, places.reference, places.injected, one])
      for (let i = 0; i < size; i += 1) dynamic[i * size + drive] = 0;
    const impedance = Math.max(...plant.network.scale);
    const scale = Array.from({ length: size }, (_, k) => (k < s ? plant.network.scale[k]! : impedance));
    for (let drive = 0; drive < 3; drive += 1) matrix[(s + drive) * size + one] = slopes[drive]!;
    this.motion = new Motion(
      size,
      matrix,
      // nothing drives the sine back, so that the balanced norm does not see it
      Math.max(
        scaledNorm(size, dynamic, balanced(size, dynamic, scale)),
        setup.sine ? 2 * Math.PI * setup.sine.frequency : 0,
      ),
      setup.period,
    );
  }

  /** What is above zero once something has happened. */
  watched(kind: Watched, k: number): Crossing {
    return (this.known[kind * ROOM + k] ??= this.crossing(this.watchedRow(kind, k)));
  }

  private crossing(full: Vector): Crossing {
    const { one } = this.places;
    const { size, matrix } = this.motion;
    const bare = full.slice();
    bare[one] = 0;
    const opposite = this.find(bare, -1);
    return {
      row: rowOf(full),
      slope: rowOf(rowTimes(size, full, matrix)),
      quantity: opposite ?? this.quantity(bare),
      factor: opposite ? -1 : 1,
      offset: full[one]!,
      last: 0,
      hint: 0,
    };
  }

  /** One for each row: what is measured and what is watched have their courses together. */
  private quantity(row: Vector): Quantity {
    const found = this.find(row, 1);
    if (found) return found;
    const quantity = new Quantity(this.motion, row);
    this.quantities.push({ row, quantity });
    return quantity;
  }

  /** The quantity whose row is so many times this one. */
  private find(row: Vector, times: 1 | -1): Quantity | undefined {
    return this.quantities.find((one) => one.row.every((value, k) => value === times * row[k]!))?.quantity;
  }

  private watchedRow(kind: Watched, k: number): Vector {
    const { setup, places } = this;
    const { modulator } = setup;
    const { size, one } = places;
    const only = (at: number, value: number, constant = 0): Vector => {
      const row = zeros(size);
      row[at] = value;
      row[one]! += constant;
      return row;
    };
    const less = (row: Vector): Vector => row.map((value) => -value);
    switch (kind) {
      case WATCHED.limit:
        return only(k, 1, -modulator.currentLimit);
      case WATCHED.valley:
        return only(k, -1, modulator.valleyCurrentLimit);
      case WATCHED.falls:
        return only(k, -1);
      case WATCHED.rises:
        return only(k, 1);
      case WATCHED.forward:
        return this.rests[k]!.forward;
      case WATCHED.reverse:
        return this.rests[k]!.reverse;
      case WATCHED.amplifier:
        return this.amplifierEvents[k]!.row;
      case WATCHED.over: {
        const row = this.sensed.slice();
        row[one]! -= modulator.overVoltage;
        return row;
      }
      case WATCHED.under: {
        const row = less(this.sensed);
        row[one]! += modulator.overVoltage;
        return row;
      }
      case WATCHED.starves: {
        const row = less(this.load);
        row[one]! += setup.bands[this.band]!.from;
        return row;
      }
      case WATCHED.feeds: {
        const row = this.load.slice();
        row[one]! -= setup.bands[this.band + 1]!.from;
        return row;
      }
      case WATCHED.pulse: {
        // what a pulse waits for: too little at the tap, or, with the current at rest, a control voltage that asks for one
        if (modulator.critical)
          return modulator.valley > 0 && this.codes[k] !== CELL_CODES.idle
            ? only(k, -1, -modulator.valley)
            : this.control;
        const row = less(this.feedback);
        row[places.reference]! += 1;
        if (modulator.method === 'hysteretic') row[one]! -= modulator.hysteresis / 2;
        return row;
      }
      case WATCHED.compare: {
        if (modulator.method === 'hysteretic') {
          const row = this.feedback.slice();
          row[places.reference]! -= 1;
          row[one]! -= modulator.hysteresis / 2;
          return row;
        }
        const row = less(this.comparedWith[k]!);
        if (modulator.method === 'peak-current-mode') this.addSensed(row, k);
        return row;
      }
      case WATCHED.sags: {
        const row = less(this.inputVolts);
        row[one]! += modulator.lockout!.falling;
        return row;
      }
      case WATCHED.recovers: {
        const row = this.inputVolts.slice();
        row[one]! -= modulator.lockout!.rising;
        return row;
      }
      case WATCHED.levelUp:
        return only(k, 1, -this.plant.network.circuit.bend!.borders[this.levels![k]!]!);
      case WATCHED.levelDown:
        return only(k, -1, this.plant.network.circuit.bend!.borders[this.levels![k]! - 1]);
    }
  }

  /** Adds V of what the comparator of a phase has of its current. */
  private addSensed(row: Vector, k: number): void {
    if (this.filtered < 0) row[k]! += this.setup.modulator.currentSenseGain;
    else row[this.filtered + k]! += 1;
  }

  /** V at a phase's comparator that its current makes, as it stands. */
  sensedCurrent(state: Vector, k: number): number {
    return this.filtered < 0 ? this.setup.modulator.currentSenseGain * state[k]! : state[this.filtered + k]!;
  }

  /** V at the load. */
  get output(): Quantity {
    return (this.knownOutput ??= this.quantity(this.load));
  }
  /** V where the controller senses, where that is not at the load. */
  get before(): Quantity | undefined {
    if (this.plant.network.circuit.filter?.feedback !== 'before') return undefined;
    return (this.knownBefore ??= this.quantity(this.sensed));
  }
  /** A out of the input node. */
  get input(): Quantity {
    return (this.knownInput ??= this.quantity(this.inputs));
  }
  /** A in a winding. */
  current(k: number): Quantity {
    return (this.knownCurrents[k] ??= this.quantity(zeros(this.places.size).map((_, at) => (at === k ? 1 : 0))));
  }
  /** V of the controller. */
  get controlled(): Quantity {
    return (this.knownControl ??= this.quantity(this.control));
  }
  /** V/s and V/s² at the input node, over the state. */
  get inputMoves(): { slope: Row; bend: Row } {
    if (!this.inputCourse) {
      const { size, matrix } = this.motion;
      const slope = rowTimes(size, this.inputVolts, matrix);
      this.inputCourse = { slope: rowOf(slope), bend: rowOf(rowTimes(size, slope, matrix)) };
    }
    return this.inputCourse;
  }
  /** V at a phase's switch node. */
  node(k: number): Quantity {
    return (this.knownNodes[k] ??= this.quantity(this.switchNodes[k]!));
  }
}
