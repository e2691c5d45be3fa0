import type { Network } from '../network/circuit.ts';
import { solveLinear } from '../network/linear.ts';
import { currentAtStepEnd, periodicState, type Periodic, type Step } from '../network/periodic.ts';
import { LONGEST_DEAD_SHARE } from './stage.ts';
import type { StageConditions, TopologyModel } from '../topology/index.ts';

export type ConductionMode = 'CCM' | 'DCM' | 'CRM';

/** A periodic state that gives the wanted output, or the nearest that the stage can reach. */
export interface SteadyState {
  periodic: Periodic;
  mode: ConductionMode;
  /** control switch on-time over the period */
  duty: number;
  /** true when no duty gives the wanted output: duty then stands at its end */
  outOfReach: boolean;
}

/** An order of switch states whose open durations the solver finds. */
interface Pattern {
  mode: ConductionMode;
  /** steps for the unknowns [duty, event time over the period …]; durations may come out negative and are then refused */
  steps(unknowns: readonly number[]): Step[];
  /** indices of steps that end where the current reaches zero, one for each unknown after the duty */
  events: readonly number[];
  start: readonly number[];
  /** estimate of d(output/target)/d(duty), where the duty is the only unknown */
  slope?: number;
  /** whether the currents found agree with what this pattern assumed */
  holds(periodic: Periodic): boolean;
}

const TOLERANCE = 1e-11;
const MOST_ITERATIONS = 40;

/**
 * Finds the duty (and the moments at which currents stop) that make the average output equal `target`.
 * @param target V
 * @param rectifies whether the rectifier blocks negative current: a diode, or a synchronous switch told to emulate one
 */
export function findSteadyState(
  model: TopologyModel,
  network: Network,
  conditions: StageConditions,
  rectifies: boolean,
  target: number,
): SteadyState | undefined {
  const period = 1 / conditions.switchingFrequency;
  const patterns = patternsFor(model, conditions, rectifies, period);
  let fallback: SteadyState | undefined;
  for (const pattern of patterns) {
    const found = solvePattern(network, pattern, period, target);
    if (!found) continue;
    const state = { periodic: found.periodic, mode: pattern.mode, duty: found.duty, outOfReach: false };
    if (pattern.holds(found.periodic)) return state;
    fallback ??= state;
  }
  return atTheEnd(network, period, target) ?? fallback;
}

/** Relative slope of the lossless conversion ratio: a start that the first steps of the search correct. */
function slopeAt(model: TopologyModel, c: StageConditions, duty: number): number {
  const step = 1e-4;
  const at = Math.min(duty, 1 - 2 * step);
  return (c.inputVoltage * (model.idealRatio(at + step) - model.idealRatio(at))) / step / c.outputVoltage;
}

/** The control switch on for the whole period, when even that falls short of the wanted output. */
function atTheEnd(network: Network, period: number, target: number): SteadyState | undefined {
  const periodic = periodicState(network, [{ cell: 'control', duration: period }], period);
  if (!periodic || periodic.averageOutput >= target) return undefined;
  return { periodic, mode: 'CCM', duty: 1, outOfReach: true };
}

function patternsFor(model: TopologyModel, c: StageConditions, rectifies: boolean, period: number): Pattern[] {
  const dead = Math.min(c.deadTime, period * LONGEST_DEAD_SHARE);
  const duty = model.ccmDuty(c);
  const start = [Number.isFinite(duty) ? Math.min(Math.max(duty, 1e-6), 1) : 0.5];
  const leading: Step[] = dead > 0 ? [{ cell: 'deadForward', duration: dead }] : [];
  const at = leading.length;
  const on = (d: number): Step => ({ cell: 'control', duration: d * period });
  const rectifier = (d: number): Step => ({
    cell: 'rectifier',
    duration: dead > 0 ? (1 - d) * period - 2 * dead : (1 - d) * period,
  });
  const ccm = (trailing: Step[], holds: Pattern['holds']): Pattern => ({
    mode: 'CCM',
    steps: ([d = 0]) => [on(d), ...leading, rectifier(d), ...trailing],
    events: [],
    start,
    slope: slopeAt(model, c, start[0]!),
    holds,
  });
  const endOf = (periodic: Periodic, fromLast: number): number =>
    currentAtStepEnd(periodic, periodic.steps.length - 1 - fromLast);

  if (rectifies) {
    const trailing: Step[] = dead > 0 ? [{ cell: 'deadForward', duration: dead }] : [];
    const lossless = model.dcmDuties(c);
    const crowding = Math.min(1, 0.995 / (lossless.duty + lossless.rectifierDuty));
    const dcmDuty = lossless.duty * crowding;
    const rectifierDuty = lossless.rectifierDuty * crowding;
    const idle = (used: number): Step => ({ cell: 'idle', duration: period - used });
    const discontinuous: Pattern = {
      mode: 'DCM',
      steps: ([d = 0, r = 0]) => [
        on(d),
        ...leading,
        { cell: 'rectifier', duration: r * period - (at ? dead : 0) },
        idle((d + r) * period),
      ],
      events: [1 + at],
      start: [dcmDuty, rectifierDuty],
      holds: () => true,
    };
    const withinDeadTime: Pattern = {
      mode: 'DCM',
      steps: ([d = 0, r = 0]) => [on(d), { cell: 'deadForward', duration: r * period }, idle((d + r) * period)],
      events: [1],
      start: [dcmDuty, rectifierDuty],
      holds: () => true,
    };
    const continuous = ccm(trailing, (periodic) => endOf(periodic, 0) >= 0 && endOf(periodic, trailing.length) >= 0);
    const ripple = model.inductorRipple(c, start[0]!);
    const clearlyContinuous = model.inductorAverage(c, start[0]!) > 0.4 * ripple;
    const light = dead > 0 ? [discontinuous, withinDeadTime] : [discontinuous];
    return clearlyContinuous ? [continuous, ...light] : [...light, continuous];
  }

  if (dead === 0) return [ccm([], () => true)];
  // Forced continuous conduction: what carries the current in the second dead time depends on its sign there.
  const forward = ccm([{ cell: 'deadForward', duration: dead }], (p) => endOf(p, 1) >= 0 && endOf(p, 0) >= 0);
  const reverse = ccm([{ cell: 'deadReverse', duration: dead }], (p) => endOf(p, 1) <= 0 && endOf(p, 0) <= 0);
  const stopping = (cell: 'deadForward' | 'deadReverse'): Pattern => ({
    mode: 'CCM',
    steps: ([d = 0, r = 0]) => [
      on(d),
      ...leading,
      rectifier(d),
      { cell, duration: r * period },
      { cell: 'idle', duration: dead - r * period },
    ],
    events: [2 + at],
    start: [start[0]!, dead / period / 2],
    holds: (p) => endOf(p, 2) * (cell === 'deadForward' ? 1 : -1) >= 0,
  });
  return model.inductorAverage(c, start[0]!) > model.inductorRipple(c, start[0]!) / 2
    ? [forward, stopping('deadForward'), reverse, stopping('deadReverse')]
    : [reverse, stopping('deadReverse'), stopping('deadForward'), forward];
}

