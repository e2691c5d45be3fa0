import type { Cells, Network } from '../network/circuit.ts';
import { solveLinear } from '../network/linear.ts';
import { currentAtStepEnd, periodicState, type Periodic, type Step } from '../network/periodic.ts';
import { LONGEST_DEAD_SHARE } from './stage.ts';
import type { Operation, StageConditions } from '../topology/index.ts';

export type ConductionMode = 'CCM' | 'DCM' | 'CRM';

/** A periodic state that gives the wanted output, or the nearest that the stage can reach. */
export interface SteadyState {
  periodic: Periodic;
  operation: Operation;
  mode: ConductionMode;
  /** the found duty of the switching leg's control switch; see {@link dutiesOf} for both legs */
  duty: number;
  /** true when no duty gives the wanted output: duty then stands at its end */
  outOfReach: boolean;
}

/** How the stage is clocked and whether its rectifier lets current reverse. */
export interface Clocking {
  /** whether the rectifier blocks negative current: a diode, or a synchronous switch told to emulate one */
  rectifies: boolean;
  /** critical conduction: each period ends when the current has fallen to −valley (A, 0 or more) */
  critical?: { valley: number };
  /** light load lets the frequency fall, never below `least` (Hz) */
  pulses?: { least: number };
  /** largest duty the controller gives: where a stage's output collapses it is not driven past this */
  maximumDuty: number;
}

/** An order of switch states whose open durations the solver finds. */
interface Pattern {
  mode: ConductionMode;
  /** steps for the unknowns; durations may come out negative and are then refused */
  steps(unknowns: readonly number[]): Step[];
  /** s; the nominal period when absent */
  period?: (unknowns: readonly number[]) => number;
  duty?: (unknowns: readonly number[]) => number;
  /** steps that end where the current reaches `level` (A), one for each unknown but one */
  events: readonly { step: number; level: number }[];
  start: readonly number[];
  /** estimate of d(output/target)/d(duty), where the duty is the only unknown */
  slope?: number;
  /** whether the currents found agree with what this pattern assumed */
  holds(periodic: Periodic): boolean;
}

const TOLERANCE = 1e-11;
/** Residual (relative to the output, or to the current's scale) that still counts as found where rounding allows no less. */
const SMALL = 1e-7;
const MOST_ITERATIONS = 40;

/**
 * Finds the duty (and the moments at which currents stop) that make the average output equal `target`.
 * @param operations ways of running the stage, the likeliest first
 * @param networkOf the stage's network in one of them
 * @param target V
 */
export function findSteadyState(
  operations: readonly Operation[],
  networkOf: (cells: Cells) => Network,
  clocking: Clocking,
  target: number,
): SteadyState | undefined {
  let unwanted: SteadyState | undefined;
  let contradicted = false;
  for (const operation of operations) {
    const network = networkOf(operation.cells);
    const found = findIn(operation, network, clocking, target);
    if (found === 'contradicted') contradicted = true;
    else if (found) {
      if (!operation.accepts || operation.accepts(found.duty)) return found;
      unwanted ??= found;
    }
  }
  if (unwanted) return unwanted;
  // the output is within reach, in an order of switch states that is not among those tried
  if (contradicted) return undefined;
  let nearest: SteadyState | undefined;
  for (const operation of operations) {
    const end = atTheEnd(operation, networkOf(operation.cells), clocking, target);
    const miss = (state: SteadyState): number => Math.abs(state.periodic.averageOutput - target);
    if (end && (!nearest || miss(end) < miss(nearest))) nearest = end;
  }
  return nearest;
}

/** Both legs' duties of a solved state: the control switch's, and a boost leg's where there is one. */
export function dutiesOf(state: SteadyState): { duty: number; boostDuty: number | undefined } {
  const { operation, duty } = state;
  if (operation.transition) {
    const { transition } = operation;
    return transition.open === 'duty'
      ? { duty, boostDuty: transition.boostDuty }
      : { duty: transition.duty, boostDuty: duty };
  }
  if (operation.dutyOf === 'boostControl') return { duty: 1, boostDuty: duty };
  return { duty, boostDuty: operation.region ? 0 : undefined };
}

