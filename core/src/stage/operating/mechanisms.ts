import { controllerLoss } from '../../losses/controller.ts';
import { coreLossDensity } from '../../losses/core.ts';
import { leakage } from '../../losses/leakage.ts';
import { snubberLoss } from '../../losses/snubber.ts';
import { gateDrive } from '../../losses/gateDrive.ts';
import { outputCharge } from '../../losses/outputCharge.ts';
import { overlap } from '../../losses/overlap.ts';
import { reverseRecovery } from '../../losses/reverseRecovery.ts';
import { windingLoss, type Trace } from '../../losses/winding.ts';
import type { Device } from '../../network/circuit.ts';
import { linkageAt } from '../../network/bend.ts';
import { phaseAt, type Periodic } from '../../network/periodic.ts';
import { dot } from '../../numbers/linear.ts';
import { sampleFlow } from '../../numbers/trace.ts';
import { flowOf } from './inputBank.ts';
import type { ConductionMode } from './patterns.ts';
import type { CompleteDecisions } from './stage.ts';

/** The losses beyond conduction that the parts' data allow, W of the whole stage; a boost leg's by their own names. */
export interface FurtherLosses {
  controlSwitchOverlap?: number;
  outputCharge?: number;
  reverseRecovery?: number;
  gateDrive?: number;
  boostControlSwitchOverlap?: number;
  boostOutputCharge?: number;
  boostReverseRecovery?: number;
  boostGateDrive?: number;
  diodeLeakage?: number;
  boostDiodeLeakage?: number;
  snubber?: number;
  currentSense?: number;
  outputLeads?: number;
  controller?: number;
  core?: number;
}

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
  /** V across each control switch while it is off */
  blocking: number;
  boostBlocking: number;
  /** A of one inductor */
  average: number;
  rms: number;
  /** hot winding resistance over that at 25 °C */
  hotter: number;
  outputCurrent: number;
  /** of each leg's rectifier: part of the period for which it conducts, V across it while it does not, °C */
  rectifier: Blocked;
  boostRectifier: Blocked;
}

interface Blocked {
  conducts: number;
  blocking: number;
  temperature: number | undefined;
}

/**
 * @returns the further losses, and the winding's where its AC resistance is given
 */
export function furtherLosses(
  decisions: CompleteDecisions,
  at: Measured,
): FurtherLosses & { windingConduction?: number; leakageSlope: { buck: number; boost: number } } {
  const { phases, control, inductor } = decisions;
  const frequency = 1 / at.periodic.period;
  const leg = (
    device: 'control' | 'boostControl',
    controlSwitch: CompleteDecisions['controlSwitch'] | NonNullable<CompleteDecisions['boostLeg']>['controlSwitch'],
    rectifier: CompleteDecisions['rectifier'],
    blocking: number,
    blocked: Blocked,
  ) => {
    const edges = edgesOf(at.periodic, device);
    if (!edges || !controlSwitch) return undefined;
    const hard = { hard: at.mode === 'CCM' && edges.on > 0, on: edges.on, blocking, frequency };
    const leaks = leakage(rectifier, blocked);
    const all = (loss: number | undefined): number | undefined => (loss === undefined ? undefined : phases * loss);
    return {
      overlap: all(overlap(controlSwitch, control, { ...edges, blocking, frequency })),
      charge: all(outputCharge(controlSwitch, rectifier, hard)),
      recovery: all(reverseRecovery(rectifier, hard)),
      gate: all(gateDrive(controlSwitch, rectifier, control, frequency)),
      snubber: all(snubberLoss(decisions.snubber, { blocking, frequency })),
      leakage: all(leaks?.loss),
      slope: all(leaks?.slope),
    };
  };
  const main = leg('control', decisions.controlSwitch, decisions.rectifier, at.blocking, at.rectifier);
  const boost =
    decisions.topology === 'four-switch-buck-boost'
      ? leg(
          'boostControl',
          decisions.boostLeg?.controlSwitch ?? decisions.controlSwitch,
          decisions.boostLeg?.rectifier ?? decisions.rectifier,
          at.boostBlocking,
          at.boostRectifier,
        )
      : undefined;
  const { acResistance, core } = inductor;
  const trace = acResistance || core ? inductorTrace(at.periodic) : undefined;
  const found: ReturnType<typeof furtherLosses> = {
    leakageSlope: { buck: main?.slope ?? 0, boost: boost?.slope ?? 0 },
  };
  const put = (name: keyof FurtherLosses | 'windingConduction', loss: number | undefined): void => {
    if (loss !== undefined) found[name] = loss;
  };
  put('controlSwitchOverlap', main?.overlap);
  put('outputCharge', main?.charge);
  put('reverseRecovery', main?.recovery);
  put('gateDrive', main?.gate);
  put('boostControlSwitchOverlap', boost?.overlap);
  put('boostOutputCharge', boost?.charge);
  put('boostReverseRecovery', boost?.recovery);
  put('boostGateDrive', boost?.gate);
  put('diodeLeakage', main?.leakage);
  put('boostDiodeLeakage', boost?.leakage);
  if (decisions.snubber) put('snubber', (main?.snubber ?? 0) + (boost?.snubber ?? 0));
  if (control.senseResistance) put('currentSense', phases * at.rms ** 2 * control.senseResistance);
  if (decisions.outputLeadResistance) put('outputLeads', at.outputCurrent ** 2 * decisions.outputLeadResistance);
  put('controller', controllerLoss(control, at.inputVoltage));
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
  return found;
}
