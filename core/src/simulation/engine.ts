import { spend, zeros, type Vector } from '../numbers/linear.ts';
import { CELL_CODES, SimulationError, SKIPPED_BELOW, type Setup } from './modulator.ts';
import { EDGE, Machine } from './machine.ts';
import { WATCHED, type Mode, type Watched } from './mode.ts';
import type { Timing } from './orbit.ts';
import { drives, NONE, type Phase } from './phase.ts';
import { added, along, applyRows } from './rows.ts';
import { Stretcher, type Crossing, type Watch } from './stretch.ts';

/** A piece of the way: when it began, how long it lasted, and the states at its ends. */
export interface Piece {
  from: number;
  length: number;
  start: Vector;
  end: Vector;
  mode: Mode;
  /** whether a stretch begins with it */
  first: boolean;
  /** the state's integral, where the quantities' courses do not reach over it */
  integral: Vector | undefined;
}

/** Told every piece of the way. What it is given is used again. */
export interface Recorder {
  piece: (piece: Piece) => void;
}

/** Events without any time between them, beyond which the controller chatters. */
const MOST_AT_ONCE = 200;
/** What one event costs beside its way, in multiplications. */
const EVENT = 2000;
/** Part of its own size within which a state stands still. */
const ROUNDING = 1e-13;
interface Active extends Watch {
  kind: Watched;
  phase: number;
}

/** One stage with its controller, followed event by event: what happens next, and when. */
export class Simulator extends Machine {
  private readonly stretcher: Stretcher;
  private readonly active: Active[] = [];
  private activeCount = 0;
  /** whether the last run for a pulse ended where no state moves and no time brings anything: none will come */
  atRest = false;

  constructor(setup: Setup) {
    super(setup);
    this.stretcher = new Stretcher(this.places.size);
  }

  private takeSample(): void {
    const row = this.mode().sensedRow;
    this.memory[this.memory.length - 1] = along(row, this.state);
    this.orbit?.push({ kind: 'sample', row });
  }

  private clock(k: number): void {
    const { modulator, period } = this.setup;
    const phase = this.phases[k]!;
    phase.clock += period;
    if (phase.gate === 'on') {
      if (phase.limited) phase.limitedInRow += 1;
      // its pulse has not ended: at full duty it goes on as a new one
      phase.since = this.time;
      this.mark(this.timers.since(k));
    }
    if (phase.limited) {
      if (phase.gate !== 'on') phase.limitedInRow += 1;
    } else phase.limitedInRow = 0;
    phase.limited = false;
    if (modulator.hiccup && phase.limitedInRow >= modulator.hiccup.pulses && this.restUntil === NONE)
      return this.hiccup();
    const { digital } = modulator;
    if (digital && k === 0) {
      if (digital.sampleDelay === 0) this.takeSample();
      const part = this.state[this.places.reference]! / modulator.reference;
      const { duty, clamped } = this.digital!.next(this.memory, part);
      this.orbit?.push({ kind: 'decide', clamped });
      for (const other of this.phases) other.duty = duty;
    }
    if (k === 0 && this.moves && this.crosses) this.changeRoles();
    if (modulator.method === 'gated-oscillator') phase.duty = modulator.duty;
    if (modulator.method === 'open-loop')
      phase.duty = Math.min(1, modulator.duty + (this.moves && this.time > 0 ? modulator.dutySlope * this.time : 0));
    this.decide(k);
  }

  private decide(k: number): void {
    const { modulator } = this.setup;
    const phase = this.phases[k]!;
    let wanted = true;
    let forced = false;
    if (
      modulator.method === 'voltage-mode' ||
      modulator.method === 'voltage-mode-feedforward' ||
      modulator.method === 'average-current-mode' ||
      (modulator.method === 'peak-current-mode' &&
        (modulator.skips === true || (modulator.skips && this.rampFrom !== NONE)))
    )
      wanted = this.asksForPulse(k);
    // beyond what is heard: a pulse as short as can be, and its rectifier takes back what was too much until the next clock
    if (!wanted && this.rampFrom === NONE && this.time - phase.since >= modulator.longestWait * (1 - EDGE))
      wanted = forced = true;
    if (modulator.method === 'open-loop' || modulator.method === 'digital') wanted = phase.duty > 0;
    if (modulator.method === 'gated-oscillator')
      wanted = along(this.mode().watched(WATCHED.pulse, 0).row, this.state) > 0;
    if (wanted && !this.over && this.restUntil === NONE && (phase.gate === 'on' || !this.aboveValley(k))) {
      if (phase.gate === 'on') {
        phase.pulses += 1;
        this.pulses += 1;
      } else this.pulse(k, forced);
    } else if (drives(phase)) this.end(k, true);
    else if (phase.whole) {
      const before = this.mode();
      phase.whole = false;
      this.rewired(before);
    } else if (phase.gate === 'dead' && phase.deadUntil === NONE) this.regate(k, 'rectifier');
  }

