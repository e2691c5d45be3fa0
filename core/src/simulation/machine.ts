import { stepAt } from '../network/saturating.ts';
import type { CellName } from '../network/circuit.ts';
import type { Network } from '../network/network.ts';
import { applyStep } from '../network/periodic.ts';
import { zeros, type Vector } from '../numbers/linear.ts';
import { takeWithin, type Amplifier, type AmplifierMode } from './amplifier.ts';
import { Chattering } from './chattering.ts';
import { Injection } from './injection.ts';
import {
  bandAt,
  CELL_CODES,
  CELL_OF,
  DigitalMemory,
  type Fault,
  type LeastPulse,
  type Roles,
  type Setup,
} from './modulator.ts';
import { Mode, Places, WATCHED } from './mode.ts';
import { Timers, type Jump, type OrbitStep, type Timing } from './orbit.ts';
import {
  codeOf,
  drives,
  forwardCode,
  freshPhases,
  NONE,
  type Gate,
  type Path,
  type Phase,
  type Snapshot,
} from './phase.ts';
import { Plant } from './plant.ts';
import { along, type Row } from './rows.ts';

/** Part of an input's and a ripple's size that counts as none. */
export const EDGE = 1e-11;
/** Periods of a pulse in critical conduction at most, where its comparator does not end it. */
const LONGEST = 20;
/** Of what a watched voltage is known to: a limit is met so far beyond it. */
const ROUNDING = 1e3;
/** Part of the rise of the least pulse that a current may have left and count as at rest: at the boundary the next comes just as it stops. Our own. */
const RESTS = 0.1;
/** Gates by the switch state that each means, in the order in which one is looked for after a change of roles. */
const GATES_LIKE = [
  ['rectifier', 'rectifier'],
  ['through', 'through'],
  ['on', 'control'],
] as const satisfies readonly (readonly [Gate, CellName])[];
/** Modes kept: a ramp of the load passes through many conductances, each once. */
const MOST_MODES = 2000;

const AMPLIFIER_CODES: Record<AmplifierMode, number> = {
  linear: 0,
  high: 1,
  low: 2,
  source: 3,
  sink: 4,
  'source-high': 5,
  'sink-low': 6,
  'source-low': 7,
  'sink-high': 8,
};

/**
 * One stage with its controller as it stands: its states, its switches, the ways of its amplifiers and of its load; and
 * what a change of any of them does at once.
 */
export class Machine {
  readonly setup: Setup;
  readonly places: Places;
  readonly timers: Timers;
  state: Vector;
  time = 0;
  /** pulses of all control switches */
  pulses = 0;
  /** whether load and source move as their segments say; else they stay as they stand */
  moves = true;
  /** whether what may break is broken */
  protected broken: Fault | undefined;
  /** what the run did, where it is wanted */
  orbit: OrbitStep[] | undefined;
  /** of a digital controller */
  memory: Vector = [];
  protected phases: Phase[];
  /** each phase's step of a bent inductance */
  protected levels: number[] = [];
  /** the voltage's amplifier, then each phase's current's */
  private amplifierModes: AmplifierMode[];
  protected turn = 0;
  protected segment = 0;
  protected lastEnd = -Infinity;
  protected over = false;
  /** whether its input is too low to switch */
  protected locked = false;
  protected restUntil = NONE;
  /** when the reference began to rise; NONE where it stands */
  protected rampFrom = NONE;
  protected slopes: [number, number, number] = [0, 0, 0];
  private segmentVolts = 0;
  /** the part of its course over voltage that the load stands in */
  protected band = 0;
  protected readonly chattering: Chattering;
  private readonly plants = new Map<Roles, Map<number, { plant: Plant; number: number }>>();
  private plantCount = 0;
  /** how the stage is run now, and V that its ramps begin above zero since roles were changed */
  protected roles: Roles;
  protected handedOver = 0;
  private askedAt = { volts: Number.NaN, part: Number.NaN };
  /** whether input or reference move far enough to ask for other roles; a load alone leaves them as they are */
  protected crosses: boolean;
  private readonly modes = new Map<number | string, Mode>();
  /** the mode that it stands in; made anew after a change */
  protected present: Mode | undefined;
  private readonly injection: Injection | undefined;
  protected readonly digital: DigitalMemory | undefined;
  protected readonly amperes: number;
  protected readonly volts: number;
  protected jumps: Jump[] = [];
  protected marks: number[] = [];
  protected measures = false;
  protected timing: Timing = { kind: 'clock' };

