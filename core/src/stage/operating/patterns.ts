import type { CellName } from '../../network/circuit.ts';
import { currentAtStepEnd, type Periodic, type Step } from '../../network/periodic.ts';
import type { Operation, StageConditions } from '../../topology/index.ts';
import { LONGEST_DEAD_SHARE, type Clocking } from '../../topology/ofDesign.ts';

export type ConductionMode = 'CCM' | 'DCM' | 'CRM';

/** A periodic state that gives the wanted output, or the nearest that the stage can reach. */
export interface SteadyState {
  periodic: Periodic;
  operation: Operation;
  mode: ConductionMode;
  /** the found duty of the switching leg's control switch; see `dutiesOf` for both legs */
  duty: number;
  /** true when no duty gives the wanted output: duty then stands at its end */
  outOfReach: boolean;
}

/** An order of switch states whose open durations the solver finds. */
export interface Pattern {
  mode: ConductionMode;
  /** the steps of a period, made once */
  steps: readonly Step[];
  /** writes their lengths for a guess at the unknowns; one may come out negative, and the guess is then refused */
  lay(unknowns: readonly number[]): void;
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

const clamp = (value: number, low: number, high: number): number => Math.min(high, Math.max(low, value));

/** A step and its length (s) from the unknowns: the duty, and what else the pattern leaves open. */
type Stretch = readonly [CellName, (first: number, second: number) => number];

function laid(...stretches: readonly Stretch[]): Pick<Pattern, 'steps' | 'lay'> {
  const steps = stretches.map(([cell]): Step => ({ cell, duration: 0 }));
  return {
    steps,
    lay([first = 0, second = 0]) {
      for (let i = 0; i < steps.length; i += 1) steps[i]!.duration = stretches[i]![1](first, second);
    },
  };
}

/** Steps of one length, where it is any. */
function pause(cell: CellName, duration: number): Stretch[] {
  return duration > 0 ? [[cell, () => duration]] : [];
}

export function patternsFor(operation: Operation, clocking: Clocking, period: number): Pattern[] {
  const { conditions: c, forms } = operation;
  const dead = Math.min(c.deadTime, period * LONGEST_DEAD_SHARE);
  if (operation.transition) return transitionPatterns(operation, clocking, period, dead);
  const duty = forms.ccmDuty(c);
  const start = [Number.isFinite(duty) ? clamp(duty, 1e-6, 1) : 0.5];
  const leading = pause('deadForward', dead);
  const at = leading.length;
  const on: Stretch = ['control', (d) => d * period];
  const rectifier: Stretch = ['rectifier', (d) => (1 - d) * period - 2 * dead];
  if (clocking.critical) return criticalPatterns(operation, clocking.critical.valley, period, dead);
  const ccm = (trailing: Stretch[], holds: Pattern['holds']): Pattern => ({
    mode: 'CCM',
    ...laid(on, ...leading, rectifier, ...trailing),
    events: [],
    start,
    slope: slopeAt(operation, start[0]!),
    holds,
  });

  if (clocking.rectifies) {
    const continuous = ccm(leading, (periodic) => endOf(periodic, 0) >= 0 && endOf(periodic, leading.length) >= 0);
    const ripple = forms.inductorRipple(c, start[0]!);
    const clearlyContinuous = forms.inductorAverage(c, start[0]!) > 0.4 * ripple;
    const light = clocking.pulses
      ? pulsePatterns(operation, clocking.pulses, period, dead)
      : discontinuousPatterns(operation, period, dead);
    return clearlyContinuous ? [continuous, ...light] : [...light, continuous];
  }

  if (dead === 0) return [ccm([], () => true)];
  // Forced continuous conduction: what carries the current in the second dead time depends on its sign there.
  const forward = ccm(pause('deadForward', dead), (p) => endOf(p, 1) >= 0 && endOf(p, 0) >= 0);
  const reverse = ccm(pause('deadReverse', dead), (p) => endOf(p, 1) <= 0 && endOf(p, 0) <= 0);
  const stopping = (cell: 'deadForward' | 'deadReverse'): Pattern => ({
    mode: 'CCM',
    ...laid(on, ...leading, rectifier, [cell, (_, r) => r * period], ['idle', (_, r) => dead - r * period]),
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
  const on: Stretch = ['control', (d) => d * period];
  const idle: Stretch = ['idle', (d, r) => period - (d + r) * period];
  const discontinuous: Pattern = {
    mode: 'DCM',
    period: () => period,
    ...laid(on, ...pause('deadForward', dead), ['rectifier', (_, r) => r * period - dead], idle),
    events: [{ step: dead > 0 ? 2 : 1, level: 0 }],
    start,
    holds: (periodic) => dead === 0 || (periodic.steps[3]?.duration ?? 0) >= dead * (1 - 1e-9),
  };
  if (dead === 0) return [discontinuous];
  const inSecondDeadTime: Pattern = {
    mode: 'DCM',
    period: () => period,
    ...laid(
      on,
      ...pause('deadForward', dead),
      ['rectifier', (d) => (1 - d) * period - 2 * dead],
      ['deadForward', (_, r) => r * period],
      ['idle', (_, r) => dead - r * period],
    ),
    events: [{ step: 3, level: 0 }],
    start: [start[0]!, dead / period / 2],
    holds: () => true,
  };
  const withinDeadTime: Pattern = {
    mode: 'DCM',
    period: () => period,
    ...laid(on, ['deadForward', (_, r) => r * period], idle),
    events: [{ step: 1, level: 0 }],
    start,
    holds: (periodic) => periodic.steps[1]!.duration <= dead,
  };
  return [discontinuous, withinDeadTime, inSecondDeadTime];
}

/**
 * Part of the clock's period that a pulse takes where the frequency follows the load: as large as at the boundary of
 * continuous conduction, or where full load does not reach it as large as that takes.
 * @param fullLoad A
 */
export function followingDuty({ conditions: c, forms }: Pick<Operation, 'conditions' | 'forms'>, fullLoad: number) {
  const boundary = forms.ccmDuty({ ...c, outputCurrent: 0 });
  const whole = forms.dcmDuties({ ...c, outputCurrent: fullLoad }).duty;
  return whole < boundary ? whole : boundary;
}

/** Light load with a frequency that follows it: ever fewer pulses, down to the least frequency, where they shrink instead. */
function pulsePatterns(
  operation: Operation,
  { least, fullLoad }: NonNullable<Clocking['pulses']>,
  period: number,
  dead: number,
): Pattern[] {
  const { conditions: c, forms } = operation;
  const boundary = followingDuty(operation, fullLoad);
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
    ...laid(
      ['control', () => onTime],
      ...pause('deadForward', dead),
      ['rectifier', (r) => r * period - dead],
      ['idle', (r, t) => (t - r) * period - onTime],
    ),
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
  const ends: ('deadReverse' | 'idle')[] = valley > 0 ? ['deadReverse', 'idle'] : ['idle'];
  return ends.map((cell) => ({
    mode: 'CRM',
    period: ([, length = 1]) => length * nominal,
    duty: ([d = 0]) => d,
    ...laid(
      ['control', (d, length) => d * length * nominal],
      ...pause('deadForward', dead),
      ['rectifier', (d, length) => (1 - d) * length * nominal - 2 * dead],
      ...pause(cell, dead),
    ),
    events: [{ step: dead > 0 ? 2 : 1, level: -valley }],
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
  const c = operation.conditions;
  const slope =
    (c.inputVoltage / c.outputVoltage) * (open === 'duty' ? 1 / (1 - boostDuty) : duty / (1 - boostDuty) ** 2);
  const before: Stretch[] = [
    ['control', (u) => boostNow(u) * period],
    ...pause('deadThrough', dead),
    ['through', (u) => (dutyNow(u) - boostNow(u)) * period - dead],
    ...pause('deadForward', dead),
  ];
  const continuous = (trailing: 'deadBoth' | 'deadReverse', holds: Pattern['holds']): Pattern => ({
    mode: 'CCM',
    ...laid(...before, ['rectifier', (u) => (1 - dutyNow(u)) * period - 2 * dead], ...pause(trailing, dead)),
    events: [],
    start,
    slope,
    holds,
  });
  if (clocking.rectifies) {
    const stops: Pattern = {
      mode: 'DCM',
      ...laid(...before, ['rectifier', (_, r) => r * period - dead], ['idle', (u, r) => (1 - dutyNow(u) - r) * period]),
      events: [{ step: dead > 0 ? 4 : 2, level: 0 }],
      start: [start[0]!, (1 - dutyNow(start[0]!)) / 2],
      holds: () => true,
    };
    return [continuous('deadBoth', (p) => endOf(p, 0) >= 0), stops];
  }
  if (dead === 0) return [continuous('deadBoth', () => true)];
  return [continuous('deadBoth', (p) => endOf(p, 1) >= 0 && endOf(p, 0) >= 0), continuous('deadReverse', () => true)];
}