function findIn(
  operation: Operation,
  network: Network,
  clocking: Clocking,
  target: number,
): SteadyState | 'contradicted' | undefined {
  const period = 1 / operation.conditions.switchingFrequency;
  let contradicted = false;
  for (const pattern of patternsFor(operation, clocking, period)) {
    const found = solvePattern(network, pattern, period, target);
    if (!found) continue;
    if (!pattern.holds(found.periodic)) {
      contradicted = true;
      continue;
    }
    return { periodic: found.periodic, operation, mode: pattern.mode, duty: found.duty, outOfReach: false };
  }
  return contradicted ? 'contradicted' : undefined;
}

/** Relative slope of the lossless conversion ratio: a start that the first steps of the search correct. */
function slopeAt(operation: Operation, duty: number): number {
  const { control, rectifier } = operation.cells;
  const c = operation.conditions;
  const ratio = (d: number): number =>
    (d * control!.fromInput + (1 - d) * rectifier!.fromInput) / (d * control!.toOutput + (1 - d) * rectifier!.toOutput);
  const step = 1e-4;
  const at = Math.min(duty, 1 - 2 * step);
  return (c.inputVoltage * (ratio(at + step) - ratio(at))) / step / c.outputVoltage;
}

const GOLDEN = (Math.sqrt(5) - 1) / 2;

/** The nearest that a stage comes to an output it cannot give. */
function atTheEnd(operation: Operation, network: Network, clocking: Clocking, target: number): SteadyState | undefined {
  const period = 1 / operation.conditions.switchingFrequency;
  const { control, rectifier } = operation.cells;
  const at = (duty: number): Periodic | undefined => {
    const steps: Step[] = [];
    if (duty > 0) steps.push({ cell: 'control', duration: duty * period });
    if (duty < 1) steps.push({ cell: 'rectifier', duration: (1 - duty) * period });
    return periodicState(network, steps, period);
  };
  const state = (periodic: Periodic | undefined, duty: number): SteadyState | undefined =>
    periodic && Number.isFinite(periodic.averageOutput)
      ? { periodic, operation, mode: 'CCM', duty, outOfReach: true }
      : undefined;
  if (control!.toOutput === 1) {
    const periodic = at(1);
    return periodic && periodic.averageOutput < target ? state(periodic, 1) : undefined;
  }
  if (rectifier!.fromInput === 1) {
    const passing = at(0);
    if (passing && passing.averageOutput > target) return state(passing, 0);
  }
  // the ratio rises to its collapse and falls: the highest output within the controller's reach
  let low = 0;
  let high = Math.min(clocking.maximumDuty, 0.9999);
  const output = (duty: number): number => at(duty)?.averageOutput ?? -Infinity;
  let left = high - GOLDEN * (high - low);
  let right = low + GOLDEN * (high - low);
  let atLeft = output(left);
  let atRight = output(right);
  for (let i = 0; i < 30; i += 1) {
    if (atLeft > atRight) {
      high = right;
      right = left;
      atRight = atLeft;
      left = high - GOLDEN * (high - low);
      atLeft = output(left);
    } else {
      low = left;
      left = right;
      atLeft = atRight;
      right = low + GOLDEN * (high - low);
      atRight = output(right);
    }
  }
  const best = (low + high) / 2;
  return state(at(best), best);
}

const clamp = (value: number, low: number, high: number): number => Math.min(high, Math.max(low, value));

export function patternsFor(operation: Operation, clocking: Clocking, period: number): Pattern[] {
  const { conditions: c, forms } = operation;
  const dead = Math.min(c.deadTime, period * LONGEST_DEAD_SHARE);
  if (operation.transition) return transitionPatterns(operation, clocking, period, dead);
  const duty = forms.ccmDuty(c);
  const start = [Number.isFinite(duty) ? clamp(duty, 1e-6, 1) : 0.5];
  const leading: Step[] = dead > 0 ? [{ cell: 'deadForward', duration: dead }] : [];
  const at = leading.length;
  const on = (d: number): Step => ({ cell: 'control', duration: d * period });
  const rectifier = (d: number): Step => ({
    cell: 'rectifier',
    duration: dead > 0 ? (1 - d) * period - 2 * dead : (1 - d) * period,
  });
  if (clocking.critical) return criticalPatterns(operation, clocking.critical.valley, period, dead);
  const ccm = (trailing: Step[], holds: Pattern['holds']): Pattern => ({
    mode: 'CCM',
    steps: ([d = 0]) => [on(d), ...leading, rectifier(d), ...trailing],
    events: [],
    start,
    slope: slopeAt(operation, start[0]!),
    holds,
  });

  if (clocking.rectifies) {
    const trailing: Step[] = dead > 0 ? [{ cell: 'deadForward', duration: dead }] : [];
    const continuous = ccm(trailing, (periodic) => endOf(periodic, 0) >= 0 && endOf(periodic, trailing.length) >= 0);
    const ripple = forms.inductorRipple(c, start[0]!);
    const clearlyContinuous = forms.inductorAverage(c, start[0]!) > 0.4 * ripple;
    const light = clocking.pulses
      ? pulsePatterns(operation, clocking.pulses.least, period, dead)
      : discontinuousPatterns(operation, period, dead);
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
    events: [{ step: 2 + at, level: 0 }],
    start: [start[0]!, dead / period / 2],
    holds: (p) => endOf(p, 2) * (cell === 'deadForward' ? 1 : -1) >= 0,
  });
  return forms.inductorAverage(c, start[0]!) > forms.inductorRipple(c, start[0]!) / 2
    ? [forward, stopping('deadForward'), reverse, stopping('deadReverse')]
    : [reverse, stopping('deadReverse'), stopping('deadForward'), forward];
}

