import type { Brief, CapacitorBank } from '../../design/schema.ts';
import { controllerLoss } from '../../losses/controller.ts';
import { heatedBy, LOSSES, type Loss, type LossName } from '../../losses/mechanisms.ts';
import type { Device } from '../../network/circuit.ts';
import type { Corner } from '../../design/corner.ts';
import { dot, within, zeros, type Vector } from '../../numbers/linear.ts';
import type { Configuration, Network } from '../../network/network.ts';
import type { Interval } from '../../network/periodic.ts';
import { tracerFor, type Range, type Tracer } from '../../numbers/trace.ts';
import type { Region, TopologyModel } from '../../topology/index.ts';
import { MOST_WORK, stateOf } from './cornerState.ts';
import {
  devicesOf,
  effective,
  hotter,
  settle,
  warmedBy,
  type Heat,
  type HeatPlace,
  type Temperatures,
} from './heat.ts';
import { flowOf, stretchesOf, type BankRows } from './inputBank.ts';
import { dividerAt, furtherLosses } from './mechanisms.ts';
import { sharesOf, type CapacitorShare } from './shares.ts';
import type { CompleteDecisions } from '../../design/complete.ts';
import { branchOf, conditionsAt, rectifies, ULTRASONIC_FREQUENCY } from '../../topology/ofDesign.ts';
import type { ConductionMode, SteadyState } from './patterns.ts';
import { dutiesOf } from './steadyState.ts';

/** Currents of one switch, A, and the highest static voltage across it while it is off, V; of one that never turns off, its own drop. */
export interface SwitchStress {
  averageCurrent: number;
  rmsCurrent: number;
  peakCurrent: number;
  blockingVoltage: number;
}

/** Every mechanism that the given data allow, W. */
export interface Losses extends Partial<Record<LossName, number>> {
  total: number;
  controlSwitchConduction: number;
  rectifierConduction: number;
  windingConduction: number;
  outputCapacitorEsr: number;
  inputCapacitorEsr: number;
}

/** Everything about one corner of line and load in the steady state. Names and units are the result format's. */
export interface OperatingPoint {
  inputVoltage: number;
  outputCurrent: number;
  conductionMode: ConductionMode;
  switchingFrequency: number;
  duty: number;
  /** four-switch: the boost leg's duty and which legs switch */
  boostDuty?: number;
  region?: Region;
  rectifierDuty: number;
  onTime: number;
  offTime: number;
  outputVoltage: { average: number };
  inductorCurrent: { average: number; ripple: number; peak: number; valley: number; rms: number };
  controlSwitch: SwitchStress;
  rectifier: SwitchStress;
  boostLeg?: { controlSwitch: SwitchStress; rectifier: SwitchStress };
  inputCurrent: { average: number };
  inputCapacitor: { rmsCurrent: number; ripple: number; each: CapacitorShare[] };
  outputCapacitor: { rmsCurrent: number; ripple: number; each: CapacitorShare[] };
  /** the second LC section's bank, and the ripple left at the load */
  outputFilter?: {
    rmsCurrent: number;
    ripple: number;
    /** V, average before it, where the output is sensed there */
    sensed?: number;
  };
  losses: Losses;
  /** °C of one device, where its thermal resistance is given and its heat settles */
  temperatures?: Temperatures;
  outputPower: number;
  efficiency: number;
}

/** V peak to peak that the load sees: after the second section where there is one. */
export function loadRipple(point: OperatingPoint): number {
  return (point.outputFilter ?? point.outputCapacitor).ripple;
}

/** V, average of what the controller holds: the load's, or what stands before a second section that is outside its loop. */
export const heldVoltage = ({ outputVoltage, outputFilter }: OperatingPoint): number =>
  outputFilter?.sensed ?? outputVoltage.average;

/** An operating point with the periodic state it was measured on, for waveforms. */
export interface SolvedPoint {
  /** true where the corner took more work than one may */
  spent?: boolean;
  /** undefined where the arithmetic cannot resolve the values given */
  point: OperatingPoint | undefined;
  state: SteadyState | undefined;
}