  /** Whether a comparator asks for a pulse at its clock: for any at all, or for enough of the least that comes. */
  private asksForPulse(k: number): boolean {
    const { modulator } = this.setup;
    const mode = this.mode();
    const asked = along(mode.compared[k]!, this.state) - this.handedOver;
    // at its floor none is, an amplifier's limit that stands there but for rounding included
    if (!(asked > modulator.floor + this.volts)) return false;
    const least = this.leastPulse(k);
    if (!least) return true;
    const sensed = modulator.method === 'peak-current-mode' ? mode.sensedCurrent(this.state, k) : 0;
    return asked - sensed > least.asks * SKIPPED_BELOW;
  }

  private hiccup(): void {
    this.rest(this.time + this.setup.modulator.hiccup!.offTime);
  }

  /**
   * Follows the stage to a time, or to a new pulse of phase 1.
   * @throws SimulationError where the controller chatters or the arithmetic finds no number
   */
  run(until: number, recorder?: Recorder, stopAtPulse = false): void {
    const first = this.phases[0]!;
    const pulsesBefore = first.pulses;
    const { stretcher, state } = this;
    const { period, modulator } = this.setup;
    const { clocked } = modulator;
    let atOnce = 0;
    let from = 0;
    // since when nothing but a bent inductance's step has happened
    let stirred = this.time;
    this.atRest = false;
    const piece: Piece = {
      from: 0,
      length: 0,
      start: state,
      end: state,
      mode: this.mode(),
      first: true,
      integral: undefined,
    };
    const sink = recorder && {
      piece: (begin: number, length: number, start: Vector, end: Vector, integral?: Vector): void => {
        piece.from = from + begin;
        piece.length = length;
        piece.start = start;
        piece.end = end;
        piece.integral = integral;
        recorder.piece(piece);
        piece.first = false;
      },
    };
    while (this.time < until) {
      spend(EVENT);
      if (stopAtPulse && first.pulses > pulsesBefore) return;
      const due = this.due();
      const mode = this.mode();
      // what waits without a clock is looked at often enough all the while
      const seen = clocked ? Infinity : this.time + Math.max(period, 0.9 * mode.motion.farthest);
      const next = Math.min(due, until, seen);
      let which = -1;
      from = this.time;
      const before = stopAtPulse && due === Infinity && next - from >= period ? state.slice() : undefined;
      if (next > from) {
        this.watch(mode);
        piece.mode = mode;
        piece.first = true;
        which = stretcher.follow(mode.motion, state, next - from, this.active, this.activeCount, sink, from - stirred);
        const { after } = stretcher;
        if (this.orbit && after > 0) this.orbit.push({ kind: 'carry', mode, length: after, from });
        this.time = which < 0 ? next : from + after;
      }
      if (which >= 0) this.chattering.event(this.time);
      if (this.time > from) atOnce = 0;
      else if ((atOnce += 1) > MOST_AT_ONCE)
        throw new SimulationError(`The controller chatters at ${this.time} s: switchings without time between them.`);
      const kind = which >= 0 ? this.active[which]!.kind : undefined;
      if (kind !== WATCHED.levelUp && kind !== WATCHED.levelDown && this.time < until) stirred = this.time;
      if (which >= 0) this.happens(this.active[which]!);
      // what falls on the end itself belongs to whoever goes on from there
      else if (this.time < until && next === due) this.scheduled();
      else this.checkFinite();
      if (before && which < 0 && this.stands(before)) {
        this.atRest = true;
        // what is still dying away is nothing there
        for (let k = 0; k < state.length; k += 1) if (Math.abs(state[k]!) < 100 * this.volts) state[k] = 0;
        return;
      }
    }
  }