  constructor(setup: Setup) {
    this.setup = setup;
    this.roles = setup.roles;
    this.crosses = setup.sags === true || setup.segments.some(({ source }) => source !== setup.segments[0]!.source);
    const { plant } = this.plant(setup.segments[0]!.conductance);
    this.injection = setup.injection && new Injection(setup.injection);
    this.places = new Places(
      plant.states,
      (setup.amplifier?.states ?? 0) +
        setup.phases * ((setup.currentAmplifier?.states ?? 0) + (setup.modulator.senseFilter > 0 ? 1 : 0)) +
        (this.injection ? 2 : 0),
      setup.sine !== undefined,
    );
    const { size, quadrature, one } = this.places;
    this.state = zeros(size);
    this.state[one] = 1;
    if (setup.sine) this.state[quadrature] = setup.sine.amplitude;
    const { inductance, inputVoltage, bend } = plant.network.circuit;
    this.amperes = (EDGE * inputVoltage * setup.period) / inductance;
    this.volts = EDGE * inputVoltage;
    this.timers = new Timers(setup.phases);
    this.chattering = new Chattering(setup.period);
    if (bend) this.levels = Array.from({ length: setup.phases }, () => stepAt(bend, 0));
    this.phases = freshPhases(setup);
    this.amplifierModes = Array.from(
      { length: setup.currentAmplifier ? setup.phases + 1 : 1 },
      () => 'linear' as const,
    );
    const { modulator } = setup;
    if (modulator.digital) {
      this.digital = new DigitalMemory(modulator.digital, setup.target, modulator.maximumDuty);
      this.memory = zeros(this.digital.size);
    } else if (this.follows) this.memory = [setup.period];
    this.band = bandAt(setup.bands, setup.target);
    this.enterSegment();
  }

  get network(): Network {
    return this.plant(this.conductance).plant.network;
  }

  private get conductance(): number {
    const { conductance, current } = this.setup.segments[this.segment]!;
    return conductance + current * this.setup.bands[this.band]!.conductance;
  }

  snapshot(): Snapshot {
    return {
      state: this.state.slice(),
      time: this.time,
      phases: this.phases.map((phase) => ({ ...phase })),
      levels: this.levels.slice(),
      amplifierModes: this.amplifierModes.slice(),
      memory: this.memory.slice(),
      turn: this.turn,
      segment: this.segment,
      lastEnd: this.lastEnd,
      over: this.over,
      locked: this.locked,
      restUntil: this.restUntil,
      rampFrom: this.rampFrom,
      band: this.band,
      roles: this.roles,
      handedOver: this.handedOver,
    };
  }

  restore(from: Snapshot): void {
    this.state = from.state.slice();
    this.time = from.time;
    this.phases = from.phases.map((phase) => ({ ...phase }));
    this.levels = from.levels.slice();
    this.amplifierModes = from.amplifierModes.slice();
    this.memory = from.memory.slice();
    this.turn = from.turn;
    this.segment = from.segment;
    this.lastEnd = from.lastEnd;
    this.over = from.over;
    this.locked = from.locked;
    this.restUntil = from.restUntil;
    this.rampFrom = from.rampFrom;
    this.band = from.band;
    this.roles = from.roles;
    this.handedOver = from.handedOver;
    this.askedAt = { volts: Number.NaN, part: Number.NaN };
    this.chattering.reset();
    this.takeSlopes();
    this.takeLevels();
    this.withinLimits(true);
  }

  /**
   * Takes the amplifier's output to its limits. A state that is looked for (`moves`) takes its network there: none holds
   * more than its amplifier gave. In a run capacitors keep their charge, and the amplifier goes to its limit instead.
   */
  protected withinLimits(moves: boolean): void {
    const { amplifier, currentAmplifier } = this.setup;
    let first = this.places.firstOwn;
    if (amplifier) this.keepWithin(amplifier, 0, first, this.mode().controlRow, moves);
    first += amplifier?.states ?? 0;
    if (!currentAmplifier) return;
    this.mode().compared.forEach((row, k) =>
      this.keepWithin(currentAmplifier, k + 1, first + k * currentAmplifier.states, row, moves),
    );
  }