/** A, where a step ends, counted from the last one. */
function endOf(periodic: Periodic, fromLast: number): number {
  return currentAtStepEnd(periodic, periodic.steps.length - 1 - fromLast);
}

/** Fixed frequency, the current stopping in each period: in the rectifier, or before the dead time after the control switch ends. */
function discontinuousPatterns({ conditions: c, forms }: Operation, period: number, dead: number): Pattern[] {
  const fixed: StageConditions = c.switchingFrequency * period === 1 ? c : { ...c, switchingFrequency: 1 / period };
  const lossless = forms.dcmDuties(fixed);
  const crowding = Math.min(1, 0.995 / (lossless.duty + lossless.rectifierDuty));
  const start = [lossless.duty * crowding, lossless.rectifierDuty * crowding];
  if (!start.every((value) => Number.isFinite(value))) return [];
  const idle = (used: number): Step => ({ cell: 'idle', duration: period - used });
  const on = (d: number): Step => ({ cell: 'control', duration: d * period });
  const discontinuous: Pattern = {
    mode: 'DCM',
    period: () => period,
    steps: ([d = 0, r = 0]) => [
      on(d),
      ...(dead > 0 ? [{ cell: 'deadForward', duration: dead } as const] : []),
      { cell: 'rectifier', duration: r * period - dead },
      idle((d + r) * period),
    ],
    events: [{ step: dead > 0 ? 2 : 1, level: 0 }],
    start,
    holds: (periodic) => dead === 0 || (periodic.steps[3]?.duration ?? 0) >= dead * (1 - 1e-9),
  };
  if (dead === 0) return [discontinuous];
  const inSecondDeadTime: Pattern = {
    mode: 'DCM',
    period: () => period,
    steps: ([d = 0, r = 0]) => [
      on(d),
      { cell: 'deadForward', duration: dead },
      { cell: 'rectifier', duration: (1 - d) * period - 2 * dead },
      { cell: 'deadForward', duration: r * period },
      { cell: 'idle', duration: dead - r * period },
    ],
    events: [{ step: 3, level: 0 }],
    start: [start[0]!, dead / period / 2],
    holds: () => true,
  };
  const withinDeadTime: Pattern = {
    mode: 'DCM',
    period: () => period,
    steps: ([d = 0, r = 0]) => [on(d), { cell: 'deadForward', duration: r * period }, idle((d + r) * period)],
    events: [{ step: 1, level: 0 }],
    start,
    holds: (periodic) => periodic.steps[1]!.duration <= dead,
  };
  return [discontinuous, withinDeadTime, inSecondDeadTime];
}

/**
 * Light load with a frequency that follows it: pulses as large as at the boundary of continuous conduction, ever fewer
 * of them, down to the least frequency, where they shrink instead.
 */