  /** Whether every state is what it was, but for rounding and for what nobody would measure. */
  private stands(before: Vector): boolean {
    const { state, volts } = this;
    for (let k = 0; k < state.length; k += 1)
      if (Math.abs(state[k]! - before[k]!) > ROUNDING * Math.abs(state[k]!) + volts / 10) return false;
    return true;
  }

  private checkFinite(): void {
    for (const value of this.state)
      if (!Number.isFinite(value))
        throw new SimulationError(`The stage’s voltages leave every bound after ${this.time} s.`);
  }

  /** s, the next moment at which something happens by the clock. */
  private due(): number {
    const { modulator, segments, deadTime, diode, period } = this.setup;
    const { time } = this;
    const { clocked } = modulator;
    const letsGo = deadTime > 0 && !diode && clocked && this.restUntil === NONE;
    let next = Infinity;
    for (let k = 0; k < this.phases.length; k += 1) {
      const phase = this.phases[k]!;
      if (clocked && phase.clock < next) next = phase.clock;
      if (drives(phase)) {
        const latest = this.latest(phase);
        if (phase.gate === 'turning' && phase.deadUntil < next) next = phase.deadUntil;
        if (latest < next) next = latest;
      } else if (phase.gate === 'dead') {
        if (phase.deadUntil !== NONE && phase.deadUntil < next) next = phase.deadUntil;
      } else if (letsGo && phase.gate === 'rectifier') {
        const letGo = phase.clock - deadTime;
        if (letGo > time && letGo < next) next = letGo;
      }
    }
    if (this.follows) {
      for (let k = 1; k < this.phases.length; k += 1) {
        const at = this.dueAfterFirst(k);
        if (this.phases[k]!.owes && at > time && at < next) next = at;
      }
    } else if (!clocked) {
      const free = this.lastEnd + modulator.minimumOffTime;
      if (free > time && free < next) next = free;
      for (const phase of this.phases)
        if (this.waits(phase)) next = Math.min(next, phase.since + modulator.longestWait);
    }
    if (this.moves) {
      const segment = segments[this.segment + 1];
      if (segment && segment.at < next) next = segment.at;
    }
    if (this.restUntil !== NONE && this.restUntil < next) next = this.restUntil;
    const { calmUntil } = this.chattering;
    if (calmUntil > time && calmUntil < next) next = calmUntil;
    if (this.rampFrom !== NONE && this.rampFrom + modulator.softStart < next)
      next = this.rampFrom + modulator.softStart;
    const delay = modulator.digital?.sampleDelay ?? 0;
    if (delay > 0 && delay < 1) {
      const sample = this.phases[0]!.clock - delay * period;
      if (sample > time && sample < next) next = sample;
    }
    return next > time ? next : time;
  }

  /** Whether a phase without a clock waits for its pulse, beyond what is heard after a while. */
  private waits({ gate, whole }: Phase): boolean {
    const { modulator, diode } = this.setup;
    return modulator.longestWait < Infinity && gate === 'rectifier' && !whole && !diode && this.rampFrom === NONE;
  }

