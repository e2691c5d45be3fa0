import type { CellName, Circuit } from '../network/circuit.ts';
import type { Network } from '../network/network.ts';
import { applyStep } from '../network/periodic.ts';
import { balanced, dot, scaledNorm, zeros, type Vector } from '../numbers/linear.ts';
import type { SwitchNode } from '../topology/index.ts';
import { type Amplifier, type AmplifierMode, type ModeEvent } from './amplifier.ts';
import { Injection, type InjectionParts } from './injection.ts';
import { Plant, type PlantConfiguration } from './plant.ts';
import { Stretcher, type Motion, type Watch } from './stretch.ts';

/** How the control switches are told. V, s, A; names as in the design file. */
export interface ControlLaw {
  method:
    'open-loop' | 'voltage-mode' | 'voltage-mode-feedforward' | 'peak-current-mode' | 'constant-on-time' | 'digital';
  /** open loop: part of the period */
  duty: number;
  reference: number;
  rampAmplitude: number;
  rampGain: number;
  currentSenseGain: number;
  slopeCompensation: number;
  minimumOnTime: number;
  minimumOffTime: number;
  maximumDuty: number;
  onTime: number;
  digital: DigitalLaw | undefined;
  currentLimit: number;
  hiccup: { pulses: number; offTime: number } | undefined;
  softStart: number;
  startIntoBias: boolean;
  /** V */
  overVoltage: number;
}

export interface DigitalLaw {
  numerator: readonly number[];
  denominator: readonly number[];
  sampleDelay: number;
  dutyResolution?: number | undefined;
  converterStep?: number | undefined;
}

/** From a moment on: the load's conductance (S) and what it draws beside (A, A/s, and per volt of the output then), V and V/s of the source. */
export interface Segment {
  at: number;
  conductance: number;
  current: number;
  currentSlope: number;
  /** S and S/s, times the load's voltage at the segment's start */
  perVolt?: number;
  perVoltSlope?: number;
  source: number;
  sourceSlope: number;
}

export interface Setup {
  circuit: (conductance: number) => Circuit;
  node: SwitchNode;
  phases: number;
  /** s */
  period: number;
  /** V */
  target: number;
  law: ControlLaw;
  amplifier: Amplifier | undefined;
  injection: InjectionParts | undefined;
  /** constant on-time without injection: the divider's tap over the output */
  tapRatio: number;
  deadTime: number;
  /** whether the rectifier is a diode, and whether a switch blocks negative current */
  diode: boolean;
  emulates: boolean;
  segments: readonly Segment[];
}

type Gate = 'on' | 'dead' | 'rectifier' | 'off';
type Path = 'forward' | 'reverse' | 'idle';

interface Phase {
  gate: Gate;
  path: Path;
  /** s: when its present pulse began, and its next clock */
  since: number;
  clock: number;
  /** s: end of a dead time, and the moment before the next clock at which its rectifier is let go */
  deadUntil: number;
  duty: number;
  limited: boolean;
  limitedInRow: number;
  pulses: number;
}

/** Everything of the stage while its switches and its amplifier stand in one way. */
export interface Mode {
  motion: Motion;
  configuration: PlantConfiguration;
  /** rows over all states */
  load: Vector;
  control: Vector;
  feedback: Vector;
  input: Vector;
  switchNodes: Vector[];
  amplifierEvents: ModeEvent[];
  rests: { forward: Vector; reverse: Vector }[];
  slopes: [number, number, number];
}

/** A piece of the way: when it began and how long it lasted; `terms` of the series hold it, or none and its ends alone are known. */
export interface Piece {
  from: number;
  length: number;
  series: readonly Vector[];
  terms: number;
  /** of a stiff piece, the state's integral over it */
  integral?: Vector | undefined;
  start: Vector;
  end: Vector;
  mode: Mode;
}

/** Told every piece of the way. */
export interface Recorder {
  piece: (piece: Piece) => void;
}