function pulsePatterns(operation: Operation, least: number, period: number, dead: number): Pattern[] {
  const { conditions: c, forms } = operation;
  const boundary = forms.ccmDuty({ ...c, outputCurrent: 0 });
  if (!(boundary > 0 && boundary < 1)) return discontinuousPatterns(operation, period, dead);
  const onTime = boundary * period;
  // the load's share of a period in which this pulse is the whole of it
  const fixed = forms.dcmDuties(c);
  const stretched = clamp((boundary / fixed.duty) ** 2, 1, 1e9) * period;
  const rectifierTime = (onTime * fixed.rectifierDuty) / fixed.duty;
  const fewer: Pattern = {
    mode: 'DCM',
    period: ([, t = 1]) => t * period,
    duty: ([, t = 1]) => boundary / t,
    steps: ([r = 0, t = 1]) => [
      { cell: 'control', duration: onTime },
      ...(dead > 0 ? [{ cell: 'deadForward', duration: dead } as const] : []),
      { cell: 'rectifier', duration: r * period - dead },
      { cell: 'idle', duration: (t - r) * period - onTime },
    ],
    events: [{ step: dead > 0 ? 2 : 1, level: 0 }],
    start: [rectifierTime / period, stretched / period],
    holds: (periodic) => periodic.period >= period * (1 - 1e-9) && periodic.period * least <= 1,
  };
  return [
    fewer,
    ...(least > 0 && stretched * least > 0.5 ? discontinuousPatterns(operation, 1 / least, dead) : []),
    ...discontinuousPatterns(operation, period, dead),
  ];
}

/** Variable frequency: the next period begins when the current has come back to −valley. */
function criticalPatterns(operation: Operation, valley: number, nominal: number, dead: number): Pattern[] {
  const { conditions: c, forms } = operation;
  const duty = clamp(forms.ccmDuty(c), 1e-4, 1 - 1e-4);
  if (!Number.isFinite(duty)) return [];
  const average = forms.inductorAverage(c, duty);
  const ripple = forms.inductorRipple(c, duty);
  // the ripple that just reaches −valley is twice the average and twice the valley
  const t = clamp((2 * (average + valley)) / Math.max(ripple, 1e-12), 1e-6, 1e6);
  const pause: (cell: 'deadReverse' | 'idle') => Step[] = (cell) => (dead > 0 ? [{ cell, duration: dead }] : []);
  const ends: ('deadReverse' | 'idle')[] = valley > 0 ? ['deadReverse', 'idle'] : ['idle'];
  const lead: Step[] = dead > 0 ? [{ cell: 'deadForward', duration: dead }] : [];
  return ends.map((cell) => ({
    mode: 'CRM',
    period: ([, length = 1]) => length * nominal,
    duty: ([d = 0]) => d,
    steps: ([d = 0, length = 1]) => [
      { cell: 'control', duration: d * length * nominal },
      ...lead,
      { cell: 'rectifier', duration: (1 - d) * length * nominal - (dead > 0 ? 2 * dead : 0) },
      ...pause(cell),
    ],
    events: [{ step: 1 + lead.length, level: -valley }],
    start: [duty, t],
    holds: (periodic) => cell === 'idle' || dead === 0 || endOf(periodic, 0) <= 0,
  }));
}

/** Both legs of a four-switch stage switching: charge, through, release. One leg's duty is given, the other's found. */
function transitionPatterns(operation: Operation, clocking: Clocking, period: number, dead: number): Pattern[] {
  const { duty, boostDuty, open } = operation.transition!;
  const start = [open === 'duty' ? clamp(duty, 1e-6, 1) : boostDuty];
  const dutyNow = (u: number): number => (open === 'duty' ? u : duty);
  const boostNow = (u: number): number => (open === 'duty' ? boostDuty : u);
  const gap = (cell: 'deadThrough' | 'deadForward' | 'deadBoth' | 'deadBothReverse'): Step[] =>
    dead > 0 ? [{ cell, duration: dead }] : [];
  const c = operation.conditions;
  const slope =
    (c.inputVoltage / c.outputVoltage) * (open === 'duty' ? 1 / (1 - boostDuty) : duty / (1 - boostDuty) ** 2);
  const before = (d: number, b: number): Step[] => [
    { cell: 'control', duration: b * period },
    ...gap('deadThrough'),
    { cell: 'through', duration: (d - b) * period - (dead > 0 ? dead : 0) },
    ...gap('deadForward'),
  ];
  const continuous = (trailing: 'deadBoth' | 'deadBothReverse', holds: Pattern['holds']): Pattern => ({
    mode: 'CCM',
    steps: ([u = 0]) => [
      ...before(dutyNow(u), boostNow(u)),
      { cell: 'rectifier', duration: (1 - dutyNow(u)) * period - (dead > 0 ? 2 * dead : 0) },
      ...gap(trailing),
    ],
    events: [],
    start,
    slope,
    holds,
  });
  if (clocking.rectifies) {
    const stops: Pattern = {
      mode: 'DCM',
      steps: ([u = 0, r = 0]) => [
        ...before(dutyNow(u), boostNow(u)),
        { cell: 'rectifier', duration: r * period - (dead > 0 ? dead : 0) },
        { cell: 'idle', duration: (1 - dutyNow(u) - r) * period },
      ],
      events: [{ step: dead > 0 ? 4 : 2, level: 0 }],
      start: [start[0]!, (1 - dutyNow(start[0]!)) / 2],
      holds: () => true,
    };
    return [continuous('deadBoth', (p) => endOf(p, 0) >= 0), stops];
  }
  if (dead === 0) return [continuous('deadBoth', () => true)];
  return [
    continuous('deadBoth', (p) => endOf(p, 1) >= 0 && endOf(p, 0) >= 0),
    continuous('deadBothReverse', () => true),
  ];
}