  private scheduled(): void {
    const { segments, deadTime, diode, period, modulator } = this.setup;
    const { time } = this;
    const { clocked } = modulator;
    const following = this.moves ? segments[this.segment + 1] : undefined;
    if (following && following.at <= time) {
      this.nextSegment();
      this.settlePaths();
    }
    if (this.rampFrom !== NONE && this.rampFrom + modulator.softStart <= time) {
      const before = this.mode();
      this.rampFrom = NONE;
      this.state[this.places.reference] = modulator.reference;
      this.takeSlopes();
      this.rewired(before);
    }
    const delay = modulator.digital?.sampleDelay ?? 0;
    if (delay > 0 && delay < 1 && Math.abs(this.phases[0]!.clock - delay * period - time) <= 1e-12 * period)
      this.takeSample();
    if (this.restUntil !== NONE && this.restUntil <= time) {
      const before = this.mode();
      this.restUntil = NONE;
      for (const phase of this.phases) if (!this.stuck(this.phases.indexOf(phase))) phase.gate = 'rectifier';
      this.rewired(before);
      this.startSoftly();
      this.settleAmplifiers();
    }
    // a watch that fires at once belongs to whatever let it
    if (this.orbit && !clocked) {
      const due = this.follows ? this.phases.findIndex((one, k) => one.owes && this.dueAfterFirst(k) === time) : -1;
      this.timing =
        due > 0
          ? { kind: 'timer', timer: this.timers.since(0), duty: 0, ofLast: due / this.phases.length }
          : { kind: 'timer', timer: this.timers.lastEnd, duty: 0 };
    }
    for (let k = 0; k < this.phases.length; k += 1) {
      const phase = this.phases[k]!;
      const isClock = clocked && phase.clock <= time;
      const shortest = Math.max(modulator.minimumOnTime, phase.least);
      if (this.orbit && phase.gate === 'on' && Math.abs(phase.since + shortest - time) <= 1e-12 * period)
        this.timing = { kind: 'timer', timer: this.timers.since(k), duty: 0 };
      if (phase.gate === 'turning' && phase.deadUntil <= time) {
        const open = this.open({ kind: 'timer', timer: this.timers.dead(k), duty: 0 });
        phase.deadUntil = NONE;
        this.regate(k, 'through');
        this.close(open);
      }
      if (drives(phase) && !isClock && this.latest(phase) <= time) {
        const open = this.open(this.pulseEnd(k));
        this.end(k);
        this.close(open);
      }
      if (phase.gate === 'dead' && phase.deadUntil !== NONE && phase.deadUntil <= time) {
        const open = this.open({ kind: 'timer', timer: this.timers.dead(k), duty: 0 });
        phase.deadUntil = NONE;
        if (phase.awaits) {
          phase.awaits = false;
          this.startsPulse(k);
        }
        // where the next dead time has begun already the rectifier has no turn
        else if (!(clocked && time >= phase.clock - deadTime)) this.regate(k, 'rectifier');
        this.close(open);
      }
      if (
        phase.gate === 'rectifier' &&
        deadTime > 0 &&
        !diode &&
        clocked &&
        this.restUntil === NONE &&
        Math.abs(phase.clock - deadTime - time) <= 1e-12 * period
      ) {
        const open = this.open({ kind: 'clock' });
        this.regate(k, 'dead');
        this.close(open);
      }
      if (!clocked && this.waits(phase) && phase.since + modulator.longestWait <= time) {
        const open = this.open({ kind: 'timer', timer: this.timers.since(k), duty: 0 });
        const before = this.mode();
        phase.whole = true;
        this.rewired(before);
        this.close(open);
      }
      if (isClock) {
        if (drives(phase) && this.latest(phase) <= time && this.latest(phase) < phase.clock - 1e-12 * period) {
          const open = this.open(this.pulseEnd(k));
          this.end(k, true);
          this.close(open);
        }
        const open = this.open({ kind: 'clock' });
        this.clock(k);
        this.close(open);
        if (modulator.digital?.sampleDelay === 1 && k === 0 && this.restUntil === NONE) this.takeSample();
      }
    }
  }

  private pulseEnd(k: number): Timing {
    const { modulator, period } = this.setup;
    const duty = modulator.method === 'digital' ? period : 0;
    return { kind: 'timer', timer: this.timers.since(k), duty };
  }

  /** What stands before an edge, where the run's steps are wanted. */
  private open(
    timing: Timing,
  ): { timing: Timing; before: Vector; mode: Mode; output: number; input: number; sensed: number } | undefined {
    if (!this.orbit) return undefined;
    this.timing = timing;
    this.jumps = [];
    this.marks = [];
    this.measures = false;
    const mode = this.mode();
    return {
      timing,
      before: this.slopesOf(mode),
      mode,
      output: along(mode.output.row, this.state),
      input: along(mode.input.row, this.state),
      sensed: mode.before ? along(mode.before.row, this.state) : 0,
    };
  }

  private close(open: ReturnType<Simulator['open']>): void {
    if (!open || !this.orbit) return;
    const mode = this.mode();
    this.orbit.push({
      kind: 'edge',
      at: this.time,
      timing: open.timing,
      before: open.before,
      after: this.slopesOf(mode),
      outputDrop: open.output - along(mode.output.row, this.state),
      inputDrop: open.input - along(mode.input.row, this.state),
      beforeDrop: mode.before ? open.sensed - along(mode.before.row, this.state) : 0,
      jumps: this.jumps,
      marks: this.marks,
      ...(this.measures ? { measures: true } : {}),
    });
  }