  protected changeAmplifier({ amplifier, to }: Mode['amplifierEvents'][number]): void {
    this.amplifierModes[amplifier] = to;
    this.present = undefined;
  }

  /** What an amplifier is at once where its reference has jumped, or nothing has run yet. */
  protected settleAmplifiers(): void {
    for (let round = 0; round < 2 * this.amplifierModes.length; round += 1) {
      const mode = this.mode();
      const pressed = mode.amplifierEvents.findIndex(
        (_, k) => along(mode.watched(WATCHED.amplifier, k).row, this.state) > this.volts,
      );
      if (pressed < 0) return;
      this.changeAmplifier(mode.amplifierEvents[pressed]!);
    }
  }

  /** @param number among the amplifiers; @param first of its states; @param row its output */
  private keepWithin(amplifier: Amplifier, number: number, first: number, row: Row, moves: boolean): void {
    const mode = this.amplifierModes[number]!;
    if (mode.endsWith('high') || mode.endsWith('low')) return;
    takeWithin(amplifier, first, row, this.state, moves ? Infinity : ROUNDING * this.volts);
  }

  /** Whether the other phases follow phase 1 in critical conduction, each a part of its last period behind. */
  protected get follows(): boolean {
    const { modulator, phases } = this.setup;
    return modulator.critical && phases > 1;
  }

  /** s at which a phase's pulse is due, by phase 1's and its last period; below zero, the dead time before it. */
  protected dueAfterFirst(k: number): number {
    const { modulator, deadTime } = this.setup;
    const before = modulator.valley > 0 ? deadTime : 0;
    return this.phases[0]!.since + (k / this.phases.length) * this.memory[0]! - before;
  }

  /** Puts every clock so much earlier: a run begins at its own zero. */
  rebase(by: number): void {
    this.time -= by;
    this.lastEnd -= by;
    this.chattering.rebase(by);
    if (this.restUntil !== NONE) this.restUntil -= by;
    if (this.rampFrom !== NONE) this.rampFrom -= by;
    for (const phase of this.phases) {
      phase.since -= by;
      phase.clock -= by;
      if (phase.deadUntil !== NONE) phase.deadUntil -= by;
    }
  }

  /** Each phase as a periodic state has it at phase 1's clock; with the amplifier at rest for a duty. */
  begin(cells: readonly CellName[], fromRest = false): void {
    const { period, phases } = this.setup;
    this.takeLevels();
    this.withinLimits(!fromRest);
    if (fromRest) {
      const { roleChange } = this.setup;
      // it starts as whatever the little output of the beginning asks for
      this.crosses = true;
      if (roleChange) this.roles = roleChange.next(this.roles, this.state[this.places.source]!, this.asked);
      this.present = undefined;
      this.takeBand();
      this.settlePaths();
      this.settleAmplifiers();
      // what it held before the first clock has been sampled
      if (this.digital) this.memory[this.memory.length - 1] = along(this.mode().sensedRow, this.state);
      const { lockout } = this.setup.modulator;
      if (lockout && along(this.mode().inputNode, this.state) < lockout.rising) this.lock();
      return;
    }
    this.phases.forEach((phase, k) => {
      const on = cells[k] === 'control' && k > 0;
      phase.gate = on ? 'on' : cells[k] === 'through' && k > 0 ? 'through' : 'rectifier';
      phase.path = this.pathOf(k);
      phase.since = (k * period) / phases - (k === 0 ? 0 : period);
      if (this.setup.modulator.method === 'open-loop') phase.duty = this.setup.modulator.duty;
    });
    this.present = undefined;
    this.beforeFirstEdge(cells);
    if (!this.setup.modulator.clocked) this.beginPulses(cells);
  }