export class SimulationError extends Error {}

const NONE = -1;
/** Events without any time between them, beyond which the controller chatters. */
const MOST_AT_ONCE = 200;
const EDGE = 1e-11;

/** What a run can be taken up again from. */
export interface Snapshot {
  state: Vector;
  time: number;
  phases: Phase[];
  amplifierMode: AmplifierMode;
  memory: Vector;
  turn: number;
  segment: number;
  lastEnd: number;
  over: boolean;
  restUntil: number;
  rampFrom: number;
}

/** One stage with its controller, followed event by event. */
export class Simulator {
  readonly setup: Setup;
  readonly size: number;
  readonly states: number;
  state: Vector;
  time = 0;
  /** pulses of all control switches */
  pulses = 0;
  /** whether load and source move as their segments say; else they stay as they stand */
  moves = true;
  private phases: Phase[];
  private amplifierMode: AmplifierMode = 'linear';
  /** past duties, past errors and the latest sample of a digital controller */
  memory: Vector = [];
  private turn = 0;
  private segment = 0;
  private lastEnd = -Infinity;
  private over = false;
  private restUntil = NONE;
  /** when the reference began to rise; NONE where it stands */
  private rampFrom = NONE;
  private readonly plants = new Map<number, Plant>();
  private readonly modes = new Map<string, Mode>();
  private readonly stretcher: Stretcher;
  private readonly injection: Injection | undefined;
  private readonly amperes: number;
  private readonly volts: number;
  private slopes: [number, number, number] = [0, 0, 0];

  constructor(setup: Setup) {
    this.setup = setup;
    const plant = this.plant(setup.segments[0]!.conductance);
    this.states = plant.states;
    this.injection = setup.injection && new Injection(setup.injection);
    this.size = plant.states + 3 + (setup.amplifier?.states ?? 0) + (this.injection ? 2 : 0) + 1;
    this.state = zeros(this.size);
    this.state[this.size - 1] = 1;
    this.stretcher = new Stretcher(this.size);
    const { inductance, inputVoltage } = plant.network.circuit;
    this.amperes = (EDGE * inputVoltage * setup.period) / inductance;
    this.volts = EDGE * inputVoltage;
    this.phases = Array.from({ length: setup.phases }, (_, k): Phase => ({
      gate: 'rectifier',
      path: 'idle',
      since: 0,
      clock: (k * setup.period) / setup.phases,
      deadUntil: NONE,
      duty: 0,
      limited: false,
      limitedInRow: 0,
      pulses: 0,
    }));
    const { digital } = setup.law;
    if (digital) this.memory = zeros(digital.denominator.length + digital.numerator.length + 1);
    this.enterSegment();
  }

  get network(): Network {
    return this.plant(this.setup.segments[this.segment]!.conductance).network;
  }

  /** index of the drives and of the amplifier's first state */
  get source(): number {
    return this.states;
  }
  get reference(): number {
    return this.states + 2;
  }
  get firstOwn(): number {
    return this.states + 3;
  }

  snapshot(): Snapshot {
    return {
      state: this.state.slice(),
      time: this.time,
      phases: this.phases.map((phase) => ({ ...phase })),
      amplifierMode: this.amplifierMode,
      memory: this.memory.slice(),
      turn: this.turn,
      segment: this.segment,
      lastEnd: this.lastEnd,
      over: this.over,
      restUntil: this.restUntil,
      rampFrom: this.rampFrom,
    };
  }

  restore(from: Snapshot): void {
    this.state = from.state.slice();
    this.time = from.time;
    this.phases = from.phases.map((phase) => ({ ...phase }));
    this.amplifierMode = from.amplifierMode;
    this.memory = from.memory.slice();
    this.turn = from.turn;
    this.segment = from.segment;
    this.lastEnd = from.lastEnd;
    this.over = from.over;
    this.restUntil = from.restUntil;
    this.rampFrom = from.rampFrom;
    this.takeSlopes();
  }