/**
 * Solves one corner exactly: finds the duty that gives the brief's average output with every parasitic in the circuit,
 * and measures the periodic waveforms. Never throws; a corner out of reach is solved at the end of the duty's range.
 */
export function solveCorner(
  model: TopologyModel,
  brief: Brief,
  decisions: CompleteDecisions,
  corner: Corner,
): SolvedPoint {
  const solved = within(MOST_WORK, () => solveWithout(model, brief, decisions, corner));
  return solved === 'spent' ? { point: undefined, state: undefined, spent: true } : solved;
}

/** Corners solved of late, by everything that they depend on: what judges a design asks for the same ones again and again. */
const SOLVED = new Map<string, SolvedPoint>();
const MOST_SOLVED = 32;

/** The same as {@link solveCorner}, kept for whoever asks again. */
export function solvedCorner(
  model: TopologyModel,
  brief: Brief,
  decisions: CompleteDecisions,
  corner: Corner,
): SolvedPoint {
  const key = JSON.stringify([brief, decisions, corner.inputVoltage, corner.outputCurrent]);
  const known = SOLVED.get(key);
  const solved = known ?? solveCorner(model, brief, decisions, corner);
  if (solved.spent) return solved;
  SOLVED.delete(key);
  SOLVED.set(key, solved);
  if (SOLVED.size > MOST_SOLVED) SOLVED.delete(SOLVED.keys().next().value!);
  return solved;
}

function solveWithout(model: TopologyModel, brief: Brief, decisions: CompleteDecisions, corner: Corner): SolvedPoint {
  const drawn = corner.outputCurrent + (decisions.preload ?? 0);
  const passes = model.id === 'boost' && corner.inputVoltage > brief.outputVoltage;
  if (rectifies(decisions) && drawn === 0 && !passes)
    return { point: restingPoint(model, decisions, corner, brief), state: undefined };
  let last: { state: SteadyState; kept: Kept } | undefined;
  const { solved, temperatures } = settle(decisions, brief.ambientTemperature, (at, { whole, roughly }) => {
    const hot = effective(decisions, at);
    const state = stateOf(model, brief, hot, corner, last?.state, roughly);
    if (!state) return { point: undefined, state, heat: {}, whole: true };
    const pass = { brief, given: decisions, hot, temperatures: at, corner };
    if (!whole && last) {
      last = { state, kept: last.kept };
      return { point: undefined, state, heat: heatAlone(state, pass, last.kept), whole: false };
    }
    const measured = measure(state, pass);
    last = { state, kept: measured.kept };
    return { ...measured, state, whole: true };
  });
  const { state, point } = solved;
  if (!point || !isFinitePoint(point)) return { point: undefined, state: undefined };
  return { point: Object.keys(temperatures).length > 0 ? { ...point, temperatures } : point, state };
}

function isFinitePoint(value: object): boolean {
  return Object.values(value).every((inner: unknown) =>
    typeof inner === 'number'
      ? Number.isFinite(inner)
      : typeof inner !== 'object' || inner === null || isFinitePoint(inner),
  );
}

