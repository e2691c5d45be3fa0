import { stepAt } from './saturating.ts';
import type { CellName } from './circuit.ts';
import {
  applyInto,
  dot,
  identity,
  multiplyInto,
  propagate,
  spend,
  transition,
  zeros,
  type Vector,
} from '../numbers/linear.ts';
import type { Configuration, Network } from './network.ts';
import { applyStep, phaseAt, projectIdle, stepColumns, type Interval } from './periodic.ts';

/**
 * What a phase is told. A cell by its name carries current either way; with `diode` the rectifier carries it forward
 * only, with `bodies` the rectifier's body diode does (both legs' where both switch), and under both the control
 * switch's body diode carries what flows back.
 */
export type Signal = Exclude<CellName, 'idle'> | 'diode' | 'bodies';

/** A moment of one phase's period from which a signal holds: s, and its change with the unknown. */
export interface Edge {
  signal: Signal;
  time: number;
  perUnknown: number;
}

/** One phase's signals over its period, in order, the first at 0; all of it may depend on one unknown (a duty, a period). */
export interface Schedule {
  period: number;
  /** s, change of the period with the unknown */
  periodPerUnknown: number;
  edges: readonly Edge[];
}

/** Samples of a stretch between which a diode's turning on or off is looked for. */
const SAMPLES = 8;
/** Turnings of diodes in one pass, for each phase, beyond which the pass is taken to be chattering. */
const MOST_EVENTS = 6;
/** What following to an event, and looking one step ahead for it, take beside their products, in multiplications. */
const EVENT = 3000;
const STEP = 300;
/** Part of the natural current, or of the input voltage, within which a diode is neither on nor off. */
const EDGE = 1e-11;
/** A quantity that stays at or above zero while the diodes stay as they are: a current through one, or the margin of one that blocks. */
interface Constraint {
  row: Vector;
  phase: number;
  tolerance: number;
  /** what the phase does once a margin of voltage has gone */
  turnsOn?: CellName;
  /** the step of a bent inductance that the current goes on in; with neither, the current rests */
  level?: number;
}

/** The voltage that the other windings' currents induce in a winding at rest, V, as a row over the state. */
export function inducedRow(network: Network, configuration: Configuration, phase: number): Vector {
  const n = network.size;
  const { coupling, inductance, phases } = network.circuit;
  const row = zeros(n);
  if (!coupling) return row;
  for (let other = 0; other < phases; other += 1) {
    const mutual = inductance * coupling.matrix[phase * phases + other]!;
    if (other === phase || mutual === 0) continue;
    for (let k = 0; k < n; k += 1) row[k]! += mutual * configuration.matrix[other * n + k]!;
  }
  return row;
}

/** The voltage that a cell would put across a winding without current, V, as a row over the state. */
function appliedRow(network: Network, configuration: Configuration, name: CellName): Vector {
  const n = network.size;
  const cell = network.cell(name);
  const row = zeros(n);
  for (let k = 0; k < n; k += 1)
    row[k] = cell.fromInput * configuration.inputVoltage[k]! - cell.toOutput * configuration.outputVoltage[k]!;
  row[n - 1]! -= cell.drop;
  return row;
}

/** What must stay at or above zero for a phase at rest to rest: neither its rectifier nor its control switch's body diode turns on. */
export function restMargins(
  network: Network,
  configuration: Configuration,
  phase: number,
  forward: CellName,
): Vector[] {
  const n = network.size;
  const induced = inducedRow(network, configuration, phase);
  const on = appliedRow(network, configuration, forward);
  const back = appliedRow(network, configuration, 'deadReverse');
  for (let k = 0; k < n; k += 1) {
    on[k] = induced[k]! - on[k]!;
    back[k] = back[k]! - induced[k]!;
  }
  return [on, back];
}

export function naturalCurrent(network: Network, period: number): number {
  const { inputVoltage, inductance } = network.circuit;
  return (inputVoltage * period) / inductance;
}

/** Terms of the state's Taylor series, and the norm times a span that they reach to rounding. */
const SERIES_TERMS = 12;
const SERIES_REACH = 0.5;
/** Squarings of a map from what the series reaches: beyond them the arithmetic has no answer. */
const MOST_SQUARINGS = 60;
/** 1/s; a flow that stands still is followed as one that takes for ever. */
const SLOWEST = 1e-300;
/** Steps of one walk at most: doubling and halving take some hundred. */
const MOST_STEPS = 2000;
/** Maps of each network's configurations over powers of two: a search follows the same ones many times. */
const MAPS = new WeakMap<Configuration, Vector[]>();