  /** Puts every clock so much earlier: a run begins at its own zero. */
  rebase(by: number): void {
    this.time -= by;
    this.lastEnd -= by;
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
    if (fromRest) {
      this.settlePaths();
      return;
    }
    this.phases.forEach((phase, k) => {
      const on = cells[k] === 'control' && k > 0;
      phase.gate = on ? 'on' : 'rectifier';
      phase.path = this.pathOf(k);
      phase.since = (k * period) / phases - (k === 0 ? 0 : period);
      if (on && this.setup.law.method === 'open-loop') phase.duty = this.setup.law.duty;
    });
    if (this.setup.law.method === 'constant-on-time') this.beginPulses(cells);
  }

  /** Constant on-time begins with phase 1's pulse. */
  private beginPulses(cells: readonly CellName[]): void {
    const { law, phases, period } = this.setup;
    this.turn = 0;
    this.lastEnd = law.onTime - period / phases;
    this.phases.forEach((phase, k) => {
      if (k === 0 || cells[k] !== 'control') return;
      phase.since = (k * period) / phases - period;
    });
    this.pulse(0);
  }

  private pathOf(k: number): Path {
    const current = this.state[k]!;
    return current > this.amperes ? 'forward' : current < -this.amperes ? 'reverse' : 'idle';
  }

  private plant(conductance: number): Plant {
    let plant = this.plants.get(conductance);
    if (!plant) {
      plant = new Plant(this.setup.circuit(conductance), this.setup.node);
      this.plants.set(conductance, plant);
    }
    return plant;
  }

  private takeSlopes(): void {
    const { law } = this.setup;
    const segment = this.setup.segments[this.segment]!;
    const current = segment.currentSlope + (segment.perVoltSlope ?? 0) * this.segmentVolts;
    this.slopes = [
      segment.sourceSlope,
      current,
      this.rampFrom !== NONE && law.softStart > 0 ? law.reference / law.softStart : 0,
    ];
  }
  private segmentVolts = 0;

  private enterSegment(): void {
    const segment = this.setup.segments[this.segment]!;
    const before = this.state[this.states + 1]!;
    if (segment.perVolt !== undefined) this.segmentVolts = dot(this.size, this.mode().load, this.state);
    this.state[this.source] = segment.source;
    this.state[this.states + 1] = segment.current + (segment.perVolt ?? 0) * this.segmentVolts;
    const step = this.state[this.states + 1]! - before;
    // what a load draws at once is taken by the branches with series inductance as a chopped current is
    if (this.segment > 0 && step !== 0 && segment.perVolt === undefined)
      for (const { state, share } of this.plant(segment.conductance).network.stepShares)
        this.state[state]! -= share * step;
    this.takeSlopes();
  }

  setReference(volts: number): void {
    this.state[this.reference] = volts;
  }

  /** The reference rises from zero, from now on. */
  startSoftly(): void {
    const { law } = this.setup;
    this.state[this.reference] = law.softStart > 0 ? 0 : law.reference;
    this.rampFrom = law.softStart > 0 ? this.time : NONE;
    this.takeSlopes();
  }

  setAmplifier(states: readonly number[]): void {
    states.forEach((value, k) => (this.state[this.firstOwn + k] = value));
  }

  /** Whether a rectifier blocks negative current now. */
  private get blocks(): boolean {
    const { diode, emulates, law } = this.setup;
    return diode || emulates || (this.rampFrom !== NONE && law.startIntoBias);
  }

  private forwardCell(phase: Phase): CellName {
    return this.setup.diode || phase.gate === 'rectifier' ? 'rectifier' : 'deadForward';
  }

  private cells(): CellName[] {
    const { diode } = this.setup;
    return this.phases.map((phase): CellName => {
      if (phase.gate === 'on') return 'control';
      if (phase.gate === 'rectifier' && !diode && !this.blocks) return 'rectifier';
      return phase.path === 'forward' ? this.forwardCell(phase) : phase.path === 'reverse' ? 'deadReverse' : 'idle';
    });
  }