/** No load on a stage that blocks negative current: the output holds itself and no pulse is needed. */
function restingPoint(
  model: TopologyModel,
  decisions: CompleteDecisions,
  corner: Corner,
  brief: Brief,
): OperatingPoint {
  const still = { averageCurrent: 0, rmsCurrent: 0, peakCurrent: 0 };
  const { lightLoad } = decisions;
  const frequency = { 'pulse-skipping': 0, ultrasonic: Math.min(ULTRASONIC_FREQUENCY, decisions.switchingFrequency) };
  const operation = model.operations(conditionsAt(brief, decisions, corner))[0]!;
  const { boostDuty } = operation.region ? { boostDuty: 0 } : { boostDuty: undefined };
  const at = (device: Device): SwitchStress => ({
    ...still,
    blockingVoltage: Math.max(
      0,
      ...(operation.cells.idle?.blocking ?? [])
        .filter((blocking) => blocking.device === device)
        .map((b) => b.input * corner.inputVoltage + b.output * brief.outputVoltage + b.constant),
    ),
  });
  const controller = controllerLoss(decisions.control, corner.inputVoltage);
  const divider = dividerAt(decisions, brief.outputVoltage);
  const total = (controller ?? 0) + (divider ?? 0);
  const idle = { rmsCurrent: 0, loss: 0 };
  return {
    inputVoltage: corner.inputVoltage,
    outputCurrent: corner.outputCurrent,
    conductionMode: 'DCM',
    switchingFrequency:
      lightLoad === 'pulse-skipping' || lightLoad === 'ultrasonic'
        ? frequency[lightLoad]
        : decisions.switchingFrequency,
    duty: 0,
    ...(operation.region && boostDuty !== undefined ? { boostDuty, region: operation.region } : {}),
    rectifierDuty: 0,
    onTime: 0,
    offTime: 0,
    outputVoltage: { average: brief.outputVoltage },
    inductorCurrent: { average: 0, ripple: 0, peak: 0, valley: 0, rms: 0 },
    controlSwitch: at('control'),
    rectifier: at('rectifier'),
    ...(operation.region ? { boostLeg: { controlSwitch: at('boostControl'), rectifier: at('boostRectifier') } } : {}),
    inputCurrent: { average: total / corner.inputVoltage },
    inputCapacitor: { rmsCurrent: 0, ripple: 0, each: decisions.inputCapacitors.map(() => idle) },
    outputCapacitor: { rmsCurrent: 0, ripple: 0, each: decisions.outputCapacitors.map(() => idle) },
    ...(decisions.outputFilter ? { outputFilter: { rmsCurrent: 0, ripple: 0 } } : {}),
    losses: {
      total,
      ...(controller === undefined ? {} : { controller }),
      ...(divider === undefined ? {} : { divider }),
      controlSwitchConduction: 0,
      rectifierConduction: 0,
      windingConduction: 0,
      outputCapacitorEsr: 0,
      inputCapacitorEsr: 0,
    },
    outputPower: 0,
    efficiency: 0,
  };
}

/** What one device gathers over the repeating part: charge, current squared, losses and extremes. */
interface Tally {
  average: number;
  square: number;
  peak: number;
  time: number;
  energy: number;
  /** V, highest while it is off (undefined: it never is), and while its channel conducts */
  blocking: number | undefined;
  drop: number;
}

function emptyTally(): Tally {
  return { average: 0, square: 0, peak: 0, time: 0, energy: 0, blocking: undefined, drop: 0 };
}

/** What inductor and switches gather: what heats them, and their stress. Sums run over every phase for one repeating part, which is one phase over the whole period. */
class DeviceTally {
  private readonly network: Network;
  private readonly blockingRow: Vector;
  readonly inductor = { average: 0, square: 0, min: Infinity, max: -Infinity };
  readonly devices: Record<Device, Tally> = {
    control: emptyTally(),
    rectifier: emptyTally(),
    boostControl: emptyTally(),
    boostRectifier: emptyTally(),
  };
  deadTime = 0;
  readonly deadEnergy = { buck: 0, boost: 0 };

  constructor(network: Network) {
    this.network = network;
    this.blockingRow = zeros(network.size);
  }

  add(trace: Tracer, { configuration, duration }: Interval): void {
    const { network, inductor, devices, blockingRow, deadEnergy } = this;
    const n = network.size;
    const one = n - 1;
    for (let phase = 0; phase < network.circuit.phases; phase += 1) {
      const cell = network.cell(configuration.cells[phase]!);
      const average = trace.stateIntegral(phase, one);
      const square = trace.stateSquare(phase);
      const current: Range = { min: Infinity, max: -Infinity };
      trace.reachState(phase, current);
      inductor.average += average;
      inductor.square += square;
      widen(inductor, current);
      for (const { device, resistance, drop, dead } of cell.conducting) {
        const tally = devices[device];
        tally.average += average;
        tally.square += square;
        tally.peak = Math.max(tally.peak, current.max);
        tally.time += duration;
        if (dead) {
          this.deadTime += duration;
          deadEnergy[device === 'control' || device === 'rectifier' ? 'buck' : 'boost'] += drop * average;
        } else {
          tally.energy += resistance * square + drop * average;
          tally.drop = Math.max(tally.drop, resistance * current.max + drop);
        }
      }
      for (const { device, input: fromInput, output, current: perAmpere, constant } of cell.blocking) {
        for (let k = 0; k < n; k += 1)
          blockingRow[k] = fromInput * configuration.inputVoltage[k]! + output * configuration.outputVoltage[k]!;
        blockingRow[phase]! += perAmpere;
        blockingRow[one]! += constant;
        const across: Range = { min: Infinity, max: devices[device].blocking ?? 0 };
        trace.reach(blockingRow, across);
        devices[device].blocking = across.max;
      }
    }
  }