function valueOf(polynomial: readonly number[], at: number): number {
  let value = 0;
  for (let k = polynomial.length - 1; k >= 0; k -= 1) value = value * at + polynomial[k]!;
  return value;
}

/** Where a polynomial first falls through zero before an end; Newton's method kept inside its bracket. */
function firstFall(polynomial: readonly number[], end: number, tolerance: number): number | undefined {
  const step = end / SAMPLES;
  for (let i = 1; i <= SAMPLES; i += 1) {
    if (valueOf(polynomial, step * i) >= -tolerance) continue;
    let low = step * (i - 1);
    let high = step * i;
    const [start = 0, rise = 0, bend = 0] = polynomial;
    if (low === 0 && start <= 0 && !(rise > 0)) return 0;
    // from a start at zero that first rises, the parabola says about where it comes back
    let at = low === 0 && start <= 0 ? Math.min(high, -rise / bend) : (low + high) / 2;
    for (let round = 0; round < 60; round += 1) {
      if (!(at > low && at < high)) at = (low + high) / 2;
      const value = valueOf(polynomial, at);
      if (value > 0) low = at;
      else high = at;
      let slope = 0;
      for (let k = polynomial.length - 1; k >= 1; k -= 1) slope = slope * at + k * polynomial[k]!;
      const next = at - value / slope;
      if (Math.abs(next - at) <= 1e-14 * step) return next;
      at = next;
    }
    return at;
  }
  return undefined;
}

/**
 * Follows the diodes through one repeating part from a state, exactly: each stretch by its matrix exponential, each
 * turning on or off at the root of the quantity that decides it, and with it the derivatives of the end.
 */
export class Follower {
  private readonly network: Network;
  private readonly schedule: Schedule;
  private readonly amperes: number;
  private readonly volts: number;
  private readonly least: number;
  private readonly mostEvents: number;
  private readonly signals: Signal[] = [];
  private cells: CellName[] = [];
  private levels: number[] | undefined;
  private state: Vector = [];
  private time = 0;
  private events = 0;
  readonly intervals: Interval[] = [];
  /** V·s, of the load's voltage */
  area = 0;
  /** what the end and the area owe to the start and to the unknown */
  endByStart: Vector;
  readonly endByUnknown: Vector;
  readonly areaByStart: Vector;
  areaByUnknown = 0;

  constructor(network: Network, schedule: Schedule) {
    this.network = network;
    this.schedule = schedule;
    this.amperes = EDGE * naturalCurrent(network, schedule.period);
    this.volts = EDGE * network.circuit.inputVoltage;
    this.least = schedule.period * 1e-13;
    const { bend, phases } = network.circuit;
    this.mostEvents = (MOST_EVENTS + (bend ? 4 * bend.borders.length : 0)) * (phases + 1);
    this.endByStart = identity(network.size);
    this.endByUnknown = zeros(network.size);
    this.areaByStart = zeros(network.size);
  }

  /** @returns the state at the end; undefined where the diodes find no order, or the arithmetic no number */
  run(start: Vector): Vector | undefined {
    const { network, schedule } = this;
    const n = network.size;
    const { phases } = network.circuit;
    const repeat = schedule.period / phases;
    const repeatPerUnknown = schedule.periodPerUnknown / phases;
    const edges = this.placeEdges(repeat, repeatPerUnknown);
    this.state = start.slice();
    const { bend } = network.circuit;
    this.levels = bend && Array.from({ length: phases }, (_, phase) => stepAt(bend, start[phase]!));
    this.cells = this.resolve();
    this.rest();
    const still = zeros(n);
    for (const edge of edges) {
      if (!this.advance(edge.time)) return undefined;
      this.signals[edge.phase] = edge.signal;
      this.change(still, edge.perUnknown);
    }
    if (!this.advance(repeat)) return undefined;
    // the end itself moves with the period
    const { matrix, sensedVoltage } = network.configuration(this.cells, this.levels);
    const slope = applyInto(n, matrix, this.state, zeros(n));
    for (let i = 0; i < n; i += 1) this.endByUnknown[i]! += slope[i]! * repeatPerUnknown;
    this.areaByUnknown += dot(n, sensedVoltage, this.state) * repeatPerUnknown;
    return this.state.every((value) => Number.isFinite(value)) ? this.state : undefined;
  }