  mode(): Mode {
    const { conductance } = this.setup.segments[this.segment]!;
    const cells = this.cells();
    const key = `${cells.join()}|${this.amplifierMode}|${conductance}`;
    let mode = this.modes.get(key);
    if (!mode) {
      // a ramp of the load passes through many conductances, each once
      if (this.modes.size > 2000) this.modes.clear();
      mode = this.assemble(cells, conductance);
      this.modes.set(key, mode);
    }
    const { slopes } = this;
    if (mode.slopes[0] !== slopes[0] || mode.slopes[1] !== slopes[1] || mode.slopes[2] !== slopes[2]) {
      for (let drive = 0; drive < 3; drive += 1)
        mode.motion.matrix[(this.states + drive) * this.size + this.size - 1] = slopes[drive]!;
      mode.slopes = [...slopes];
      delete mode.motion.maps;
    }
    return mode;
  }

  private assemble(cells: readonly CellName[], conductance: number): Mode {
    const { size, states: s, setup } = this;
    const plant = this.plant(conductance);
    const configuration = plant.configuration(cells);
    const lift = (row: Vector): Vector => {
      const lifted = zeros(size);
      for (let k = 0; k < s + 2; k += 1) lifted[k] = row[k]!;
      lifted[size - 1] = row[s + 2]!;
      return lifted;
    };
    const matrix = zeros(size * size);
    const put = (at: number, row: Vector): void => {
      for (let k = 0; k < size; k += 1) matrix[at * size + k] = row[k]!;
    };
    configuration.matrix.forEach((row, i) => put(i, lift(row)));
    const load = lift(configuration.loadVoltage);
    const switchNodes = configuration.switchNodes.map(lift);
    let control = zeros(size);
    let amplifierEvents: ModeEvent[] = [];
    const { amplifier } = setup;
    if (amplifier) {
      const part = amplifier.assemble(this.amplifierMode, {
        size,
        first: this.firstOwn,
        reference: this.reference,
        sensed: load,
      });
      part.slopes.forEach((row, k) => put(this.firstOwn + k, row));
      ({ control } = part);
      amplifierEvents = part.events;
    }
    let feedback = load.map((value) => value * setup.tapRatio);
    if (this.injection) {
      const first = this.firstOwn + (amplifier?.states ?? 0);
      const part = this.injection.assemble({ size, first, sensed: load, node: switchNodes[0]! });
      part.slopes.forEach((row, k) => put(first + k, row));
      feedback = part.tap;
    }
    const rests = cells.map((name, k) => {
      if (name !== 'idle') return { forward: load, reverse: load };
      const forward = plant.appliedRow(this.forwardCell(this.phases[k]!), configuration);
      const reverse = plant.appliedRow('deadReverse', configuration);
      const induced = configuration.induced[k]!;
      for (let i = 0; i < forward.length; i += 1) {
        forward[i]! -= induced[i]!;
        reverse[i] = induced[i]! - reverse[i]!;
      }
      // each is above zero where the diode turns on
      return { forward: lift(forward), reverse: lift(reverse) };
    });
    const dynamic = matrix.slice();
    for (const drive of [s, s + 1, s + 2, size - 1]) for (let i = 0; i < size; i += 1) dynamic[i * size + drive] = 0;
    const impedance = Math.max(...plant.network.scale);
    const scale = Array.from({ length: size }, (_, k) => (k < s ? plant.network.scale[k]! : impedance));
    return {
      motion: { size, matrix, norm: scaledNorm(size, dynamic, balanced(size, dynamic, scale)) },
      configuration,
      load,
      control,
      feedback,
      input: lift(configuration.inputCurrent),
      switchNodes,
      amplifierEvents,
      rests,
      slopes: [0, 0, 0],
    };
  }

