import { stepAt } from '../network/bend.ts';
import type { CellName } from '../network/circuit.ts';
import type { Network } from '../network/network.ts';
import { applyStep } from '../network/periodic.ts';
import { zeros, type Vector } from '../numbers/linear.ts';
import type { Amplifier, AmplifierMode } from './amplifier.ts';
import { Haste } from './haste.ts';
import { Injection } from './injection.ts';
import {
  bandAt,
  CELL_CODES,
  CELL_OF,
  DigitalMemory,
  SimulationError,
  type Fault,
  type Roles,
  type Setup,
} from './law.ts';
import { Mode, Places, WATCHED, type Watched } from './mode.ts';
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
import { along, applyRows, type Row } from './rows.ts';
import { Stretcher, type Quantity, type Watch } from './stretch.ts';

/** A piece of the way: when it began, how long it lasted, and the states at its ends. */
export interface Piece {
  from: number;
  length: number;
  start: Vector;
  end: Vector;
  mode: Mode;
  /** whether a stretch begins with it */
  first: boolean;
  /** whether the quantities' series do not reach over it */
  stiff: boolean;
}

/** Told every piece of the way, and each stretch's integral of the state. What it is given is used again. */
export interface Recorder {
  piece: (piece: Piece, stretcher: Stretcher) => void;
  stretch: (mode: Mode, length: number, integral: Vector) => void;
}

/** Events without any time between them, beyond which the controller chatters. */
const MOST_AT_ONCE = 200;
const EDGE = 1e-11;
/** Periods of a pulse in critical conduction at most, where its comparator does not end it. */
const LONGEST = 20;
/** Gates by the switch state that each means, in the order in which one is looked for after a change of roles. */
const GATES_LIKE = [
  ['rectifier', 'rectifier'],
  ['through', 'through'],
  ['on', 'control'],
] as const satisfies readonly (readonly [Gate, CellName])[];
/** Modes kept: a ramp of the load passes through many conductances, each once. */
const MOST_MODES = 2000;

interface Active extends Watch {
  kind: Watched;
  phase: number;
}

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

/** One stage with its controller, followed event by event. */
export class Simulator {
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
  private broken: Fault | undefined;
  /** what the run did, where it is wanted */
  orbit: OrbitStep[] | undefined;
  /** of a digital controller */
  memory: Vector = [];
  private phases: Phase[];
  /** each phase's step of a bent inductance */
  private levels: number[] = [];
  /** the voltage's amplifier, then each phase's current's */
  private amplifierModes: AmplifierMode[];
  private turn = 0;
  private segment = 0;
  private lastEnd = -Infinity;
  private over = false;
  /** whether its input is too low to switch */
  private locked = false;
  private restUntil = NONE;
  /** when the reference began to rise; NONE where it stands */
  private rampFrom = NONE;
  private slopes: [number, number, number] = [0, 0, 0];
  private segmentVolts = 0;
  /** the part of its course over voltage that the load stands in */
  private band = 0;
  private readonly haste: Haste;
  private readonly plants = new Map<Roles, Map<number, { plant: Plant; number: number }>>();
  private plantCount = 0;
  /** how the stage is run now, and V that its ramps begin above zero since roles were changed */
  private roles: Roles;
  private handedOver = 0;
  /** whether input or reference move far enough to ask for other roles; a load alone leaves them as they are */
  private crosses: boolean;
  private readonly modes = new Map<number | string, Mode>();
  /** the mode that it stands in; made anew after a change */
  private present: Mode | undefined;
  private readonly stretcher: Stretcher;
  private readonly injection: Injection | undefined;
  private readonly digital: DigitalMemory | undefined;
  private readonly amperes: number;
  private readonly volts: number;
  private readonly active: Active[] = [];
  private activeCount = 0;
  private jumps: Jump[] = [];
  private marks: number[] = [];
  private measures = false;
  private timing: Timing = { kind: 'clock' };