  /** The edges that fall into the repeating part, each phase being somewhere else in its own period, in order. */
  private placeEdges(repeat: number, repeatPerUnknown: number) {
    const { phases } = this.network.circuit;
    const { edges } = this.schedule;
    for (let phase = 0; phase < phases; phase += 1) {
      const from = phaseAt(0, phase, phases) * repeat;
      const before = edges.filter(({ time }) => time < from - this.least);
      this.signals[phase] = (before[before.length - 1] ?? edges[edges.length - 1]!).signal;
    }
    return edges
      .map(({ signal, time, perUnknown }) => {
        const part = Math.floor(time / repeat + 1e-12) % phases;
        return {
          phase: (phases - part) % phases,
          signal,
          time: Math.max(0, time - part * repeat),
          perUnknown: perUnknown - part * repeatPerUnknown,
        };
      })
      .sort((a, b) => a.time - b.time);
  }

  private forwardOf(phase: number): CellName {
    if (this.signals[phase] === 'diode') return 'rectifier';
    return this.network.circuit.cells.deadBoth ? 'deadBoth' : 'deadForward';
  }

  private free(phase: number): boolean {
    return this.signals[phase] === 'diode' || this.signals[phase] === 'bodies';
  }

  /** The cells that signals, currents and, for a phase without current, the voltages on its diodes ask for. */
  private resolve(turning?: Constraint): CellName[] {
    const { network, state, volts, amperes } = this;
    const n = network.size;
    const cells = this.signals.map((signal, phase): CellName => {
      if (signal !== 'diode' && signal !== 'bodies') return signal;
      if (turning?.phase === phase && turning.turnsOn) return turning.turnsOn;
      const current = state[phase]!;
      return current > amperes ? this.forwardOf(phase) : current < -amperes ? 'deadReverse' : 'idle';
    });
    for (let round = 0; round <= 2 * cells.length; round += 1) {
      const configuration = network.configuration(cells, this.levels);
      const turning = cells.findIndex((name, phase) => {
        if (name !== 'idle') return false;
        const forward = this.forwardOf(phase);
        const [on, back] = restMargins(network, configuration, phase, forward);
        if (dot(n, on!, state) < -volts) cells[phase] = forward;
        else if (dot(n, back!, state) < -volts) cells[phase] = 'deadReverse';
        return cells[phase] !== 'idle';
      });
      if (turning < 0) break;
    }
    return cells;
  }

  /** A phase at rest has no current, whatever it came with. */
  private rest(): void {
    const n = this.network.size;
    this.cells.forEach((name, phase) => {
      if (!this.network.cell(name).blocked) return;
      this.state[phase] = 0;
      if (this.levels) this.levels[phase] = stepAt(this.network.circuit.bend!, 0);
      this.endByUnknown[phase] = 0;
      for (let k = 0; k < n; k += 1) this.endByStart[phase * n + k] = 0;
    });
  }

  /**
   * Takes the cells that now hold, at a moment that moves with the start and the unknown. The derivatives jump as the
   * flow does: up to the moment with the old one, back from it with the new one (the saltation matrix of switched
   * systems; Aizerman and Gantmacher, 1958, recalled from memory).
   */
  private change(perStart: Vector, perUnknown: number, turning?: Constraint): void {
    const { network, state, endByStart, endByUnknown } = this;
    const n = network.size;
    const next = this.resolve(turning);
    const before = network.configuration(this.cells, this.levels);
    if (turning?.level !== undefined) this.levels![turning.phase] = turning.level;
    const after = network.configuration(next, this.levels);
    const move = (flow: Vector, sign: 1 | -1): void => {
      for (let i = 0; i < n; i += 1) {
        for (let k = 0; k < n; k += 1) endByStart[i * n + k]! += sign * flow[i]! * perStart[k]!;
        endByUnknown[i]! += sign * flow[i]! * perUnknown;
      }
    };
    move(applyInto(n, before.matrix, state, zeros(n)), 1);
    const outgoing = dot(n, before.sensedVoltage, state);
    const step = next.map((name, phase) => network.cell(name).toOutput - network.cell(this.cells[phase]!).toOutput);
    if (network.stepShares.length > 0 && step.some((value) => value !== 0)) {
      stepColumns(network, step, endByStart);
      applyStep(network, step, endByUnknown);
      applyStep(network, step, state);
    }
    move(applyInto(n, after.matrix, state, zeros(n)), -1);
    const area = outgoing - dot(n, after.sensedVoltage, state);
    for (let k = 0; k < n; k += 1) this.areaByStart[k]! += area * perStart[k]!;
    this.areaByUnknown += area * perUnknown;
    this.cells = next;
    this.rest();
  }