  /** Takes what a change of the switches does at once: a chopped current's step divides among inductive branches. */
  private rewire(change: () => void): void {
    const before = this.cells();
    change();
    this.settlePaths();
    const { network } = this.plant(this.setup.segments[this.segment]!.conductance);
    const after = this.cells();
    const step = after.map((name, k) => network.cell(name).toOutput - network.cell(before[k]!).toOutput);
    if (network.stepShares.length > 0 && step.some((value) => value !== 0)) applyStep(network, step, this.state);
    after.forEach((name, k) => {
      if (network.cell(name).blocked) this.state[k] = 0;
    });
  }

  /** The diodes of phases whose switches leave them to decide, by currents and, without current, by voltages. */
  private settlePaths(): void {
    this.phases.forEach((phase, k) => {
      if (phase.gate !== 'on') phase.path = this.pathOf(k);
    });
    for (let round = 0; round <= 2 * this.phases.length; round += 1) {
      const cells = this.cells();
      const mode = this.mode();
      const turning = this.phases.findIndex((phase, k) => {
        if (cells[k] !== 'idle') return false;
        const { forward, reverse } = mode.rests[k]!;
        if (dot(this.size, forward, this.state) > this.volts) phase.path = 'forward';
        else if (dot(this.size, reverse, this.state) > this.volts) phase.path = 'reverse';
        return phase.path !== 'idle';
      });
      if (turning < 0) break;
    }
  }

  private pulse(k: number): void {
    const phase = this.phases[k]!;
    if (this.over || this.restUntil !== NONE) return;
    this.rewire(() => {
      phase.gate = 'on';
      phase.since = this.time;
      phase.limited = false;
    });
    phase.pulses += 1;
    this.pulses += 1;
  }

  private end(k: number): void {
    const phase = this.phases[k]!;
    if (phase.gate !== 'on') return;
    this.lastEnd = this.time;
    const dead = this.setup.diode ? 0 : this.setup.deadTime;
    this.rewire(() => {
      phase.gate = this.restUntil !== NONE ? 'off' : dead > 0 ? 'dead' : 'rectifier';
      phase.deadUntil = dead > 0 ? this.time + dead : NONE;
    });
  }

  /** s at which a phase's pulse ends whatever its comparator says. */
  private latest(phase: Phase): number {
    const { law, period } = this.setup;
    switch (law.method) {
      case 'open-loop':
      case 'digital':
        return phase.since + phase.duty * period;
      case 'constant-on-time':
        return phase.since + law.onTime;
      default:
        return (
          phase.since + Math.max(law.minimumOnTime, Math.min(law.maximumDuty * period, period - law.minimumOffTime))
        );
    }
  }

  /** Duty of the period that begins, from a digital controller's difference equation. */
  private nextDuty(): number {
    const { law, target } = this.setup;
    const { numerator, denominator, dutyResolution, converterStep } = law.digital!;
    const { memory } = this;
    const [past, errors] = [denominator.length - 1, numerator.length];
    // memory: past duties, the newest first; errors, the newest first; the sample
    const sample = memory[memory.length - 1]!;
    let error = target - sample;
    if (converterStep) error = Math.round(error / converterStep) * converterStep;
    for (let k = errors - 1; k > 0; k -= 1) memory[past + k] = memory[past + k - 1]!;
    memory[past] = error;
    let duty = 0;
    for (let k = 0; k < errors; k += 1) duty += numerator[k]! * memory[past + k]!;
    for (let k = 0; k < past; k += 1) duty -= denominator[k + 1]! * memory[k]!;
    duty = Math.min(law.maximumDuty, Math.max(0, duty));
    for (let k = past - 1; k > 0; k -= 1) memory[k] = memory[k - 1]!;
    if (past > 0) memory[0] = duty;
    return dutyResolution ? Math.floor(duty * dutyResolution + 1e-9) / dutyResolution : duty;
  }