  blockingOf(device: Device): number {
    return this.devices[device].blocking ?? this.devices[device].drop;
  }
}

/** What banks, source and load gather over the repeating part. */
class NodeTally {
  private readonly network: Network;
  private readonly sourceRow: Vector | undefined;
  private readonly inputRow: Vector;
  /** A²·s of each branch of the output and input banks */
  readonly outputSquares: number[] = [];
  readonly inputSquares: number[] = [];
  inputBankSquare = 0;
  inputBankHeat = 0;
  bankSquare = 0;
  filterBankSquare = 0;
  filterSquare = 0;
  loadAverage = 0;
  sensedAverage = 0;
  loadSquare = 0;
  outputHeat = 0;
  filterHeat = 0;
  sourceHeat = 0;
  readonly bankVoltage: Range = { min: Infinity, max: -Infinity };
  readonly loadVoltage: Range = { min: Infinity, max: -Infinity };
  readonly inputVoltage: Range = { min: Infinity, max: -Infinity };

  constructor(network: Network) {
    this.network = network;
    this.sourceRow = network.circuit.source && zeros(network.size);
    this.inputRow = zeros(network.size);
  }

  add(trace: Tracer, { configuration }: Interval, bank: BankRows | undefined): void {
    const { network, inputRow } = this;
    const n = network.size;
    const one = n - 1;
    trace.reach(configuration.outputVoltage, this.bankVoltage);
    this.bankSquare += trace.square(configuration.bankCurrent);
    this.loadAverage += trace.integral(configuration.loadVoltage, one);
    this.loadSquare += trace.square(configuration.loadVoltage);
    this.outputHeat += heatIn(trace, configuration.branchCurrents, network.branches, this.outputSquares);
    if (configuration.filterBankCurrent) {
      trace.reach(configuration.loadVoltage, this.loadVoltage);
      this.sensedAverage += trace.integral(configuration.sensedVoltage, one);
      this.filterBankSquare += trace.square(configuration.filterBankCurrent);
      this.filterSquare += trace.stateSquare(network.filterCurrent);
      this.filterHeat += heatIn(trace, configuration.filterBranchCurrents, network.filterBranches);
    }
    if (bank) {
      trace.reach(bank.node, this.inputVoltage);
      this.inputBankSquare += trace.square(bank.into);
      bank.currents.forEach((row, j) => {
        const square = Math.max(0, trace.square(row));
        this.inputSquares[j] = (this.inputSquares[j] ?? 0) + square;
        this.inputBankHeat += bank.resistances[j]! * square;
      });
    } else {
      trace.reach(configuration.inputVoltage, this.inputVoltage);
      this.inputBankHeat += heatIn(trace, configuration.inputBranchCurrents, network.inputBranches, this.inputSquares);
      inputRow.fill(0);
      for (const row of configuration.inputBranchCurrents) for (let k = 0; k < n; k += 1) inputRow[k]! += row[k]!;
      this.inputBankSquare += trace.square(inputRow);
    }
    if (this.sourceRow) this.sourceHeat += sourceEnergy(network, configuration, trace, this.sourceRow);
  }
}

/** What a pass leaves to the next: what winding and core lose at alternating current hardly moves with their resistance. */
interface Kept {
  core: number | undefined;
  /** Ω at 25 °C of all windings to the current's square, alternating part included */
  winding: number | undefined;
}

/** What one pass of the settling heat is about. */
interface Pass {
  brief: Brief;
  given: CompleteDecisions;
  hot: CompleteDecisions;
  temperatures: Temperatures;
  corner: Corner;
}