interface Evaluated {
  periodic: Periodic;
  residuals: number[];
}

/** Newton's method with a Jacobian by differences, kept up by Broyden's update; at most three unknowns. */
function solvePattern(
  network: Network,
  pattern: Pattern,
  period: number,
  target: number,
): { periodic: Periodic; duty: number } | undefined {
  const count = pattern.start.length;
  const currentScale = Math.max(1e-9, (target * period) / network.circuit.inductance);
  let unknowns = pattern.start.slice();
  let evaluated: Evaluated | undefined = evaluate(unknowns);
  let jacobian: number[][] | undefined = pattern.slope === undefined ? undefined : [[pattern.slope]];
  for (let iteration = 0; iteration < MOST_ITERATIONS; iteration += 1) {
    if (!evaluated) return undefined;
    const { residuals, periodic }: Evaluated = evaluated;
    if (residuals.every((r) => Math.abs(r) < TOLERANCE)) return { periodic, duty: unknowns[0]! };
    jacobian ??= differences(unknowns, residuals);
    if (!jacobian) return undefined;
    const step = solveLinear(
      count,
      jacobian.flat(),
      residuals.map((r) => -r),
    );
    if (!step) return undefined;
    const previous: { unknowns: number[]; residuals: number[] } = { unknowns, residuals };
    let shrink = 1;
    let next: Evaluated | undefined;
    let tried: number[];
    do {
      tried = previous.unknowns.map((u, i) => u + shrink * step[i]!);
      next = evaluate(tried);
      shrink /= 2;
    } while (!next && shrink > 1e-3);
    if (!next) return undefined;
    jacobian = shrink === 0.5 ? broyden(jacobian, previous, tried, next.residuals) : undefined;
    const moved = tried.some((u, i) => Math.abs(u - previous.unknowns[i]!) > 1e-15 * Math.max(1e-3, Math.abs(u)));
    unknowns = tried;
    evaluated = next;
    if (!moved) return residualsSmall(next.residuals) ? { periodic: next.periodic, duty: unknowns[0]! } : undefined;
  }
  return evaluated && residualsSmall(evaluated.residuals)
    ? { periodic: evaluated.periodic, duty: unknowns[0]! }
    : undefined;

  function evaluate(at: readonly number[]): Evaluated | undefined {
    const steps = pattern.steps(at);
    if (steps.some((step) => !(step.duration >= 0) || step.duration > period * (1 + 1e-9))) return undefined;
    const periodic = periodicState(network, steps, period);
    if (!periodic) return undefined;
    const residuals = [
      periodic.averageOutput / target - 1,
      ...pattern.events.map((index) => currentAtStepEnd(periodic, index) / currentScale),
    ];
    return residuals.every((r) => Number.isFinite(r)) ? { periodic, residuals } : undefined;
  }

  function differences(at: readonly number[], residuals: readonly number[]): number[][] | undefined {
    const columns: number[][] = [];
    for (let j = 0; j < count; j += 1) {
      const size = Math.max(1e-9, Math.abs(at[j]!) * 1e-6);
      let change = size;
      let other = evaluate(at.map((u, i) => (i === j ? u + change : u)));
      if (!other) {
        change = -size;
        other = evaluate(at.map((u, i) => (i === j ? u + change : u)));
      }
      if (!other) return undefined;
      columns.push(other.residuals.map((r, i) => (r - residuals[i]!) / change));
    }
    return residuals.map((_, i) => columns.map((column) => column[i]!));
  }
}

function residualsSmall(residuals: readonly number[]): boolean {
  return residuals.every((r) => Math.abs(r) < 1e-7);
}

function broyden(
  jacobian: number[][],
  previous: { unknowns: number[]; residuals: number[] },
  unknowns: readonly number[],
  residuals: readonly number[],
): number[][] {
  const s = unknowns.map((u, i) => u - previous.unknowns[i]!);
  const length = s.reduce((sum, value) => sum + value * value, 0);
  if (!(length > 0)) return jacobian;
  return jacobian.map((row, i) => {
    const predicted = row.reduce((sum, value, k) => sum + value * s[k]!, 0);
    const error = residuals[i]! - previous.residuals[i]! - predicted;
    return row.map((value, k) => value + (error * s[k]!) / length);
  });
}