  private takeSample(): void {
    this.memory[this.memory.length - 1] = dot(this.size, this.mode().load, this.state);
  }

  private clock(k: number): void {
    const { law, period } = this.setup;
    const phase = this.phases[k]!;
    phase.clock += period;
    if (phase.gate === 'on') {
      if (phase.limited) phase.limitedInRow += 1;
      // its pulse has not ended: at full duty it goes on as a new one
      phase.since = this.time;
    }
    if (phase.limited) {
      if (phase.gate !== 'on') phase.limitedInRow += 1;
    } else phase.limitedInRow = 0;
    phase.limited = false;
    if (law.hiccup && phase.limitedInRow >= law.hiccup.pulses && this.restUntil === NONE) return this.hiccup();
    const { digital } = law;
    if (digital && k === 0) {
      if (digital.sampleDelay === 0) this.takeSample();
      const duty = this.nextDuty();
      for (const other of this.phases) other.duty = duty;
    }
    if (law.method === 'open-loop') phase.duty = law.duty;
    this.decide(k);
    if (digital?.sampleDelay === 1 && k === 0) this.takeSample();
  }

  private decide(k: number): void {
    const { law } = this.setup;
    const phase = this.phases[k]!;
    let wanted = true;
    if (law.method === 'voltage-mode' || law.method === 'voltage-mode-feedforward')
      wanted = dot(this.size, this.mode().control, this.state) > 0;
    if (law.method === 'open-loop' || law.method === 'digital') wanted = phase.duty > 0;
    if (wanted && !this.over && this.restUntil === NONE) {
      if (phase.gate === 'on') {
        phase.pulses += 1;
        this.pulses += 1;
      } else this.pulse(k);
    } else if (phase.gate === 'on') this.end(k);
    else if (phase.gate === 'dead' && phase.deadUntil === NONE)
      this.rewire(() => {
        phase.gate = 'rectifier';
      });
  }

  private hiccup(): void {
    const { law } = this.setup;
    this.restUntil = this.time + law.hiccup!.offTime;
    this.rewire(() => {
      for (const phase of this.phases) {
        phase.gate = 'off';
        phase.deadUntil = NONE;
        phase.limitedInRow = 0;
      }
    });
  }

  /**
   * Follows the stage to a time, or to a new pulse of phase 1.
   * @throws SimulationError where the controller chatters or the arithmetic finds no number
   */
  run(until: number, recorder?: Recorder, stopAtPulse = false): void {
    const { size, setup } = this;
    const { law } = setup;
    const pulsesBefore = this.phases[0]!.pulses;
    let atOnce = 0;
    const start = zeros(size);
    while (this.time < until) {
      if (stopAtPulse && this.phases[0]!.pulses > pulsesBefore) return;
      const next = Math.min(until, this.due());
      const length = Math.max(0, next - this.time);
      const mode = this.mode();
      const { watches, actions } = this.watch(mode);
      const from = this.time;
      for (let i = 0; i < size; i += 1) start[i] = this.state[i]!;
      const { which, after } =
        length > 0
          ? this.stretcher.follow(mode.motion, this.state, length, watches, (begin, piece, terms, end, integral) => {
              if (recorder && piece > 0)
                recorder.piece({
                  from: from + begin,
                  length: piece,
                  series: this.stretcher.series,
                  terms,
                  integral,
                  start,
                  end,
                  mode,
                });
              if (recorder) for (let i = 0; i < size; i += 1) start[i] = end[i]!;
            })
          : { which: -1, after: 0 };
      this.time = which < 0 ? next : from + after;
      if (!this.state.every((value) => Number.isFinite(value)))
        throw new SimulationError(`The stage’s voltages leave every bound after ${this.time} s.`);
      atOnce = after > 0 && this.time > from ? 0 : atOnce + 1;
      if (atOnce > MOST_AT_ONCE)
        throw new SimulationError(`The controller chatters at ${this.time} s: switchings without time between them.`);
      if (which >= 0) actions[which]!();
      // what falls on the end itself belongs to whoever goes on from there
      else if (this.time < until) this.scheduled(law);
    }
  }