  /** A periodic state begins just after phase 1's edge, which is still to come here: what a chopped current's step did is taken back. */
  private beforeFirstEdge(cells: readonly CellName[]): void {
    const { network } = this;
    if (network.stepShares.length === 0 || !cells[0]) return;
    const change = zeros(this.setup.phases);
    change[0] = network.cell('rectifier').toOutput - network.cell(cells[0]).toOutput;
    applyStep(network, change, this.state);
  }

  /** Constant on-time begins with phase 1's pulse. */
  private beginPulses(cells: readonly CellName[]): void {
    const { modulator, phases, period } = this.setup;
    this.turn = modulator.critical ? 0 : 1 % phases;
    const last = this.follows ? this.memory[0]! : period;
    this.lastEnd = (modulator.method === 'constant-on-time' ? modulator.onTime : 0) - period / phases;
    this.phases.forEach((phase, k) => {
      if (k === 0 || cells[k] !== 'control') return;
      phase.since = (k * last) / phases - last;
    });
    this.pulse(0);
  }

  private pathOf(k: number): Path {
    const current = this.state[k]!;
    return current > this.amperes ? 'forward' : current < -this.amperes ? 'reverse' : 'idle';
  }

  private plant(conductance: number): { plant: Plant; number: number } {
    const { roles } = this;
    let own = this.plants.get(roles);
    if (!own) this.plants.set(roles, (own = new Map<number, { plant: Plant; number: number }>()));
    let found = own.get(conductance);
    if (!found) {
      found = { plant: new Plant(roles.circuit(conductance), roles.node), number: this.plantCount };
      this.plantCount += 1;
      own.set(conductance, found);
    }
    return found;
  }

  protected takeSlopes(): void {
    const { modulator } = this.setup;
    const segment = this.setup.segments[this.segment]!;
    const share = this.setup.bands[this.band]!.current;
    const current = segment.currentSlope * share + (segment.perVoltSlope ?? 0) * this.segmentVolts;
    this.slopes = [
      segment.sourceSlope,
      current,
      this.rampFrom !== NONE && modulator.softStart > 0 ? modulator.reference / modulator.softStart : 0,
    ];
    this.present = undefined;
  }

  private takeLevels(): void {
    const { bend } = this.network.circuit;
    if (bend) for (let k = 0; k < this.levels.length; k += 1) this.levels[k] = stepAt(bend, this.state[k]!);
    this.present = undefined;
  }

  /** V at the load where it stands now, without the mode that is only made once its slopes are known. */
  private get outputVolts(): number {
    const { plant } = this.plant(this.conductance);
    const cells = this.codes.map((code) => CELL_OF[code]!);
    const { loadVoltage } = plant.configuration(cells, this.levels.length > 0 ? this.levels : undefined);
    const { states, one } = this.places;
    let volts = loadVoltage[states + 2]! * this.state[one]!;
    for (let k = 0; k < states + 2; k += 1) volts += loadVoltage[k]! * this.state[k]!;
    return volts;
  }

  /** The switch state of each phase, by its number. */
  private get codes(): number[] {
    const { blocks, roles } = this;
    return this.phases.map((phase) => codeOf(phase, this.setup.diode, roles, blocks));
  }

  /** On to the next segment: what the load then draws at once is taken by the branches with series inductance as a chopped current is. */
  protected nextSegment(): void {
    const { segments } = this.setup;
    const [before, after] = [segments[this.segment]!, segments[this.segment + 1]!];
    // pieces of a conductance that rises draw the same where they meet, part of it as a conductance and part as a current
    const volts = before.perVolt !== undefined || after.perVolt !== undefined ? this.outputVolts : 0;
    const drawnNow = (): number => this.conductance * volts + this.state[this.places.drawn]!;
    const drawn = drawnNow();
    this.segment += 1;
    this.segmentVolts = volts;
    this.enterSegment();
    const step = drawnNow() - drawn;
    if (step !== 0) for (const { state, share } of this.network.stepShares) this.state[state]! -= share * step;
  }

  private enterSegment(): void {
    const segment = this.setup.segments[this.segment]!;
    const { source, drawn } = this.places;
    this.present = undefined;
    this.state[source] = segment.source;
    this.state[drawn] =
      segment.current * this.setup.bands[this.band]!.current + (segment.perVolt ?? 0) * this.segmentVolts;
    this.takeSlopes();
  }