  /** Follows the flow to a moment, through every diode that turns on or off before it. */
  private advance(to: number): boolean {
    const { network } = this;
    const n = network.size;
    while (to - this.time > this.least) {
      spend(EVENT);
      const configuration = network.configuration(this.cells, this.levels);
      const constraints = this.constraints(configuration);
      const event = this.firstEvent(configuration, constraints, to - this.time);
      if (event && (this.events += 1) > this.mostEvents) return false;
      const duration = event ? event.after : to - this.time;
      if (duration > this.least) this.carry(configuration, duration);
      this.time += duration;
      if (!this.state.every((value) => Number.isFinite(value))) return false;
      if (!event) continue;
      const { row, phase, turnsOn, level } = event.constraint;
      const slope = dot(n, row, applyInto(n, configuration.matrix, this.state, zeros(n)));
      const perStart = zeros(n);
      for (let k = 0; k < n; k += 1) {
        for (let i = 0; i < n; i += 1) perStart[k]! -= row[i]! * this.endByStart[i * n + k]!;
        perStart[k]! /= slope;
      }
      const perUnknown = -dot(n, row, this.endByUnknown) / slope;
      if (!turnsOn && level === undefined) this.state[phase] = 0;
      this.change(perStart, perUnknown, event.constraint);
    }
    this.time = to;
    return true;
  }

  private carry(configuration: Configuration, duration: number): void {
    const { network } = this;
    const n = network.size;
    const propagator = propagate(n, configuration.matrix, duration, configuration.norm);
    projectIdle(network, configuration, propagator);
    const initial = this.state;
    const row = zeros(n);
    for (let k = 0; k < n; k += 1)
      for (let i = 0; i < n; i += 1) row[k]! += configuration.sensedVoltage[i]! * propagator.psi[i * n + k]!;
    this.area += dot(n, row, initial);
    this.areaByUnknown += dot(n, row, this.endByUnknown);
    for (let k = 0; k < n; k += 1)
      for (let i = 0; i < n; i += 1) this.areaByStart[k]! += row[i]! * this.endByStart[i * n + k]!;
    this.state = applyInto(n, propagator.phi, initial, zeros(n));
    const byUnknown = applyInto(n, propagator.phi, this.endByUnknown, zeros(n));
    for (let i = 0; i < n; i += 1) this.endByUnknown[i] = byUnknown[i]!;
    this.endByStart = multiplyInto(n, propagator.phi, this.endByStart, zeros(n * n));
    this.intervals.push({
      configuration,
      start: this.time,
      duration,
      initial,
      final: this.state.slice(),
      integral: applyInto(n, propagator.psi, initial, zeros(n)),
    });
  }

  private constraints(configuration: Configuration): Constraint[] {
    const { network, amperes, volts } = this;
    return this.cells.flatMap((name, phase): Constraint[] => {
      const borders = this.borders(name, phase);
      if (!this.free(phase)) return borders;
      if (name === 'idle') {
        const forward = this.forwardOf(phase);
        const [on, back] = restMargins(network, configuration, phase, forward);
        return [
          { row: on!, phase, tolerance: volts, turnsOn: forward },
          { row: back!, phase, tolerance: volts, turnsOn: 'deadReverse' },
        ];
      }
      const row = zeros(network.size);
      row[phase] = name === 'deadReverse' ? -1 : 1;
      return [{ row, phase, tolerance: amperes }, ...borders];
    });
  }

  /** Where a phase's current leaves its step of a bent inductance. */
  private borders(name: CellName, phase: number): Constraint[] {
    const { network, amperes } = this;
    const { bend } = network.circuit;
    if (!bend || !this.levels || network.cell(name).blocked) return [];
    const at = this.levels[phase]!;
    const border = (side: 1 | -1): Constraint[] => {
      const place = bend.borders[side === 1 ? at : at - 1];
      if (place === undefined) return [];
      const row = zeros(network.size);
      row[phase] = -side;
      row[network.size - 1] = side * place;
      return [{ row, phase, tolerance: amperes, level: at + side }];
    };
    return [...border(1), ...border(-1)];
  }

  /** The first constraint to give way within a span, and when. */
  private firstEvent(
    configuration: Configuration,
    constraints: readonly Constraint[],
    span: number,
  ): { constraint: Constraint; after: number } | undefined {
    if (constraints.length === 0) return undefined;
    // between two borders the current is all but straight: the nearest by that is looked for first, and nothing beyond
    const ahead = Math.min(span, 1.5 * this.straightTo(configuration, constraints));
    const series = configuration.norm * ahead < SERIES_REACH ? this.seriesOf(configuration, this.state) : undefined;
    if (series && ahead > this.least) {
      const event = this.firstInSeries(series, constraints, ahead);
      if (event || ahead === span) return event;
    }
    return this.walk(configuration, constraints, span, ahead);
  }