  /** s, the next moment at which something happens by the clock. */
  private due(): number {
    const { law, segments, deadTime, diode, period } = this.setup;
    let next = Infinity;
    const take = (at: number): void => {
      if (at < next) next = at;
    };
    for (const phase of this.phases) {
      if (law.method !== 'constant-on-time') take(phase.clock);
      if (phase.gate === 'on') {
        take(this.latest(phase));
        const unblind = phase.since + law.minimumOnTime;
        if (unblind > this.time) take(unblind);
      }
      if (phase.gate === 'dead' && phase.deadUntil !== NONE) take(phase.deadUntil);
      if (
        phase.gate === 'rectifier' &&
        deadTime > 0 &&
        !diode &&
        law.method !== 'constant-on-time' &&
        this.restUntil === NONE
      ) {
        const letGo = phase.clock - deadTime;
        if (letGo > this.time) take(letGo);
      }
    }
    if (law.method === 'constant-on-time') {
      const free = this.lastEnd + law.minimumOffTime;
      if (free > this.time) take(free);
    }
    const segment = this.moves ? segments[this.segment + 1] : undefined;
    if (segment) take(segment.at);
    if (this.restUntil !== NONE) take(this.restUntil);
    if (this.rampFrom !== NONE) take(this.rampFrom + law.softStart);
    const delay = law.digital?.sampleDelay ?? 0;
    if (delay > 0 && delay < 1) {
      const sample = this.phases[0]!.clock - delay * period;
      if (sample > this.time) take(sample);
    }
    return Math.max(next, this.time);
  }

  private scheduled(law: ControlLaw): void {
    const { segments, deadTime, diode, period } = this.setup;
    const { time } = this;
    const due = (at: number): boolean => at !== NONE && at <= time;
    const following = this.moves ? segments[this.segment + 1] : undefined;
    if (following && due(following.at)) {
      this.segment += 1;
      this.enterSegment();
      this.settlePaths();
    }
    if (this.rampFrom !== NONE && due(this.rampFrom + law.softStart)) {
      this.rewire(() => {
        this.rampFrom = NONE;
        this.state[this.reference] = law.reference;
        this.takeSlopes();
      });
    }
    const delay = law.digital?.sampleDelay ?? 0;
    if (delay > 0 && delay < 1 && Math.abs(this.phases[0]!.clock - delay * period - time) <= 1e-12 * period)
      this.takeSample();
    if (due(this.restUntil)) {
      this.rewire(() => {
        this.restUntil = NONE;
        for (const phase of this.phases) phase.gate = 'rectifier';
      });
      this.startSoftly();
    }
    this.phases.forEach((phase, k) => {
      if (phase.gate === 'on' && due(this.latest(phase)) && !(law.method !== 'constant-on-time' && due(phase.clock)))
        this.end(k);
      if (phase.gate === 'dead' && due(phase.deadUntil))
        this.rewire(() => {
          // where the next dead time has begun already the rectifier has no turn
          const over = law.method !== 'constant-on-time' && time >= phase.clock - deadTime;
          phase.gate = over ? 'dead' : 'rectifier';
          phase.deadUntil = NONE;
        });
      if (
        phase.gate === 'rectifier' &&
        deadTime > 0 &&
        !diode &&
        law.method !== 'constant-on-time' &&
        this.restUntil === NONE &&
        Math.abs(phase.clock - deadTime - time) <= 1e-12 * period
      )
        this.rewire(() => {
          phase.gate = 'dead';
        });
      if (law.method !== 'constant-on-time' && due(phase.clock)) {
        if (phase.gate === 'on' && due(this.latest(phase)) && this.latest(phase) < phase.clock - 1e-12 * period)
          this.end(k);
        this.clock(k);
      }
    });
  }