  /** Puts the load where its voltage has it. */
  takeBand(): void {
    const { bands } = this.setup;
    // its conductance moves the voltage a little: twice finds the band that holds
    for (let round = 0; round < 2; round += 1) {
      this.present = undefined;
      this.band = bandAt(bands, along(this.mode().output.row, this.state));
    }
    this.enterSegment();
  }

  setReference(volts: number): void {
    this.state[this.places.reference] = volts;
  }

  /** The reference rises from zero, from now on. */
  startSoftly(): void {
    const { modulator } = this.setup;
    this.state[this.places.reference] = modulator.softStart > 0 ? 0 : modulator.reference;
    this.rampFrom = modulator.softStart > 0 ? this.time : NONE;
    this.crosses = true;
    this.takeSlopes();
  }

  setAmplifier(states: readonly number[]): void {
    states.forEach((value, k) => (this.state[this.places.firstOwn + k] = value));
  }

  /** Whether a rectifier blocks negative current now. */
  protected get blocks(): boolean {
    const { diode, emulates, modulator } = this.setup;
    return diode || emulates || (this.rampFrom !== NONE && modulator.startIntoBias);
  }

  mode(): Mode {
    if (this.present) return this.present;
    const { conductance } = this;
    const { plant, number } = this.plant(conductance);
    let code = (number * 512 + this.band) * 16 + AMPLIFIER_CODES[this.amplifierModes[0]!];
    // where a rectifier at rest would conduct differs with the gate
    const { blocks, roles } = this;
    const { diode } = this.setup;
    const codeFor = (phase: Phase): number =>
      codeOf(phase, diode, roles, blocks) * 8 + forwardCode(phase, diode, roles);
    for (const phase of this.phases) code = code * 64 + codeFor(phase);
    const key =
      this.levels.length > 0 || this.broken || this.phases.length > 4 || this.amplifierModes.length > 1
        ? `${number};${this.band};${this.amplifierModes.join()};${this.broken ?? ''};${this.phases.map(codeFor).join()};${this.levels.join()}`
        : code;
    const { slopes } = this;
    let mode = this.modes.get(key);
    if (mode && !(mode.slopes[0] === slopes[0] && mode.slopes[1] === slopes[1] && mode.slopes[2] === slopes[2]))
      mode = undefined;
    if (!mode) {
      if (this.modes.size > MOST_MODES) this.modes.clear();
      const { codes } = this;
      mode = new Mode(this.setup, this.places, plant, this.injection, {
        cells: codes.map((one) => CELL_OF[one]!),
        codes,
        levels: this.levels.length > 0 ? this.levels.slice() : undefined,
        amplifierModes: this.amplifierModes,
        fault: this.broken,
        band: this.band,
        slopes,
        forward: this.phases.map((phase) => CELL_OF[forwardCode(phase, diode, roles)]!),
      });
      this.modes.set(key, mode);
    }
    this.present = mode;
    return mode;
  }

  /** Takes what a change of the switches does at once: a chopped current's step divides among inductive branches. */
  protected rewired(before: Mode): void {
    this.present = undefined;
    this.settlePaths();
    const after = this.mode();
    const { network } = after.plant;
    if (network.stepShares.length > 0) {
      const change = after.cells.map(
        (name, k) => network.cell(name).toOutput - before.plant.network.cell(before.cells[k]!).toOutput,
      );
      if (change.some((value) => value !== 0)) {
        applyStep(network, change, this.state);
        if (this.orbit) this.jumps.push({ kind: 'step', change, shares: network.stepShares });
      }
    }
    for (let k = 0; k < this.phases.length; k += 1)
      if (after.codes[k] === CELL_CODES.idle) {
        this.state[k] = 0;
        if (this.orbit) this.jumps.push({ kind: 'rest', phase: k });
      }
    if (this.levels.length > 0) this.takeLevels();
  }

  /** From now on what the setup names is broken. */
  breakDown(): void {
    const { fault } = this.setup;
    if (!fault) return;
    const before = this.mode();
    this.present = undefined;
    const first = this.phases[0]!;
    if (fault === 'phase-lost') {
      this.end(0, true);
      // its driver is dead: neither switch conducts
      first.gate = 'off';
      first.deadUntil = NONE;
    }
    this.broken = fault;
    if (fault === 'switch-shorted' && first.gate !== 'on') {
      first.gate = 'on';
      first.since = this.time;
      first.deadUntil = NONE;
    }
    if (fault === 'feedback-lost') this.over = false;
    this.rewired(before);
  }