  /**
   * Where the flow is stiff against the span: over steps of powers of two, whose maps are made once. A step at whose end a
   * constraint has given way is halved until the series reaches over it.
   */
  private walk(
    configuration: Configuration,
    constraints: readonly Constraint[],
    span: number,
    near: number,
  ): { constraint: Constraint; after: number } | undefined {
    const n = this.network.size;
    const reached = Math.floor(Math.log2(SERIES_REACH / Math.max(configuration.norm, SLOWEST)));
    const widest = Math.max(reached, Math.floor(Math.log2(span / SAMPLES)));
    const maps = this.mapsOf(configuration, reached, widest);
    if (!maps) return undefined;
    let from = this.state;
    let begin = 0;
    // the end of a step that was halved: up to there steps grow no more
    let broken = 0;
    let size = Math.min(widest, Math.max(reached, Math.floor(Math.log2(Math.max(near, this.least)))));
    for (let steps = 0; span - begin > this.least && steps < MOST_STEPS; steps += 1) {
      spend(STEP + n * n);
      while (size > reached && begin + 2 ** size > span) size -= 1;
      if (size === reached) {
        const length = Math.min(2 ** size, span - begin);
        const event = this.firstInSeries(this.seriesOf(configuration, from), constraints, length);
        if (event) return { ...event, after: begin + event.after };
      }
      const to = applyInto(n, maps[size - reached]!, from, zeros(n));
      const broke = constraints.find(({ row, tolerance }) => dot(n, row, to) < -tolerance);
      if (broke && size > reached) {
        broken = begin + 2 ** size;
        size -= 1;
        continue;
      }
      // within rounding of what the series says: it has given way here, or it would be met again and again
      if (broke && begin + 2 ** size <= span) return { constraint: broke, after: begin + 2 ** size };
      begin += 2 ** size;
      from = to;
      if (begin >= broken && size < widest) size += 1;
    }
    return undefined;
  }

  /** e^(A·2ᵏ) s from one exponent to another; undefined where no number of squarings leads there. */
  private mapsOf(configuration: Configuration, first: number, last: number): Vector[] | undefined {
    if (!(last - first < MOST_SQUARINGS)) return undefined;
    let maps = MAPS.get(configuration);
    if (!maps) {
      maps = [transition(this.network.size, configuration.matrix, 2 ** first, configuration.norm)];
      projectIdle(this.network, configuration, { phi: maps[0]!, psi: maps[0]! });
      MAPS.set(configuration, maps);
    }
    const n = this.network.size;
    while (maps.length <= last - first) {
      const half = maps[maps.length - 1]!;
      maps.push(multiplyInto(n, half, half, zeros(n * n)));
    }
    return maps;
  }

  /** s after which the first border of a bent inductance is met if the current goes on as it starts; Infinity without one. */
  private straightTo(configuration: Configuration, constraints: readonly Constraint[]): number {
    const n = this.network.size;
    let first = Infinity;
    for (const { row, phase, level } of constraints) {
      if (level === undefined) continue;
      const fall = -row[phase]! * dot(n, configuration.matrix.slice(phase * n, phase * n + n), this.state);
      if (fall > 0) first = Math.min(first, Math.max(0, dot(n, row, this.state)) / fall);
    }
    return first;
  }

  /** The state's Taylor coefficients, Aᵏ·x/k!. */
  private seriesOf({ matrix }: Configuration, from: Vector): Vector[] {
    const n = this.network.size;
    const terms = [from];
    for (let k = 1; k <= SERIES_TERMS; k += 1) {
      const next = applyInto(n, matrix, terms[k - 1]!, zeros(n));
      for (let i = 0; i < n; i += 1) next[i]! /= k;
      terms.push(next);
    }
    return terms;
  }

  /** The first constraint to give way within a span that the series reaches. */
  private firstInSeries(
    terms: readonly Vector[],
    constraints: readonly Constraint[],
    span: number,
  ): { constraint: Constraint; after: number } | undefined {
    const n = this.network.size;
    let first: { constraint: Constraint; after: number } | undefined;
    for (const constraint of constraints) {
      const { row, tolerance } = constraint;
      const polynomial = terms.map((term) => dot(n, row, term));
      const after = firstFall(polynomial, first?.after ?? span, tolerance);
      if (after !== undefined) first = { constraint, after };
    }
    return first;
  }
}
