import { controllerLoss, dividerLoss } from '../../losses/controller.ts';
import { coreLossDensity } from '../../losses/core.ts';
import { leakage } from '../../losses/leakage.ts';
import { legLosses, lossName, type Leg, type LossName, type MainLoss } from '../../losses/mechanisms.ts';
import type { Blocked } from '../../losses/values.ts';
import { windingLoss, type Trace } from '../../losses/winding.ts';
import type { Device } from '../../network/circuit.ts';
import { linkageAt } from '../../network/saturating.ts';
import { phaseAt, type Periodic } from '../../network/periodic.ts';
import { dot } from '../../numbers/linear.ts';
import { sampleFlow } from '../../numbers/trace.ts';
import { flowOf } from './inputBank.ts';
import type { ConductionMode } from './patterns.ts';
import type { CompleteDecisions } from '../../design/complete.ts';

/** A in phase 1's inductor as a switch's channel turns on and off; undefined where it never switches. */
export function edgesOf(periodic: Periodic, device: Device): { on: number; off: number } | undefined {
  const { network, intervals } = periodic;
  const { phases } = network.circuit;
  let edges: { on?: number; off?: number } = {};
  let before: boolean | undefined;
  let first: { conducts: boolean; current: number } | undefined;
  let end = 0;
  for (let part = 0; part < phases; part += 1) {
    const phase = phaseAt(0, part, phases);
    for (const { configuration, initial, final } of intervals) {
      const cell = network.cell(configuration.cells[phase]!);
      // without a current nothing tells whether a channel is on: one that never turns off has no edges there
      if (cell.blocked) continue;
      const conducts = cell.conducting.some((at) => at.device === device && !at.dead);
      first ??= { conducts, current: initial[phase]! };
      if (before === false && conducts) edges = { ...edges, on: initial[phase]! };
      if (before === true && !conducts) edges = { ...edges, off: end };
      before = conducts;
      end = final[phase]!;
    }
  }
  if (before === false && first?.conducts) edges = { ...edges, on: first.current };
  if (before === true && first && !first.conducts) edges = { ...edges, off: end };
  return edges.on === undefined || edges.off === undefined ? undefined : { on: edges.on, off: edges.off };
}

/** Halvings of each stretch down to the pieces that winding and core are told by: where inductances beside the windings may ring, and where the current is all but straight. */
const HALVINGS_RINGING = 5;
const HALVINGS = 4;

/** Phase 1's inductor current over one period. */
function inductorTrace(periodic: Periodic): Trace {
  const { network, intervals, repeat } = periodic;
  const { phases } = network.circuit;
  const time: number[] = [];
  const value: number[] = [];
  const slope: number[] = [];
  const { size } = network;
  const { bend, filter, source } = network.circuit;
  const rings = network.rings || filter !== undefined || source !== undefined;
  // between the borders of a bent inductance the current is straight
  const sampled = intervals.map(({ configuration, duration, initial, final }) =>
    bend
      ? { times: [0, duration], states: [initial, final] }
      : sampleFlow(flowOf(network, configuration), duration, initial, rings ? HALVINGS_RINGING : HALVINGS),
  );
  for (let part = 0; part < phases; part += 1) {
    const phase = phaseAt(0, part, phases);
    intervals.forEach(({ start, configuration }, i) => {
      const { times, states } = sampled[i]!;
      const slopes = configuration.matrix.slice(phase * size, (phase + 1) * size);
      times.forEach((at, k) => {
        time.push(part * repeat + start + at);
        value.push(states[k]![phase]!);
        slope.push(dot(size, slopes, states[k]!));
      });
    });
  }
  return { time, value, slope };
}

/** What is measured at a corner that the further losses follow from. */
export interface Measured {
  periodic: Periodic;
  mode: ConductionMode;
  inputVoltage: number;
  /** V of the output that is held, magnitude */
  outputVoltage: number;
  /** V across each control switch while it is off */
  blocking: number;
  boostBlocking: number;
  /** A of one inductor */
  average: number;
  rms: number;
  /** hot winding resistance over that at 25 °C */
  hotter: number;
  outputCurrent: number;
  /** of each leg's rectifier */
  rectifier: Blocked;
  boostRectifier: Blocked;
}

/**
 * V that, times half the charge, is what a leg's turn-on loses of the output charges: all of what it blocks against a
 * current that flows forward, the square of what is left after a rest over it, nothing where the node was turned over.
 */