  protected stuck(k: number): boolean {
    return k === 0 && this.broken === 'switch-shorted';
  }

  /** The diodes of phases whose switches leave them to decide, by currents and, without current, by voltages. */
  protected settlePaths(): void {
    for (let k = 0; k < this.phases.length; k += 1) {
      const phase = this.phases[k]!;
      if (drives(phase)) continue;
      const path = this.pathOf(k);
      if (path === phase.path) continue;
      phase.path = path;
      this.present = undefined;
    }
    if (this.time < this.chattering.calmUntil) return;
    for (let round = 0; round <= 2 * this.phases.length; round += 1) {
      const mode = this.mode();
      let turned = false;
      for (let k = 0; k < this.phases.length && !turned; k += 1) {
        if (mode.codes[k] !== CELL_CODES.idle) continue;
        const phase = this.phases[k]!;
        if (along(mode.watched(WATCHED.forward, k).row, this.state) > this.volts) phase.path = 'forward';
        else if (along(mode.watched(WATCHED.reverse, k).row, this.state) > this.volts) phase.path = 'reverse';
        turned = phase.path !== 'idle';
      }
      if (!turned) break;
      this.present = undefined;
    }
  }

  /** The pulse that comes at least where one of a phase comes at all out of rest, as input and output stand. */
  protected leastPulse(k: number): LeastPulse | undefined {
    const { leastPulse } = this.setup.modulator;
    if (!leastPulse) return undefined;
    const least = leastPulse(this.state[this.places.source]!, along(this.mode().output.row, this.state));
    return this.state[k]! > RESTS * least.rises ? undefined : least;
  }

  protected pulse(k: number, forced = false): void {
    const phase = this.phases[k]!;
    if (this.over || this.restUntil !== NONE || (k === 0 && this.broken === 'phase-lost')) return;
    const before = this.mode();
    phase.gate = 'on';
    if (k === 0 && this.follows && phase.pulses > 0) this.memory[0] = this.time - phase.since;
    phase.since = this.time;
    phase.least = forced ? 0 : (this.leastPulse(k)?.lasts ?? 0);
    phase.limited = false;
    phase.whole = forced;
    if (this.follows) this.followFirst(k);
    this.mark(this.timers.since(k));
    this.rewired(before);
    phase.pulses += 1;
    this.pulses += 1;
  }

  /** A pulse of phase 1 is owed by every other; one of another phase is what it owed. */
  private followFirst(k: number): void {
    if (k > 0) this.phases[k]!.owes = false;
    else {
      for (const other of this.phases) other.owes = true;
      this.measures = this.phases[0]!.pulses > 0;
    }
  }

  /** A pulse is over; with both legs switching, the charge alone, and its passage follows. */
  protected end(k: number, whole = false): void {
    const phase = this.phases[k]!;
    if (!drives(phase) || this.stuck(k)) return;
    if (this.roles.transition && phase.gate === 'on' && !whole && !this.over && this.restUntil === NONE) {
      const dead = this.setup.deadTime;
      const before = this.mode();
      phase.gate = dead > 0 ? 'turning' : 'through';
      phase.deadUntil = dead > 0 ? this.time + dead : NONE;
      this.mark(this.timers.dead(k));
      return this.rewired(before);
    }
    this.lastEnd = this.time;
    const dead = this.setup.diode ? 0 : this.setup.deadTime;
    const before = this.mode();
    phase.gate = this.restUntil !== NONE ? 'off' : dead > 0 ? 'dead' : 'rectifier';
    phase.deadUntil = dead > 0 ? this.time + dead : NONE;
    this.mark(this.timers.lastEnd);
    this.mark(this.timers.dead(k));
    this.rewired(before);
  }

  protected regate(k: number, gate: Gate): void {
    const before = this.mode();
    this.phases[k]!.gate = gate;
    this.rewired(before);
  }