interface Evaluated {
  periodic: Periodic;
  residuals: number[];
}

/** Newton's method with a Jacobian by differences, kept up by Broyden's update; at most three unknowns. */
export function solvePattern(
  network: Network,
  pattern: Pattern,
  nominal: number,
  target: number,
): { periodic: Periodic; duty: number } | undefined {
  const count = pattern.start.length;
  const currentScale = Math.max(1e-9, (target * nominal) / network.circuit.inductance);
  let unknowns = pattern.start.slice();
  let evaluated: Evaluated | undefined = evaluate(unknowns);
  let jacobian: number[][] | undefined = pattern.slope === undefined ? undefined : [[pattern.slope]];
  // a stiff or hardly damped network leaves a floor of rounding above the tolerance: then the best found counts
  let best: { size: number; found: { periodic: Periodic; duty: number } } | undefined;
  let sinceBest = 0;
  const settled = (): { periodic: Periodic; duty: number } | undefined =>
    best && best.size < SMALL ? best.found : undefined;
  for (let iteration = 0; iteration < MOST_ITERATIONS; iteration += 1) {
    if (!evaluated) return settled();
    const { residuals, periodic }: Evaluated = evaluated;
    const size = residuals.reduce((largest, r) => Math.max(largest, Math.abs(r)), 0);
    const improves = !best || size < best.size;
    sinceBest = improves ? 0 : sinceBest + 1;
    if (improves) best = { size, found: { periodic, duty: dutyAt(unknowns) } };
    if (size < TOLERANCE || (sinceBest >= 2 && best!.size < SMALL)) return best!.found;
    if (sinceBest >= 3) jacobian = undefined; // the update has lost its way
    jacobian ??= differences(unknowns, residuals);
    if (!jacobian) return settled();
    const step = solveLinear(
      count,
      jacobian.flat(),
      residuals.map((r) => -r),
    );
    if (!step) return settled();
    const previous: { unknowns: number[]; residuals: number[] } = { unknowns, residuals };
    let shrink = 1;
    let next: Evaluated | undefined;
    let tried: number[];
    do {
      tried = previous.unknowns.map((u, i) => u + shrink * step[i]!);
      next = evaluate(tried);
      shrink /= 2;
    } while (!next && shrink > 1e-3);
    if (!next) return settled();
    jacobian = shrink === 0.5 ? broyden(jacobian, previous, tried, next.residuals) : undefined;
    const moved = tried.some((u, i) => Math.abs(u - previous.unknowns[i]!) > 1e-15 * Math.max(1e-3, Math.abs(u)));
    unknowns = tried;
    evaluated = next;
    if (!moved) return settled();
  }
  return settled();

  function dutyAt(at: readonly number[]): number {
    return pattern.duty ? pattern.duty(at) : at[0]!;
  }

  function evaluate(at: readonly number[]): Evaluated | undefined {
    const period = pattern.period ? pattern.period(at) : nominal;
    if (!(period > 0)) return undefined;
    const steps = pattern.steps(at);
    if (steps.some((step) => !(step.duration >= 0) || step.duration > period * (1 + 1e-9))) return undefined;
    const periodic = periodicState(network, steps, period);
    if (!periodic) return undefined;
    const residuals = [
      periodic.averageOutput / target - 1,
      ...pattern.events.map(({ step, level }) => (currentAtStepEnd(periodic, step) - level) / currentScale),
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