export function chargeVoltage(
  decisions: CompleteDecisions,
  which: 'main' | 'boost',
  at: Pick<Measured, 'mode' | 'inputVoltage' | 'outputVoltage'> & { on: number; blocking: number },
): number {
  if (at.mode === 'DCM') return at.blocking > 0 ? restedOn(decisions, which, at, at.blocking) ** 2 / at.blocking : 0;
  return at.mode === 'CCM' && at.on > 0 ? at.blocking : 0;
}

/** V across a leg's control switch after a rest: a buck's node rests on the output, a choke to the source pulls to it. */
function restedOn(
  { topology }: CompleteDecisions,
  which: 'main' | 'boost',
  at: Pick<Measured, 'inputVoltage' | 'outputVoltage'>,
  blocking: number,
): number {
  const steps = which === 'main' && (topology === 'buck' || topology === 'four-switch-buck-boost');
  const rested = steps ? at.inputVoltage - at.outputVoltage : at.inputVoltage;
  return Math.min(Math.max(0, rested), blocking);
}

/** A leg with what it does at a corner; undefined where it does not switch. */
function legOf(decisions: CompleteDecisions, which: 'main' | 'boost', at: Measured): Leg | undefined {
  const { boostLeg } = which === 'boost' ? decisions : {};
  const control = boostLeg?.controlSwitch ?? decisions.controlSwitch;
  const edges = edgesOf(at.periodic, which === 'main' ? 'control' : 'boostControl');
  if (!edges) return undefined;
  const blocking = which === 'main' ? at.blocking : at.boostBlocking;
  return {
    ...edges,
    control,
    rectifier: boostLeg?.rectifier ?? decisions.rectifier,
    driver: decisions.control,
    snubber: decisions.snubber,
    hard: at.mode === 'CCM' && edges.on > 0,
    rested: at.mode === 'DCM' ? restedOn(decisions, which, at, blocking) : undefined,
    blocking,
    frequency: 1 / at.periodic.period,
    inputVoltage: at.inputVoltage,
    outputVoltage: at.outputVoltage,
    blocked: which === 'main' ? at.rectifier : at.boostRectifier,
  };
}

/** W in the feedback divider, where one stands. */
export function dividerAt({ compensator = {} }: CompleteDecisions, outputVoltage: number): number | undefined {
  const { dividerTop, dividerBottom } = compensator;
  return dividerTop && dividerBottom ? dividerLoss(dividerTop, dividerBottom, outputVoltage) : undefined;
}

/** The losses beyond those of the circuit that is solved, W of the whole stage, and the winding's where its AC resistance is given. */
export type FurtherLosses = Partial<Record<LossName, number>>;

/** @returns the further losses by name; `leakageSlope` is W/K of one leg's diodes */
export function furtherLosses(
  decisions: CompleteDecisions,
  at: Measured,
): { losses: FurtherLosses; leakageSlope: { buck: number; boost: number } } {
  const { phases, control, inductor, topology } = decisions;
  const losses: FurtherLosses = {};
  const put = (name: LossName, loss: number | undefined): void => {
    if (loss !== undefined) losses[name] = (losses[name] ?? 0) + loss;
  };
  const slopeOf = (which: 'main' | 'boost'): number => {
    const leg = legOf(decisions, which, at);
    if (!leg) return 0;
    for (const [name, loss] of Object.entries(legLosses(leg)) as [MainLoss, number][])
      put(lossName(name, which) ?? name, phases * loss);
    return phases * (leakage(leg.rectifier, leg.blocked)?.slope ?? 0);
  };
  const leakageSlope = {
    buck: slopeOf('main'),
    boost: topology === 'four-switch-buck-boost' ? slopeOf('boost') : 0,
  };
  if (control.senseResistance) put('currentSense', phases * at.rms ** 2 * control.senseResistance);
  if (decisions.outputLeadResistance) put('outputLeads', at.outputCurrent ** 2 * decisions.outputLeadResistance);
  put('controller', controllerLoss(control, at.inputVoltage));
  put('divider', dividerAt(decisions, at.outputVoltage));
  const { acResistance, core } = inductor;
  const trace = acResistance || core ? inductorTrace(at.periodic) : undefined;
  if (trace && core) {
    const { inductance, inductanceCurve } = inductor;
    const linkage = (current: number): number =>
      inductanceCurve ? linkageAt(inductanceCurve, current) : inductance * current;
    const flux = {
      time: trace.time,
      value: Array.from(trace.value, (current) => linkage(current) / (core.turns * core.area)),
    };
    put('core', phases * core.volume * coreLossDensity(flux, core.steinmetz));
  }
  if (trace && acResistance)
    put(
      'windingConduction',
      phases *
        at.hotter *
        windingLoss(trace, { average: at.average, rms: at.rms, dcResistance: inductor.resistance }, acResistance),
    );
  return { losses, leakageSlope };
}