  constructor(setup: Setup) {
    this.setup = setup;
    this.roles = setup.roles;
    this.crosses = setup.segments.some(({ source }) => source !== setup.segments[0]!.source);
    const { plant } = this.plant(setup.segments[0]!.conductance);
    this.injection = setup.injection && new Injection(setup.injection);
    this.places = new Places(
      plant.states,
      (setup.amplifier?.states ?? 0) + setup.phases * (setup.currentAmplifier?.states ?? 0) + (this.injection ? 2 : 0),
      setup.sine !== undefined,
    );
    const { size, quadrature, one } = this.places;
    this.state = zeros(size);
    this.state[one] = 1;
    if (setup.sine) this.state[quadrature] = setup.sine.amplitude;
    this.stretcher = new Stretcher(size);
    const { inductance, inputVoltage, bend } = plant.network.circuit;
    this.amperes = (EDGE * inputVoltage * setup.period) / inductance;
    this.volts = EDGE * inputVoltage;
    this.timers = new Timers(setup.phases);
    this.haste = new Haste(setup.period);
    if (bend) this.levels = Array.from({ length: setup.phases }, () => stepAt(bend, 0));
    this.phases = freshPhases(setup);
    this.amplifierModes = Array.from(
      { length: setup.currentAmplifier ? setup.phases + 1 : 1 },
      () => 'linear' as const,
    );
    const { law } = setup;
    if (law.digital) {
      this.digital = new DigitalMemory(law.digital, setup.target, law.maximumDuty);
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
    this.haste.reset();
    this.takeSlopes();
    this.takeLevels();
    this.withinLimits();
  }

  /** Takes the amplifier's network to where its output is within its limits: no network holds more than its amplifier gave. */
  private withinLimits(): void {
    const { amplifier, currentAmplifier } = this.setup;
    let first = this.places.firstOwn;
    if (amplifier) this.keepWithin(amplifier, 0, first, this.mode().controlRow);
    first += amplifier?.states ?? 0;
    if (!currentAmplifier) return;
    this.mode().compared.forEach((row, k) =>
      this.keepWithin(currentAmplifier, k + 1, first + k * currentAmplifier.states, row),
    );
  }

  private changeAmplifier({ amplifier, to }: Mode['amplifierEvents'][number]): void {
    this.amplifierModes[amplifier] = to;
    this.present = undefined;
  }

  /** @param number among the amplifiers; @param first of its states; @param row its output */
  private keepWithin(amplifier: Amplifier, number: number, first: number, row: Row): void {
    const mode = this.amplifierModes[number]!;
    if (mode.endsWith('high') || mode.endsWith('low')) return;
    const { at, of } = row;
    const control = along(row, this.state);
    const excess = control - Math.min(amplifier.highest, Math.max(amplifier.lowest, control));
    if (excess === 0) return;
    let strongest = -1;
    for (let k = 0; k < at.length; k += 1)
      if (at[k]! >= first && at[k]! < first + amplifier.states && Math.abs(of[k]!) > Math.abs(of[strongest] ?? 0))
        strongest = k;
    if (strongest >= 0) this.state[at[strongest]!]! -= excess / of[strongest]!;
  }

  /** Whether the other phases follow phase 1 in critical conduction, each a part of its last period behind. */
  private get follows(): boolean {
    const { law, phases } = this.setup;
    return law.critical && phases > 1;
  }

  /** s at which a phase's pulse is due, by phase 1's and its last period. */
  private dueAfterFirst(k: number): number {
    return this.phases[0]!.since + (k / this.phases.length) * this.memory[0]!;
  }

  /** Puts every clock so much earlier: a run begins at its own zero. */
  rebase(by: number): void {
    this.time -= by;
    this.lastEnd -= by;
    this.haste.rebase(by);
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
    this.withinLimits();
    if (fromRest) {
      const { roleChange } = this.setup;
      // it starts as whatever the little output of the beginning asks for
      this.crosses = true;
      if (roleChange) this.roles = roleChange.next(this.roles, this.state[this.places.source]!, this.asked);
      this.present = undefined;
      this.takeBand();
      this.settlePaths();
      const { lockout } = this.setup.law;
      if (lockout && along(this.mode().inputNode, this.state) < lockout.rising) this.lock();
      return;
    }
    this.phases.forEach((phase, k) => {
      const on = cells[k] === 'control' && k > 0;
      phase.gate = on ? 'on' : cells[k] === 'through' && k > 0 ? 'through' : 'rectifier';
      phase.path = this.pathOf(k);
      phase.since = (k * period) / phases - (k === 0 ? 0 : period);
      if (this.setup.law.method === 'open-loop') phase.duty = this.setup.law.duty;
    });
    this.present = undefined;
    if (!this.setup.law.clocked) this.beginPulses(cells);
  }

  /** Constant on-time begins with phase 1's pulse. */
  private beginPulses(cells: readonly CellName[]): void {
    const { law, phases, period } = this.setup;
    this.turn = law.critical ? 0 : 1 % phases;
    const last = this.follows ? this.memory[0]! : period;
    this.lastEnd = (law.method === 'constant-on-time' ? law.onTime : 0) - period / phases;
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

  private takeSlopes(): void {
    const { law } = this.setup;
    const segment = this.setup.segments[this.segment]!;
    const share = this.setup.bands[this.band]!.current;
    const current = segment.currentSlope * share + (segment.perVoltSlope ?? 0) * this.segmentVolts;
    this.slopes = [
      segment.sourceSlope,
      current,
      this.rampFrom !== NONE && law.softStart > 0 ? law.reference / law.softStart : 0,
    ];
    this.present = undefined;
  }

  private takeLevels(): void {
    const { bend } = this.network.circuit;
    if (bend) for (let k = 0; k < this.levels.length; k += 1) this.levels[k] = stepAt(bend, this.state[k]!);
    this.present = undefined;
  }

  private enterSegment(): void {
    const segment = this.setup.segments[this.segment]!;
    const { source, drawn } = this.places;
    const before = this.state[drawn]!;
    this.present = undefined;
    if (segment.perVolt !== undefined) this.segmentVolts = along(this.mode().output.row, this.state);
    this.state[source] = segment.source;
    this.state[drawn] =
      segment.current * this.setup.bands[this.band]!.current + (segment.perVolt ?? 0) * this.segmentVolts;
    const step = this.state[drawn] - before;
    // what a load draws at once is taken by the branches with series inductance as a chopped current is
    if (this.segment > 0 && step !== 0 && segment.perVolt === undefined)
      for (const { state, share } of this.network.stepShares) this.state[state]! -= share * step;
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
    const { law } = this.setup;
    this.state[this.places.reference] = law.softStart > 0 ? 0 : law.reference;
    this.rampFrom = law.softStart > 0 ? this.time : NONE;
    this.takeSlopes();
  }

  setAmplifier(states: readonly number[]): void {
    states.forEach((value, k) => (this.state[this.places.firstOwn + k] = value));
  }

  /** Whether a rectifier blocks negative current now. */
  private get blocks(): boolean {
    const { diode, emulates, law } = this.setup;
    return diode || emulates || (this.rampFrom !== NONE && law.startIntoBias);
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
      const codes = this.phases.map((phase) => codeOf(phase, diode, roles, blocks));
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
  private rewired(before: Mode): void {
    this.present = undefined;
    this.settlePaths();
    const { network } = this;
    const after = this.mode();
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

  private stuck(k: number): boolean {
    return k === 0 && this.broken === 'switch-shorted';
  }

  /** The diodes of phases whose switches leave them to decide, by currents and, without current, by voltages. */
  private settlePaths(): void {
    for (let k = 0; k < this.phases.length; k += 1) {
      const phase = this.phases[k]!;
      if (!drives(phase)) phase.path = this.pathOf(k);
    }
    this.present = undefined;
    if (this.time < this.haste.calmUntil) return;
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

  private pulse(k: number, forced = false): void {
    const phase = this.phases[k]!;
    if (this.over || this.restUntil !== NONE || (k === 0 && this.broken === 'phase-lost')) return;
    const before = this.mode();
    phase.gate = 'on';
    if (k === 0 && this.follows && phase.pulses > 0) this.memory[0] = this.time - phase.since;
    phase.since = this.time;
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
  private end(k: number, whole = false): void {
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

  private regate(k: number, gate: Gate): void {
    const before = this.mode();
    this.phases[k]!.gate = gate;
    this.rewired(before);
  }

  private mark(timer: number): void {
    if (this.orbit) this.marks.push(timer);
  }

  private offsetOf(phase: Phase): number {
    const { dutyOffsets } = this.setup.law;
    return dutyOffsets.length === 0 ? 0 : (dutyOffsets[this.phases.indexOf(phase)] ?? 0);
  }

  /** s at which a phase's pulse ends whatever its comparator says. */
  private latest(phase: Phase): number {
    const { law, period } = this.setup;
    const { transition } = this.roles;
    if (this.broken === 'switch-shorted' && phase === this.phases[0]) return Infinity;
    // the leg that does not regulate keeps its duty
    if (transition && (phase.gate === 'on') !== (transition.open === 'boostDuty'))
      return phase.since + (phase.gate === 'on' ? transition.boostDuty : transition.duty) * period;
    if (law.critical) return phase.since + LONGEST * period;
    switch (law.method) {
      case 'open-loop':
      case 'digital':
      case 'gated-oscillator':
        return phase.since + Math.max(0, phase.duty + this.offsetOf(phase)) * period;
      case 'constant-on-time':
        return phase.since + Math.max(0, law.onTime + this.offsetOf(phase) * period);
      case 'hysteretic':
        return Infinity;
      default:
        return (
          phase.since + Math.max(law.minimumOnTime, Math.min(law.maximumDuty * period, period - law.minimumOffTime))
        );
    }
  }

  private takeSample(): void {
    const row = this.mode().sensedRow;
    this.memory[this.memory.length - 1] = along(row, this.state);
    this.orbit?.push({ kind: 'sample', row });
  }

  private clock(k: number): void {
    const { law, period } = this.setup;
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
    if (law.hiccup && phase.limitedInRow >= law.hiccup.pulses && this.restUntil === NONE) return this.hiccup();
    const { digital } = law;
    if (digital && k === 0) {
      if (digital.sampleDelay === 0) this.takeSample();
      const { duty, clamped } = this.digital!.next(this.memory);
      this.orbit?.push({ kind: 'decide', clamped });
      for (const other of this.phases) other.duty = duty;
    }
    if (k === 0 && this.moves && this.crosses) this.changeRoles();
    if (law.method === 'gated-oscillator') phase.duty = law.duty;
    if (law.method === 'open-loop')
      phase.duty = Math.min(1, law.duty + (this.moves && this.time > 0 ? law.dutySlope * this.time : 0));
    this.decide(k);
  }

  /** The legs of a four-switch stage take the roles that input and output ask for; the control voltage stays what it is. */
  private changeRoles(): void {
    const { roleChange } = this.setup;
    if (!roleChange || this.restUntil !== NONE) return;
    const volts = this.state[this.places.source]!;
    const part = this.asked;
    const next = roleChange.next(this.roles, volts, part);
    if (next === this.roles) return;
    const before = this.mode();
    const { network } = before.plant;
    this.handedOver += roleChange.fall(this.roles, next, volts, part);
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

  /** Part of the output that is asked for: what the soft start has reached. */
  private get asked(): number {
    const { law } = this.setup;
    const since = this.rampFrom === NONE ? law.softStart : this.time - this.rampFrom;
    return law.softStart > 0 ? Math.min(1, Math.max(1e-3, since / law.softStart)) : 1;
  }

  private decide(k: number): void {
    const { law } = this.setup;
    const phase = this.phases[k]!;
    let wanted = true;
    let forced = false;
    if (
      law.method === 'voltage-mode' ||
      law.method === 'voltage-mode-feedforward' ||
      law.method === 'average-current-mode' ||
      (law.method === 'peak-current-mode' && law.skips)
    )
      wanted = along(this.mode().compared[k]!, this.state) > this.handedOver;
    // beyond what is heard: a pulse as short as can be, and its rectifier takes back what was too much until the next clock
    if (!wanted && this.rampFrom === NONE && this.time - phase.since >= law.longestWait * (1 - EDGE))
      wanted = forced = true;
    if (law.method === 'open-loop' || law.method === 'digital') wanted = phase.duty > 0;
    if (law.method === 'gated-oscillator') wanted = along(this.mode().watched(WATCHED.pulse, 0).row, this.state) > 0;
    if (wanted && !this.over && this.restUntil === NONE) {
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

  private hiccup(): void {
    this.rest(this.time + this.setup.law.hiccup!.offTime);
  }

  /** The input is too low: all switches stay off until it has recovered. */
  private lock(): void {
    this.locked = true;
    this.rest(Infinity);
  }

  private rest(until: number): void {
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

  /**
   * Follows the stage to a time, or to a new pulse of phase 1.
   * @throws SimulationError where the controller chatters or the arithmetic finds no number
   */
  run(until: number, recorder?: Recorder, stopAtPulse = false): void {
    const first = this.phases[0]!;
    const pulsesBefore = first.pulses;
    const { stretcher, state } = this;
    let atOnce = 0;
    let from = 0;
    const piece: Piece = {
      from: 0,
      length: 0,
      start: state,
      end: state,
      mode: this.mode(),
      first: true,
      stiff: false,
    };
    const sink = recorder && {
      piece: (begin: number, length: number, start: Vector, end: Vector, stiff: boolean): void => {
        piece.from = from + begin;
        piece.length = length;
        piece.start = start;
        piece.end = end;
        piece.stiff = stiff;
        recorder.piece(piece, stretcher);
        piece.first = false;
      },
    };
    while (this.time < until) {
      if (stopAtPulse && first.pulses > pulsesBefore) return;
      const due = this.due();
      const next = due < until ? due : until;
      const mode = this.mode();
      let which = -1;
      from = this.time;
      if (next > from) {
        this.watch(mode);
        piece.mode = mode;
        piece.first = true;
        which = stretcher.follow(mode.motion, state, next - from, this.active, this.activeCount, sink);
        const { after } = stretcher;
        if (recorder && after > 0) recorder.stretch(mode, after, stretcher.integral);
        if (this.orbit && after > 0) this.orbit.push({ kind: 'carry', mode, length: after, from });
        this.time = which < 0 ? next : from + after;
      }
      if (which >= 0) this.haste.event(this.time);
      if (this.time > from) atOnce = 0;
      else if ((atOnce += 1) > MOST_AT_ONCE)
        throw new SimulationError(`The controller chatters at ${this.time} s: switchings without time between them.`);
      if (which >= 0) this.happens(this.active[which]!);
      // what falls on the end itself belongs to whoever goes on from there
      else if (this.time < until) this.scheduled();
      else this.checkFinite();
    }
  }

  private checkFinite(): void {
    for (const value of this.state)
      if (!Number.isFinite(value))
        throw new SimulationError(`The stage’s voltages leave every bound after ${this.time} s.`);
  }

  /** s, the next moment at which something happens by the clock. */
  private due(): number {
    const { law, segments, deadTime, diode, period } = this.setup;
    const { time } = this;
    const { clocked } = law;
    const letsGo = deadTime > 0 && !diode && clocked && this.restUntil === NONE;
    let next = Infinity;
    for (let k = 0; k < this.phases.length; k += 1) {
      const phase = this.phases[k]!;
      if (clocked && phase.clock < next) next = phase.clock;
      if (drives(phase)) {
        const latest = this.latest(phase);
        if (phase.gate === 'turning' && phase.deadUntil < next) next = phase.deadUntil;
        if (latest < next) next = latest;
        const unblind = phase.since + law.minimumOnTime;
        if (unblind > time && unblind < next) next = unblind;
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
      const free = this.lastEnd + law.minimumOffTime;
      if (free > time && free < next) next = free;
      for (const phase of this.phases) if (this.waits(phase)) next = Math.min(next, phase.since + law.longestWait);
    }
    if (this.moves) {
      const segment = segments[this.segment + 1];
      if (segment && segment.at < next) next = segment.at;
    }
    if (this.restUntil !== NONE && this.restUntil < next) next = this.restUntil;
    const { calmUntil } = this.haste;
    if (calmUntil > time && calmUntil < next) next = calmUntil;
    if (this.rampFrom !== NONE && this.rampFrom + law.softStart < next) next = this.rampFrom + law.softStart;
    const delay = law.digital?.sampleDelay ?? 0;
    if (delay > 0 && delay < 1) {
      const sample = this.phases[0]!.clock - delay * period;
      if (sample > time && sample < next) next = sample;
    }
    return next > time ? next : time;
  }

  /** Whether a phase without a clock waits for its pulse, beyond what is heard after a while. */
  private waits({ gate, whole }: Phase): boolean {
    const { law, diode } = this.setup;
    return law.longestWait < Infinity && gate === 'rectifier' && !whole && !diode && this.rampFrom === NONE;
  }

  private scheduled(): void {
    const { segments, deadTime, diode, period, law } = this.setup;
    const { time } = this;
    const { clocked } = law;
    const following = this.moves ? segments[this.segment + 1] : undefined;
    if (following && following.at <= time) {
      this.segment += 1;
      this.enterSegment();
      this.settlePaths();
    }
    if (this.rampFrom !== NONE && this.rampFrom + law.softStart <= time) {
      const before = this.mode();
      this.rampFrom = NONE;
      this.state[this.places.reference] = law.reference;
      this.takeSlopes();
      this.rewired(before);
    }
    const delay = law.digital?.sampleDelay ?? 0;
    if (delay > 0 && delay < 1 && Math.abs(this.phases[0]!.clock - delay * period - time) <= 1e-12 * period)
      this.takeSample();
    if (this.restUntil !== NONE && this.restUntil <= time) {
      const before = this.mode();
      this.restUntil = NONE;
      for (const phase of this.phases) if (!this.stuck(this.phases.indexOf(phase))) phase.gate = 'rectifier';
      this.rewired(before);
      this.startSoftly();
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
      if (this.orbit && phase.gate === 'on' && Math.abs(phase.since + law.minimumOnTime - time) <= 1e-12 * period)
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
      if (!clocked && this.waits(phase) && phase.since + law.longestWait <= time) {
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
        if (law.digital?.sampleDelay === 1 && k === 0 && this.restUntil === NONE) this.takeSample();
      }
    }
  }

  private pulseEnd(k: number): Timing {
    const { law, period } = this.setup;
    const duty = law.method === 'digital' ? period : 0;
    return { kind: 'timer', timer: this.timers.since(k), duty };
  }

  /** What stands before an edge, where the run's steps are wanted. */
  private open(
    timing: Timing,
  ): { timing: Timing; before: Vector; mode: Mode; output: number; input: number } | undefined {
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

  private add(kind: Watched, phase: number, quantity: Quantity, tolerance: number): Active {
    let active = this.active[this.activeCount];
    if (!active) {
      active = { kind, phase, quantity, c0: 0, c1: 0, c2: 0, tolerance, value: 0, slope: 0 };
      this.active.push(active);
    }
    this.activeCount += 1;
    active.kind = kind;
    active.phase = phase;
    active.quantity = quantity;
    active.tolerance = tolerance;
    active.c0 = active.c1 = active.c2 = 0;
    return active;
  }

  /** What may happen before the next clock. */
  private watch(mode: Mode): void {
    const { setup, time } = this;
    const { law, period } = setup;
    this.activeCount = 0;
    const limits = law.currentLimit < Infinity;
    for (let k = 0; k < this.phases.length; k += 1) {
      const phase = this.phases[k]!;
      if (drives(phase)) {
        const { transition } = this.roles;
        const regulates = !transition || (phase.gate === 'on') === (transition.open === 'boostDuty');
        if (!this.stuck(k) && phase.gate !== 'turning' && time >= phase.since + law.minimumOnTime) {
          const age = time - phase.since;
          if (!regulates) {
            // the other leg's turn: only a limit ends it early
          } else if (law.method === 'voltage-mode' || law.method === 'average-current-mode') {
            const active = this.add(WATCHED.compare, k, mode.watched(WATCHED.compare, k), 0);
            active.c1 = law.rampAmplitude / period;
            active.c0 = this.handedOver + active.c1 * (age - this.offsetOf(phase) * period);
          } else if (law.method === 'voltage-mode-feedforward') {
            const gain = law.rampGain / period;
            const volts = this.state[this.places.source]!;
            const slope = this.slopes[0];
            const active = this.add(WATCHED.compare, k, mode.watched(WATCHED.compare, k), 0);
            active.c0 = this.handedOver + gain * volts * age;
            active.c1 = gain * (volts + slope * age);
            active.c2 = gain * slope;
          } else if (law.method === 'peak-current-mode') {
            const active = this.add(WATCHED.compare, k, mode.watched(WATCHED.compare, k), 0);
            active.c1 = law.slopeCompensation;
            active.c0 = this.handedOver + active.c1 * age;
          } else if (law.method === 'hysteretic') this.add(WATCHED.compare, k, mode.watched(WATCHED.compare, k), 0);
          if (limits) this.add(WATCHED.limit, k, mode.watched(WATCHED.limit, k), 0);
        }
      } else {
        const code = mode.codes[k]!;
        if (code === CELL_CODES.idle) {
          if (time < this.haste.calmUntil) continue;
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
    if (law.overVoltage < Infinity && this.broken !== 'feedback-lost') {
      const kind = this.over ? WATCHED.under : WATCHED.over;
      this.add(kind, 0, mode.watched(kind, 0), this.volts);
    }
    if (law.lockout) {
      const kind = this.locked ? WATCHED.recovers : WATCHED.sags;
      this.add(kind, 0, mode.watched(kind, 0), this.volts);
    }
    if (setup.segments[this.segment]!.current > 0) {
      if (this.band > 0) this.add(WATCHED.starves, 0, mode.watched(WATCHED.starves, 0), this.volts);
      if (this.band + 1 < setup.bands.length) this.add(WATCHED.feeds, 0, mode.watched(WATCHED.feeds, 0), this.volts);
    }
    if (!law.clocked && this.pulseMayCome(mode)) this.add(WATCHED.pulse, 0, mode.watched(WATCHED.pulse, 0), 0);
    if (this.follows && !this.over && this.restUntil === NONE)
      for (let k = 1; k < this.phases.length; k += 1)
        if (this.phases[k]!.owes && mode.codes[k] === CELL_CODES.idle && time >= this.dueAfterFirst(k))
          this.add(WATCHED.pulse, k, mode.watched(WATCHED.pulse, k), 0);
  }

  private pulseMayCome(mode: Mode): boolean {
    const { law, phases } = this.setup;
    if (this.over || this.restUntil !== NONE) return false;
    if (!this.follows && this.time < this.lastEnd + law.minimumOffTime) return false;
    if (phases === 1 && this.broken === 'phase-lost') return false;
    if (this.phases[this.turn]!.gate === 'on') return false;
    // the last pulse has to have ended, unless pulses in turn could not carry the output without overlapping
    if (phases > 1 && !law.critical && !this.overlaps && this.phases.some(drives)) return false;
    if (law.critical && mode.codes[0] !== CELL_CODES.idle)
      return law.valley > 0 && this.phases[0]!.gate === 'rectifier';
    return (phases > 1 && !law.critical) || this.phases[0]!.gate !== 'on';
  }

  private get overlaps(): boolean {
    const { law, period, phases } = this.setup;
    return law.onTime + law.minimumOffTime > period / phases;
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
        this.end(k, true);
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
        this.withinLimits();
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
        if (k > 0) this.startsPulse(k);
        else this.pulseDue();
        break;
    }
    this.close(open);
  }

  private pulseDue(): void {
    const { law, phases, deadTime } = this.setup;
    const k = this.turn;
    this.turn = law.critical ? 0 : (k + 1) % phases;
    // a current below zero turns the node over while nothing conducts; where no pulse is wanted it comes to rest
    if (law.critical && law.valley > 0 && this.mode().codes[k] !== CELL_CODES.idle) {
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
    const { law } = this.setup;
    const phase = this.phases[k]!;
    if (law.hiccup && phase.limitedInRow >= law.hiccup.pulses) return this.hiccup();
    if (phase.limited) phase.limitedInRow += 1;
    else phase.limitedInRow = 0;
    this.pulse(k);
  }

  /** How the time of what a watch saw follows the state; at once, it is whatever let it happen. */
  private timingOf({ quantity, kind, phase, slope, c1, c2 }: Active): Timing {
    const { after } = this.stretcher;
    if (after === 0) return this.timing;
    const ramp = kind === WATCHED.compare ? c1 + 2 * c2 * after : 0;
    const rate = along(quantity.slope, this.state) + ramp;
    const { law, period } = this.setup;
    const byInput = kind === WATCHED.compare && law.method === 'voltage-mode-feedforward';
    return {
      kind: 'watch',
      row: quantity.row,
      rate: rate > 0 ? rate : slope,
      // only a ramp has begun with a phase's pulse
      timer: ramp === 0 ? 0 : this.timers.since(phase),
      rampRate: ramp,
      source: byInput ? (law.rampGain / period) * (this.time - this.phases[phase]!.since) : 0,
    };
  }
}
