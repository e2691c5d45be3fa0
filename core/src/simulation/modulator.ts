import type { CellName, Circuit } from '../network/circuit.ts';
import type { Region, SwitchNode } from '../topology/index.ts';
import type { Amplifier } from './amplifier.ts';
import type { InjectionParts } from './injection.ts';

/** Part of the least pulse below which what asks for one gets none: higher, and a release is over sooner; lower, and a pulse is hardly ever followed by another at once. Our own. */
export const SKIPPED_BELOW = 0.7;

export interface LeastPulse {
  lasts: number;
  asks: number;
  rises: number;
}

/** How the control switches are told. V, s, A; names as in the design file. */
export interface ControlLaw {
  method:
    | 'open-loop'
    | 'voltage-mode'
    | 'voltage-mode-feedforward'
    | 'peak-current-mode'
    | 'average-current-mode'
    | 'constant-on-time'
    | 'digital'
    | 'hysteretic'
    | 'gated-oscillator';
  /** whether a clock starts the pulses; else what they wait for does */
  clocked: boolean;
  /** a pulse starts as the current comes to rest, or has fallen to so many amperes below zero */
  critical: boolean;
  valley: number;
  /** V at the tap */
  hysteresis: number;
  /** open loop and gated oscillator: part of the period */
  duty: number;
  /** open loop: 1/s by which it rises from time zero on */
  dutySlope: number;
  reference: number;
  rampAmplitude: number;
  rampGain: number;
  currentSenseGain: number;
  slopeCompensation: number;
  /** peak current mode: s, of the filter between the sensed current and its comparator; 0 where there is none */
  senseFilter: number;
  minimumOnTime: number;
  minimumOffTime: number;
  maximumDuty: number;
  onTime: number;
  /** parts of a period added to each phase's pulse */
  dutyOffsets: readonly number[];
  /** peak current: a pulse is left out while the control voltage asks for none, always or in a soft start */
  skips: boolean | 'at-start';
  /** V at the comparator at which none is asked for: its ramp's valley, or above it where a policy for light load puts it */
  floor: number;
  /**
   * The pulse that the policy for light load gives at least, at an input and output (V): s that it lasts unless a limit ends
   * it, V at the comparator that would ask for so much, and A that the current rises by. What asks for less than
   * {@link SKIPPED_BELOW} of it is left out, and the amplifier's output ends there. A current that still flows is beyond the
   * policy: its pulses are as short as they are asked for.
   */
  leastPulse: ((input: number, output: number) => LeastPulse) | undefined;
  /** s after a pulse, at which the rectifier lets negative current pass so that the next comes: beyond what is heard */
  longestWait: number;
  digital: DigitalLaw | undefined;
  currentLimit: number;
  /** A of a phase's inductor above which its control switch does not turn on */
  valleyCurrentLimit: number;
  hiccup: { pulses: number; offTime: number } | undefined;
  softStart: number;
  startIntoBias: boolean;
  /** V */
  overVoltage: number;
  /** V of the input node between which nothing switches until it has risen above both */
  lockout: { rising: number; falling: number } | undefined;
}

export interface DigitalLaw {
  numerator: readonly number[];
  denominator: readonly number[];
  sampleDelay: number;
  dutyResolution?: number | undefined;
  converterStep?: number | undefined;
}