  private slopesOf(mode: Mode): Vector {
    const slopes = zeros(this.places.size);
    applyRows(mode.motion.slopes, this.state, slopes);
    return slopes;
  }

  private add(kind: Watched, phase: number, crossing: Crossing, tolerance: number, from = 0): Active {
    let active = this.active[this.activeCount];
    if (!active) {
      active = { kind, phase, crossing, from, c0: 0, c1: 0, c2: 0, tolerance, value: 0, late: false };
      this.active.push(active);
    }
    this.activeCount += 1;
    active.kind = kind;
    active.phase = phase;
    active.crossing = crossing;
    active.from = from;
    active.tolerance = tolerance;
    active.c0 = active.c1 = active.c2 = 0;
    return active;
  }

  /** What may happen before the next clock. */
  private watch(mode: Mode): void {
    const { setup, time } = this;
    const { modulator, period } = setup;
    this.activeCount = 0;
    const limits = modulator.currentLimit < Infinity;
    for (let k = 0; k < this.phases.length; k += 1) {
      const phase = this.phases[k]!;
      if (drives(phase)) {
        const { transition } = this.roles;
        const regulates = !transition || (phase.gate === 'on') === (transition.open === 'boostDuty');
        if (!this.stuck(k) && phase.gate !== 'turning') {
          const age = time - phase.since;
          // a comparator is blind until the shortest pulse is over
          const blind = Math.max(0, phase.since + modulator.minimumOnTime - time);
          const compares = Math.max(blind, phase.since + phase.least - time);
          if (!regulates) {
            // the other leg's turn: only a limit ends it early
          } else if (modulator.method === 'voltage-mode' || modulator.method === 'average-current-mode') {
            const active = this.add(WATCHED.compare, k, mode.watched(WATCHED.compare, k), 0, compares);
            active.c1 = modulator.rampAmplitude / period;
            active.c0 = this.handedOver + active.c1 * (age - this.offsetOf(phase) * period);
          } else if (modulator.method === 'voltage-mode-feedforward') {
            const gain = modulator.rampGain / period;
            // the stage's own input, behind whatever feeds it: by its course from here on
            const { slope: slopes, bend } = mode.inputMoves;
            const volts = along(mode.inputNode, this.state);
            const slope = along(slopes, this.state);
            const curve = along(bend, this.state) / 2;
            const active = this.add(WATCHED.compare, k, mode.watched(WATCHED.compare, k), 0, compares);
            active.c0 = this.handedOver + gain * volts * age;
            active.c1 = gain * (volts + slope * age);
            active.c2 = gain * (slope + curve * age);
          } else if (modulator.method === 'peak-current-mode') {
            const active = this.add(WATCHED.compare, k, mode.watched(WATCHED.compare, k), 0, compares);
            active.c1 = modulator.slopeCompensation;
            active.c0 = this.handedOver + active.c1 * age;
          } else if (modulator.method === 'hysteretic')
            this.add(WATCHED.compare, k, mode.watched(WATCHED.compare, k), 0, compares);
          if (limits) this.add(WATCHED.limit, k, mode.watched(WATCHED.limit, k), 0, blind);
        }
      } else {
        // passing the input through, only the other leg breaks a current that runs past its limit
        if (limits && setup.sags && this.roles.region === 'boost')
          this.add(WATCHED.limit, k, mode.watched(WATCHED.limit, k), 0);
        const code = mode.codes[k]!;
        if (code === CELL_CODES.idle) {
          if (time < this.chattering.calmUntil) continue;
          this.add(WATCHED.forward, k, mode.watched(WATCHED.forward, k), this.volts);
          this.add(WATCHED.reverse, k, mode.watched(WATCHED.reverse, k), this.volts);
        } else if (code === CELL_CODES.deadReverse)
          this.add(WATCHED.rises, k, mode.watched(WATCHED.rises, k), this.amperes);
        else if (
          code === CELL_CODES.deadForward ||
          code === CELL_CODES.deadBoth ||
          setup.diode ||
          (this.blocks && !phase.whole)
        )
          this.add(WATCHED.falls, k, mode.watched(WATCHED.falls, k), this.amperes);
      }
      if (mode.levels && mode.codes[k] !== CELL_CODES.idle) {
        const { borders } = this.network.circuit.bend!;
        const level = mode.levels[k]!;
        if (level < borders.length) this.add(WATCHED.levelUp, k, mode.watched(WATCHED.levelUp, k), this.amperes);
        if (level > 0) this.add(WATCHED.levelDown, k, mode.watched(WATCHED.levelDown, k), this.amperes);
      }
    }
    const { amplifierEvents } = mode;
    for (let k = 0; k < amplifierEvents.length; k += 1)
      this.add(WATCHED.amplifier, k, mode.watched(WATCHED.amplifier, k), this.volts);
    if (modulator.overVoltage < Infinity && this.broken !== 'feedback-lost') {
      const kind = this.over ? WATCHED.under : WATCHED.over;
      this.add(kind, 0, mode.watched(kind, 0), this.volts);
    }
    if (modulator.lockout) {
      const kind = this.locked ? WATCHED.recovers : WATCHED.sags;
      this.add(kind, 0, mode.watched(kind, 0), this.volts);
    }
    if (setup.segments[this.segment]!.current > 0) {
      if (this.band > 0) this.add(WATCHED.starves, 0, mode.watched(WATCHED.starves, 0), this.volts);
      if (this.band + 1 < setup.bands.length) this.add(WATCHED.feeds, 0, mode.watched(WATCHED.feeds, 0), this.volts);
    }
    if (!modulator.clocked && this.aboveValley(this.turn))
      this.add(WATCHED.valley, this.turn, mode.watched(WATCHED.valley, this.turn), this.amperes);
    else if (!modulator.clocked && this.pulseMayCome(mode))
      this.add(WATCHED.pulse, 0, mode.watched(WATCHED.pulse, 0), 0);
    if (this.follows && !this.over && this.restUntil === NONE)
      for (let k = 1; k < this.phases.length; k += 1)
        if (this.phases[k]!.owes && time >= this.dueAfterFirst(k) && this.mayFollow(k, mode))
          this.add(WATCHED.pulse, k, mode.watched(WATCHED.pulse, k), 0);
  }