  protected mark(timer: number): void {
    if (this.orbit) this.marks.push(timer);
  }

  protected offsetOf(phase: Phase): number {
    const { dutyOffsets } = this.setup.modulator;
    return dutyOffsets.length === 0 ? 0 : (dutyOffsets[this.phases.indexOf(phase)] ?? 0);
  }

  /** s at which a phase's pulse ends whatever its comparator says. */
  protected latest(phase: Phase): number {
    const { modulator, period } = this.setup;
    const { transition } = this.roles;
    if (this.broken === 'switch-shorted' && phase === this.phases[0]) return Infinity;
    // the leg that does not regulate keeps its duty
    if (transition && (phase.gate === 'on') !== (transition.open === 'boostDuty'))
      return phase.since + (phase.gate === 'on' ? transition.boostDuty : transition.duty) * period;
    if (modulator.critical) return phase.since + LONGEST * period;
    switch (modulator.method) {
      case 'open-loop':
      case 'digital':
      case 'gated-oscillator':
        return phase.since + Math.max(0, phase.duty + this.offsetOf(phase)) * period;
      case 'constant-on-time':
        return phase.since + Math.max(0, modulator.onTime + this.offsetOf(phase) * period);
      case 'hysteretic':
        return Infinity;
      default:
        return (
          phase.since +
          Math.max(modulator.minimumOnTime, Math.min(modulator.maximumDuty * period, period - modulator.minimumOffTime))
        );
    }
  }

  /** The legs of a four-switch stage take the roles that input and output ask for; the control voltage stays what it is. */
  protected changeRoles(): void {
    const { roleChange } = this.setup;
    if (!roleChange || this.restUntil !== NONE) return;
    const volts = this.state[this.places.source]!;
    const part = this.asked;
    // asked again only once something has moved
    if (volts === this.askedAt.volts && part === this.askedAt.part) return;
    this.askedAt = { volts, part };
    const next = roleChange.next(this.roles, volts, part);
    if (next === this.roles) return;
    const before = this.mode();
    const { network } = before.plant;
    this.handOver(roleChange.fall(this.roles, next, volts, part));
    this.roles = next;
    this.present = undefined;
    const now = this.network;
    this.phases.forEach((phase, k) => {
      if (phase.gate === 'off') return;
      const stands = network.cell(before.cells[k]!);
      const like = GATES_LIKE.find(([, name]) => {
        const cell = now.circuit.cells[name];
        return cell && cell.fromInput === stands.fromInput && cell.toOutput === stands.toOutput;
      });
      phase.gate = like?.[0] ?? 'rectifier';
      phase.deadUntil = NONE;
    });
    this.rewired(before);
  }

  /** The next region's pulses end by so much less: a control voltage goes on as it stands, a difference equation from other duties. */
  private handOver(fall: number): void {
    if (!this.digital) {
      this.handedOver += fall;
      return;
    }
    for (let k = 0; k < this.digital.past; k += 1) this.memory[k]! -= fall;
    const { maximumDuty } = this.setup.modulator;
    for (const phase of this.phases) phase.duty = Math.min(maximumDuty, Math.max(0, phase.duty - fall));
  }

  /** Part of the output that is asked for: what the soft start has reached, or what an output that sags has. */
  private get asked(): number {
    const { modulator, sags, target } = this.setup;
    const since = this.rampFrom === NONE ? modulator.softStart : this.time - this.rampFrom;
    const asked = modulator.softStart > 0 ? Math.min(1, Math.max(1e-3, since / modulator.softStart)) : 1;
    return sags && this.moves && this.time > 0
      ? Math.min(asked, Math.max(1e-3, along(this.mode().output.row, this.state) / target))
      : asked;
  }

  /** The input is too low: all switches stay off until it has recovered. */
  protected lock(): void {
    this.locked = true;
    this.rest(Infinity);
  }

  protected rest(until: number): void {
    this.restUntil = until;
    const before = this.mode();
    for (const phase of this.phases) {
      if (!this.stuck(this.phases.indexOf(phase))) phase.gate = 'off';
      phase.deadUntil = NONE;
      phase.awaits = false;
      phase.whole = false;
      phase.limitedInRow = 0;
    }
    this.rewired(before);
  }
}