/** V of the output that is held: the brief's, or what the end of the duty's range leaves of it. */
function heldIn({ outOfReach, periodic: { intervals } }: SteadyState, brief: Brief): number {
  const last = intervals[intervals.length - 1];
  if (!outOfReach || !last) return brief.outputVoltage;
  return dot(last.final.length, last.configuration.outputVoltage, last.final);
}

/** The losses of inductor and switches in a state, and what heats each place. */
function deviceLosses(
  state: SteadyState,
  { given, temperatures, corner, brief }: Pass,
  tally: DeviceTally,
  kept: Kept | undefined,
): { losses: Losses; heat: Required<Heat>; kept: Kept; rms: number; average: number } {
  const { periodic } = state;
  const { period } = periodic;
  const { phases } = periodic.network.circuit;
  const { devices, deadEnergy, inductor } = tally;
  const rms = Math.sqrt(Math.max(0, inductor.square) / period);
  const average = inductor.average / period;
  const each = phases / period;
  const warmer = hotter(given.inductor.resistanceTemperature, temperatures.inductor);
  const losses: Losses = {
    total: 0,
    controlSwitchConduction: devices.control.energy * each,
    rectifierConduction: devices.rectifier.energy * each,
    windingConduction: phases * rms ** 2 * given.inductor.resistance * warmer,
    outputCapacitorEsr: 0,
    inputCapacitorEsr: 0,
  };
  if (state.operation.region !== undefined) {
    losses.boostControlSwitchConduction = devices.boostControl.energy * each;
    losses.boostRectifierConduction = devices.boostRectifier.energy * each;
  }
  if (tally.deadTime > 0) losses.deadTimeConduction = (deadEnergy.buck + deadEnergy.boost) * each;
  const blocked = (device: 'rectifier' | 'boostRectifier') => ({
    conducts: devices[device].time / period,
    blocking: tally.blockingOf(device),
    temperature: temperatures[device],
  });
  const { leakageSlope, losses: further } = furtherLosses(
    kept ? { ...given, inductor: { ...given.inductor, acResistance: undefined, core: undefined } } : given,
    {
      periodic,
      mode: state.mode,
      inputVoltage: corner.inputVoltage,
      outputVoltage: heldIn(state, brief),
      blocking: tally.blockingOf('control'),
      boostBlocking: tally.blockingOf('boostControl'),
      average,
      rms,
      hotter: warmer,
      outputCurrent: corner.outputCurrent,
      rectifier: blocked('rectifier'),
      boostRectifier: blocked('boostRectifier'),
    },
  );
  Object.assign(losses, further);
  if (kept?.core !== undefined) losses.core = kept.core;
  if (kept?.winding !== undefined) losses.windingConduction = kept.winding * warmer * rms ** 2;
  return {
    losses,
    heat: heatOf(given, losses, { buck: deadEnergy.buck * each, boost: deadEnergy.boost * each }, leakageSlope),
    kept: {
      core: losses.core,
      winding: given.inductor.acResistance && rms > 0 ? losses.windingConduction / (warmer * rms ** 2) : undefined,
    },
    rms,
    average,
  };
}

/** What heats each place in a state, without what nothing of it is heated by. */
function heatAlone(state: SteadyState, pass: Pass, kept: Kept): Required<Heat> {
  const { network, intervals } = state.periodic;
  const tally = new DeviceTally(network);
  for (const interval of intervals) {
    const flow = flowOf(network, interval.configuration);
    const trace = tracerFor(flow.size);
    trace.follow(flow, interval.duration, interval.initial);
    tally.add(trace, interval);
  }
  return deviceLosses(state, pass, tally, kept).heat;
}