  /** Whether a phase's current stands above the limit that it has to have fallen to before a pulse. */
  private aboveValley(k: number): boolean {
    const { valleyCurrentLimit } = this.setup.modulator;
    return this.state[k]! > valleyCurrentLimit + 2 * this.amperes + EDGE * valleyCurrentLimit;
  }

  /** Whether a phase that follows the first stands where a pulse may begin: at rest, or on its way below zero. */
  private mayFollow(k: number, mode: Mode): boolean {
    return (
      mode.codes[k] === CELL_CODES.idle || (this.setup.modulator.valley > 0 && this.phases[k]!.gate === 'rectifier')
    );
  }

  private pulseMayCome(mode: Mode): boolean {
    const { modulator, phases } = this.setup;
    if (this.over || this.restUntil !== NONE) return false;
    if (!this.follows && this.time < this.lastEnd + modulator.minimumOffTime) return false;
    if (phases === 1 && this.broken === 'phase-lost') return false;
    if (this.phases[this.turn]!.gate === 'on') return false;
    // the last pulse has to have ended, unless pulses in turn could not carry the output without overlapping
    if (phases > 1 && !modulator.critical && !this.overlaps && this.phases.some(drives)) return false;
    if (modulator.critical && mode.codes[0] !== CELL_CODES.idle)
      return modulator.valley > 0 && this.phases[0]!.gate === 'rectifier';
    return (phases > 1 && !modulator.critical) || this.phases[0]!.gate !== 'on';
  }

  private get overlaps(): boolean {
    const { modulator, period, phases } = this.setup;
    return modulator.onTime + modulator.minimumOffTime > period / phases;
  }