/** From a voltage (V) on, up to the next band's: conductance and current in parts of what the segment says it draws, 1/V and 1. */
export interface Band {
  from: number;
  conductance: number;
  current: number;
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

/** One way of running the stage: its switch states, and which of a four-switch stage's legs switch. */
export interface Roles {
  region?: Region | undefined;
  circuit: (conductance: number) => Circuit;
  node: SwitchNode;
  /** where both legs switch: parts of the period, and which of the two the controller moves */
  transition?: { duty: number; boostDuty: number; open: 'duty' | 'boostDuty' } | undefined;
}

/** How a four-switch stage's legs change their roles as input and output move. */
export interface RoleChange {
  /** @param volts at the input; @param part of the output that is asked for; the present roles where nothing decides against them */
  next: (now: Roles, volts: number, part: number) => Roles;
  /** V (a duty of a digital controller) by which what ends a pulse is expected to stand lower in the next roles than in the present ones */
  fall: (now: Roles, next: Roles, volts: number, part: number) => number;
}

export interface Setup {
  /** as it is run at first */
  roles: Roles;
  /** where the legs of a four-switch stage may change their roles while it runs */
  roleChange?: RoleChange | undefined;
  phases: number;
  /** s */
  period: number;
  /** V */
  target: number;
  modulator: ControlLaw;
  amplifier: Amplifier | undefined;
  /** the same without the divider's lower resistor */
  undivided?: Amplifier | undefined;
  /** average current mode: each phase's, between its sensed current and the ramp */
  currentAmplifier?: Amplifier | undefined;
  injection: InjectionParts | undefined;
  /** constant on-time without injection: the divider's tap over the output */
  tapRatio: number;
  deadTime: number;
  /** whether the rectifier is a diode, and whether a switch blocks negative current */
  diode: boolean;
  emulates: boolean;
  segments: readonly Segment[];
  /** what a load that draws a current draws over its voltage, in straight pieces; one piece without end where it draws it at any */
  bands: readonly Band[];
  /** the control voltage is held where the reference stands, and no amplifier moves it */
  held?: boolean | undefined;
  /** whether a four-switch stage's legs follow what the output really is, as it sags */
  sags?: boolean | undefined;
  /** what breaks once a run says so */
  fault?: Fault | undefined;
  /** a sine added to what the controller senses at the output: Hz and V */
  sine?: { frequency: number; amplitude: number } | undefined;
}

/**
 * Phase 1 gives no more pulses; its control switch conducts for ever; what is sensed is gone and the divider's tap at
 * return; the divider's lower resistor is open and its tap at the output.
 */
export type Fault = 'phase-lost' | 'switch-shorted' | 'feedback-lost' | 'divider-open';

/** Index of the band that a voltage lies in. */
export function bandAt(bands: readonly Band[], volts: number): number {
  let at = bands.length - 1;
  while (at > 0 && volts < bands[at]!.from) at -= 1;
  return at;
}

/** Why a run or a response cannot be had. */
export class SimulationError extends Error {
  /** of the file or of the call, what it is about: "brief.loadStep"; undefined where it is the circuit itself */
  readonly path: string | undefined;
  /** what is wrong there, and what was expected */
  readonly words: string;
  constructor(words: string, path?: string) {
    super(path === undefined ? words : `${path}: ${words}`);
    this.words = words;
    this.path = path;
  }
}

/** A corner that has no loop, by design and not by a fault of it. */
export class NoLoop extends SimulationError {}

/** A digital controller's memory: past duties, past errors (the newest first of each) and the latest sample. */
export class DigitalMemory {
  /** places of the past duties, and of the errors after them; the sample stands last */
  readonly past: number;
  readonly errors: number;
  private readonly modulator: DigitalLaw;
  private readonly target: number;
  private readonly maximumDuty: number;

  constructor(modulator: DigitalLaw, target: number, maximumDuty: number) {
    this.modulator = modulator;
    this.target = target;
    this.maximumDuty = maximumDuty;
    this.past = modulator.denominator.length - 1;
    this.errors = modulator.numerator.length;
  }

  get size(): number {
    return this.past + this.errors + 1;
  }

  /**
   * The duty of the period that begins, by the difference equation; the memory moves on by one.
   * @param part of the output that is asked for: below one while a soft start goes on
   */
  next(memory: number[], part: number): { duty: number; clamped: boolean } {
    const { past, errors, modulator } = this;
    const { converterStep, dutyResolution } = modulator;
    let error = part * this.target - memory[past + errors]!;
    if (converterStep) error = Math.round(error / converterStep) * converterStep;
    const asked = this.shift(memory, error);
    const duty = Math.min(this.maximumDuty, Math.max(0, asked));
    if (past > 0) memory[0] = duty;
    return {
      duty: dutyResolution ? Math.floor(duty * dutyResolution + 1e-9) / dutyResolution : duty,
      clamped: duty !== asked,
    };
  }

  /** The same of a small change of the memory, as long as nothing is clamped or rounded; clamped, the duty does not follow. */
  nextChange(memory: number[], clamped: boolean): number {
    const { past, errors } = this;
    const asked = this.shift(memory, -memory[past + errors]!);
    const duty = clamped ? 0 : asked;
    if (past > 0) memory[0] = duty;
    return duty;
  }

  private shift(memory: number[], error: number): number {
    const { past, errors, modulator } = this;
    for (let k = errors - 1; k > 0; k -= 1) memory[past + k] = memory[past + k - 1]!;
    memory[past] = error;
    let asked = 0;
    for (let k = 0; k < errors; k += 1) asked += modulator.numerator[k]! * memory[past + k]!;
    for (let k = 0; k < past; k += 1) asked -= modulator.denominator[k + 1]! * memory[k]!;
    for (let k = past - 1; k > 0; k -= 1) memory[k] = memory[k - 1]!;
    return asked;
  }
}

/** A switch state's number, for keys. */
export const CELL_CODES: Readonly<Record<CellName, number>> = {
  control: 0,
  rectifier: 1,
  deadForward: 2,
  deadReverse: 3,
  idle: 4,
  through: 5,
  deadThrough: 6,
  deadBoth: 7,
};
export const CELL_OF = Object.keys(CELL_CODES) as CellName[];