function measure(state: SteadyState, pass: Pass): { point: OperatingPoint; heat: Required<Heat>; kept: Kept } {
  const { brief, hot: decisions, corner } = pass;
  const { periodic } = state;
  const { network, repeat, period } = periodic;
  const { circuit } = network;
  const tally = new DeviceTally(network);
  const nodes = new NodeTally(network);
  const stretches = stretchesOf(periodic, decisions.inputCapacitors.map(branchOf));
  for (const { interval, flow, initial, bank } of stretches) {
    const trace = tracerFor(flow.size);
    trace.follow(flow, interval.duration, initial);
    nodes.add(trace, interval, bank);
    tally.add(trace, interval);
  }
  const { devices, inductor } = tally;
  const { losses, heat, kept, rms, average: inductorAverage } = deviceLosses(state, pass, tally, undefined);
  const nearby = brief.ambientTemperature + warmedBy(pass.given, heat, undefined);
  const outputShares = sharesOf(
    decisions.outputCapacitors,
    { squares: nodes.outputSquares, rowsIn: (at) => at.interval.configuration.branchCurrents, inductive: true },
    stretches,
    repeat,
    nearby,
  );
  const inputShares = sharesOf(
    decisions.inputCapacitors,
    {
      squares: nodes.inputSquares,
      rowsIn: ({ bank, interval }) => bank?.currents ?? interval.configuration.inputBranchCurrents,
      inductive: false,
    },
    stretches,
    repeat,
    nearby,
  );
  losses.outputCapacitorEsr = bankLoss(decisions.outputCapacitors, outputShares, nodes.outputHeat / repeat);
  losses.inputCapacitorEsr = bankLoss(decisions.inputCapacitors, inputShares, nodes.inputBankHeat / repeat);
  if (circuit.filter) {
    losses.outputFilterWinding = (circuit.filter.resistance * Math.max(0, nodes.filterSquare)) / repeat;
    losses.outputFilterEsr = nodes.filterHeat / repeat;
  }
  const average = nodes.loadAverage / repeat;
  const meanSquare = nodes.loadSquare / repeat;
  const { preload } = decisions;
  if (preload) losses.preload = (meanSquare * preload) / brief.outputVoltage;
  const sensedPower =
    brief.load === 'resistive'
      ? meanSquare * (corner.outputCurrent / brief.outputVoltage)
      : average * corner.outputCurrent;
  // leads stand behind the point where the output is sensed: what they take, the load does not get
  const outputPower = sensedPower - (losses.outputLeads ?? 0);
  if (circuit.source) losses.sourceResistance = nodes.sourceHeat / repeat;
  losses.total = Object.values(losses).reduce<number>((sum, value: number) => sum + value, 0);
  const { duty, boostDuty } = dutiesOf(state);
  const onTime = state.duty * period;
  const stress = (device: Device): SwitchStress => {
    const { average: charge, square, peak } = devices[device];
    return {
      averageCurrent: charge / period,
      rmsCurrent: Math.sqrt(Math.max(0, square) / period),
      peakCurrent: peak,
      blockingVoltage: tally.blockingOf(device),
    };
  };
  const fourSwitch = state.operation.region !== undefined;
  const point: OperatingPoint = {
    inputVoltage: corner.inputVoltage,
    outputCurrent: corner.outputCurrent,
    conductionMode: state.mode,
    switchingFrequency: 1 / period,
    duty,
    ...(boostDuty !== undefined && state.operation.region ? { boostDuty, region: state.operation.region } : {}),
    rectifierDuty: devices.rectifier.time / period,
    onTime,
    offTime: period - onTime,
    outputVoltage: { average },
    inductorCurrent: {
      average: inductorAverage,
      ripple: swing(inductor.min, inductor.max, inductor.max),
      peak: inductor.max,
      valley: inductor.min,
      rms,
    },
    controlSwitch: stress('control'),
    rectifier: stress('rectifier'),
    ...(fourSwitch ? { boostLeg: { controlSwitch: stress('boostControl'), rectifier: stress('boostRectifier') } } : {}),
    inputCurrent: { average: (outputPower + losses.total) / corner.inputVoltage },
    inputCapacitor: {
      rmsCurrent: Math.sqrt(Math.max(0, nodes.inputBankSquare / repeat)),
      ripple: swing(nodes.inputVoltage.min, nodes.inputVoltage.max, corner.inputVoltage),
      each: inputShares,
    },
    outputCapacitor: {
      rmsCurrent: Math.sqrt(Math.max(0, nodes.bankSquare / repeat)),
      ripple: swing(nodes.bankVoltage.min, nodes.bankVoltage.max, nodes.bankVoltage.max),
      each: outputShares,
    },
    ...(circuit.filter
      ? {
          outputFilter: {
            rmsCurrent: Math.sqrt(Math.max(0, nodes.filterBankSquare / repeat)),
            ripple: swing(nodes.loadVoltage.min, nodes.loadVoltage.max, nodes.loadVoltage.max),
            ...(circuit.filter.feedback === 'before' ? { sensed: nodes.sensedAverage / repeat } : {}),
          },
        }
      : {}),
    losses,
    outputPower,
    efficiency: outputPower + losses.total > 0 ? outputPower / (outputPower + losses.total) : 0,
  };
  return { point, heat, kept };
}