  private happens(active: Active): void {
    const open = this.orbit && this.open(this.timingOf(active));
    const { kind, phase: k } = active;
    const { setup } = this;
    const phase = this.phases[k]!;
    switch (kind) {
      case WATCHED.compare:
        this.end(k);
        break;
      case WATCHED.limit:
        phase.limited = true;
        if (setup.sags && this.roles.region === 'boost') this.changeRoles();
        this.end(k, true);
        break;
      case WATCHED.valley:
        // nothing changes but that a pulse may come again
        break;
      case WATCHED.falls:
      case WATCHED.rises: {
        const before = this.mode();
        this.state[k] = 0;
        if (this.orbit) this.jumps.push({ kind: 'rest', phase: k });
        this.rewired(before);
        break;
      }
      case WATCHED.forward:
        phase.path = 'forward';
        this.present = undefined;
        break;
      case WATCHED.reverse:
        phase.path = 'reverse';
        this.present = undefined;
        break;
      case WATCHED.amplifier:
        // at its limit and not a rounding past it, or it would meet it again as it leaves
        this.withinLimits(false);
        this.changeAmplifier(this.mode().amplifierEvents[k]!);
        break;
      case WATCHED.over:
      case WATCHED.under:
        this.over = !this.over;
        if (this.over) for (let other = 0; other < this.phases.length; other += 1) this.end(other, true);
        break;
      case WATCHED.levelUp:
        this.levels[k]! += 1;
        this.present = undefined;
        break;
      case WATCHED.levelDown:
        this.levels[k]! -= 1;
        this.present = undefined;
        break;
      case WATCHED.starves:
      case WATCHED.feeds: {
        const segment = setup.segments[this.segment]!;
        this.band += kind === WATCHED.feeds ? 1 : -1;
        const since = Math.max(0, this.time - Math.max(0, segment.at));
        const current = segment.current + segment.currentSlope * since;
        this.state[this.places.drawn] = current * setup.bands[this.band]!.current;
        this.takeSlopes();
        break;
      }
      case WATCHED.sags:
        this.lock();
        break;
      case WATCHED.recovers:
        this.locked = false;
        this.restUntil = this.time;
        break;
      case WATCHED.pulse:
        this.pulseDue(k);
        break;
    }
    this.close(open);
  }

  /** @param follows the phase that follows the first, where it is not the next in turn */
  private pulseDue(follows: number): void {
    const { modulator, phases, deadTime } = this.setup;
    const k = follows > 0 ? follows : this.turn;
    if (follows === 0) this.turn = modulator.critical ? 0 : (k + 1) % phases;
    // a current below zero turns the node over while nothing conducts; where no pulse is wanted it comes to rest
    if (modulator.critical && modulator.valley > 0 && this.mode().codes[k] !== CELL_CODES.idle) {
      if (along(this.mode().controlRow, this.state) <= 0) return this.regate(k, 'off');
      if (deadTime > 0) {
        const phase = this.phases[k]!;
        phase.deadUntil = this.time + deadTime;
        phase.awaits = true;
        this.mark(this.timers.dead(k));
        return this.regate(k, 'dead');
      }
    }
    this.startsPulse(k);
  }

  private startsPulse(k: number): void {
    const { modulator } = this.setup;
    const phase = this.phases[k]!;
    if (modulator.hiccup && phase.limitedInRow >= modulator.hiccup.pulses) return this.hiccup();
    if (phase.limited) phase.limitedInRow += 1;
    else phase.limitedInRow = 0;
    this.pulse(k);
  }

  /** How the time of what a watch saw follows the state; at once, it is whatever let it happen. */
  private timingOf({ crossing, kind, phase, c1, c2, late }: Active): Timing {
    const { after } = this.stretcher;
    if (after === 0) return this.timing;
    if (late) return { kind: 'timer', timer: this.timers.since(phase), duty: 0 };
    const ramp = kind === WATCHED.compare ? c1 + 2 * c2 * after : 0;
    const rate = along(crossing.slope, this.state) + ramp;
    const { modulator, period } = this.setup;
    const byInput = kind === WATCHED.compare && modulator.method === 'voltage-mode-feedforward';
    const gain = modulator.rampGain / period;
    const { inputNode } = this.mode();
    return {
      kind: 'watch',
      // a ramp in proportion to the input moves with all that the input moves with
      row: byInput ? added(crossing.row, gain * (this.time - this.phases[phase]!.since), inputNode) : crossing.row,
      // one that only touches zero has no time of its own to move
      rate: rate > 0 ? rate : Infinity,
      // only a ramp has begun with a phase's pulse
      timer: ramp === 0 ? 0 : this.timers.since(phase),
      rampRate: byInput ? gain * along(inputNode, this.state) : ramp,
    };
  }
}