  /** What may happen before the next clock, and what it does. */
  private watch(mode: Mode): { watches: Watch[]; actions: (() => void)[] } {
    const { setup, size } = this;
    const { law, period } = setup;
    const watches: Watch[] = [];
    const actions: (() => void)[] = [];
    const add = (row: Vector, action: () => void, tolerance: number, drift?: [number, number, number]): void => {
      watches.push(drift ? { row, tolerance, drift } : { row, tolerance });
      actions.push(action);
    };
    const only = (k: number, value: number, constant = 0): Vector => {
      const row = zeros(size);
      row[k] = value;
      row[size - 1] = constant;
      return row;
    };
    const negative = (row: Vector): Vector => row.map((value) => -value);
    const cells = mode.configuration.cells;
    this.phases.forEach((phase, k) => {
      if (phase.gate === 'on') {
        if (this.time < phase.since + law.minimumOnTime) return;
        const age = this.time - phase.since;
        const off = (): void => this.end(k);
        if (law.method === 'voltage-mode') {
          const rise = law.rampAmplitude / period;
          add(negative(mode.control), off, 0, [rise * age, rise, 0]);
        } else if (law.method === 'voltage-mode-feedforward') {
          const gain = law.rampGain / period;
          const volts = this.state[this.source]!;
          const slope = this.slopes[0];
          add(negative(mode.control), off, 0, [gain * volts * age, gain * (volts + slope * age), gain * slope]);
        } else if (law.method === 'peak-current-mode') {
          const row = negative(mode.control);
          row[k]! += law.currentSenseGain;
          add(row, off, 0, [law.slopeCompensation * age, law.slopeCompensation, 0]);
        }
        if (Number.isFinite(law.currentLimit))
          add(
            only(k, 1, -law.currentLimit),
            () => {
              phase.limited = true;
              this.end(k);
            },
            0,
          );
        return;
      }
      const name = cells[k]!;
      const stops = (): void =>
        this.rewire(() => {
          this.state[k] = 0;
        });
      if (name === 'idle') {
        const { forward, reverse } = mode.rests[k]!;
        const turn = (path: Path) => (): void => {
          phase.path = path;
        };
        add(forward, turn('forward'), this.volts);
        add(reverse, turn('reverse'), this.volts);
      } else if (name === 'deadReverse') add(only(k, 1), stops, this.amperes);
      else if (name === 'deadForward' || setup.diode || this.blocks) add(only(k, -1), stops, this.amperes);
    });
    for (const { row, to } of mode.amplifierEvents)
      add(
        row,
        () => {
          this.amplifierMode = to;
        },
        this.volts,
      );
    if (Number.isFinite(law.overVoltage)) {
      const row = this.over ? negative(mode.load) : mode.load.slice();
      row[size - 1]! += this.over ? law.overVoltage : -law.overVoltage;
      add(
        row,
        () => {
          this.over = !this.over;
          if (this.over) this.phases.forEach((_, k) => this.end(k));
        },
        this.volts,
      );
    }
    if (
      law.method === 'constant-on-time' &&
      !this.over &&
      this.restUntil === NONE &&
      this.phases.every(({ gate }) => gate !== 'on' || setup.phases > 1) &&
      this.phases[this.turn]!.gate !== 'on' &&
      this.time >= this.lastEnd + law.minimumOffTime
    ) {
      const row = negative(mode.feedback);
      row[this.reference]! += 1;
      add(
        row,
        () => {
          const k = this.turn;
          this.turn = (k + 1) % setup.phases;
          const phase = this.phases[k]!;
          if (law.hiccup && phase.limitedInRow >= law.hiccup.pulses) return this.hiccup();
          if (phase.limited) phase.limitedInRow += 1;
          else phase.limitedInRow = 0;
          this.pulse(k);
        },
        0,
      );
    }
    return { watches, actions };
  }
}