/** W of a bank: that of its branches, or of its own entries where one brings its resistance over frequency. */
function bankLoss(banks: readonly CapacitorBank[], shares: readonly CapacitorShare[], branches: number): number {
  if (!banks.some(({ esrCurve }) => esrCurve)) return branches;
  return banks.reduce((sum, { count }, at) => sum + count * shares[at]!.loss, 0);
}

/** The losses that heat each place, or the board alone; capacitors are left out: their share hardly shows on a board. */
const HEATING = new Map<string | undefined, Loss[]>();
for (const loss of LOSSES) HEATING.set(heatedBy(loss), [...(HEATING.get(heatedBy(loss)) ?? []), loss]);
const heating = (place: HeatPlace | 'board'): readonly Loss[] => HEATING.get(place) ?? [];

/** W in one device of each place: a control switch bears what its own turn-on dissipates, a rectifier its dead times. */
export function heatOf(
  decisions: CompleteDecisions,
  losses: Losses,
  dead: { buck: number; boost: number },
  slope = { buck: 0, boost: 0 },
): Required<Heat> {
  const devices = devicesOf(decisions);
  const each = (place: HeatPlace, besides = 0, rising = 0): Required<Heat>[HeatPlace] => {
    const devicesHere = decisions.phases * (devices[place]?.count ?? 1);
    let [conduction, other] = [0, besides];
    for (const loss of heating(place)) {
      if (loss.conduction) conduction += losses[loss.name] ?? 0;
      else other += losses[loss.name] ?? 0;
    }
    return {
      total: (conduction + other) / devicesHere,
      conduction: conduction / devicesHere,
      slope: rising / devicesHere,
    };
  };
  return {
    controlSwitch: each('controlSwitch'),
    rectifier: each('rectifier', dead.buck, slope.buck),
    boostControlSwitch: each('boostControlSwitch'),
    boostRectifier: each('boostRectifier', dead.boost, slope.boost),
    inductor: each('inductor'),
    others: heating('board').reduce((sum, { name }) => sum + (losses[name] ?? 0), 0),
  };
}

/** The quantities of what heats a place. */
export const heatsOf = (place: HeatPlace): readonly Loss[] => heating(place);

/** J lost in the source's own resistance: by the source's current where it has inductance, else by the drop across it. */
function sourceEnergy(network: Network, configuration: Configuration, trace: Tracer, row: Vector): number {
  const n = network.size;
  const { source, inputVoltage } = network.circuit;
  if (!source || source.resistance === 0) return 0;
  if (network.sourceCurrent >= 0) return source.resistance * trace.stateSquare(network.sourceCurrent);
  for (let k = 0; k < n; k += 1) row[k] = -configuration.inputVoltage[k]! / source.resistance;
  row[n - 1]! += inputVoltage / source.resistance;
  return source.resistance * trace.square(row);
}

function widen(range: { min: number; max: number }, by: { min: number; max: number }): void {
  range.min = Math.min(range.min, by.min);
  range.max = Math.max(range.max, by.max);
}

/** J in the branches' series resistances. */
function heatIn(
  trace: Tracer,
  rows: readonly Vector[],
  branches: readonly { resistance: number }[],
  squares: number[] = [],
): number {
  let heat = 0;
  for (let j = 0; j < rows.length; j += 1) {
    const square = Math.max(0, trace.square(rows[j]!));
    squares[j] = (squares[j] ?? 0) + square;
    heat += branches[j]!.resistance * square;
  }
  return heat;
}

/** Peak to peak, with what is only rounding of a large value taken for nothing. */
function swing(min: number, max: number, scale: number): number {
  return max - min > 1e-12 * Math.abs(scale) ? max - min : 0;
}
