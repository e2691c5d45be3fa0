import { balancedGuess, followDiodes } from '../../network/diodes.ts';
import type { Edge, Schedule, Signal } from '../../network/follower.ts';
import type { Network } from '../../network/network.ts';
import type { Vector } from '../../numbers/linear.ts';
import type { Operation, Transition } from '../../topology/index.ts';
import { followingDuty, type SteadyState } from './patterns.ts';
import { LONGEST_DEAD_SHARE, type Clocking } from '../../topology/ofDesign.ts';

/** A way of clocking with one unknown, to be closed by following the diodes. */
interface Clock {
  scheduleOf(unknown: number): Schedule | undefined;
  guess: number;
  /** ends of the unknown, and whether more of it delivers more */
  range: { low: number; high: number; rises: boolean };
  dutyOf(unknown: number): number;
  /** of a state found otherwise; undefined where it was clocked in another way */
  unknownOf(state: SteadyState): number | undefined;
  holds(period: number): boolean;
}

/**
 * The steady state by following every diode's own turning on and off, for what no assumed order of switch states
 * describes: coupled windings at light load, where one phase's switching drives another's resting current, and dead
 * times in which that happens; and inductances that depend on the current, whose steps are followed likewise. Not for
 * critical conduction, whose period is open too.
 * @param near a state of a like circuit to start from
 */
export function followedState(
  operation: Operation,
  network: Network,
  clocking: Clocking,
  target: number,
  near?: SteadyState,
): SteadyState | undefined {
  // both legs' switching is followed from a state found by the order of its cells
  if (clocking.critical || (operation.transition && !near)) return undefined;
  const { conditions: c, forms } = operation;
  const continuous = operation.transition ? openDuty(operation.transition) : forms.ccmDuty(c);
  if (!Number.isFinite(continuous)) return undefined;
  const average = forms.inductorAverage(c, Math.min(0.98, continuous));
  const clocks = clocksFor(operation, clocking);
  const from = (clock: Clock, guess: { state: Vector; unknown: number } | undefined): SteadyState | undefined => {
    const found = guess && followDiodes(network, (unknown) => clock.scheduleOf(unknown), guess, target);
    if (!found || !clock.holds(found.periodic.period)) return undefined;
    return {
      periodic: found.periodic,
      operation,
      mode: clocking.rectifies && found.discontinuous ? 'DCM' : 'CCM',
      duty: clock.dutyOf(found.unknown),
      outOfReach: false,
    };
  };
  if (near) {
    const { initial } = near.periodic.intervals[0]!;
    for (const clock of clocks) {
      const unknown = clock.unknownOf(near);
      const found = unknown === undefined ? undefined : from(clock, { state: initial, unknown });
      if (found) return found;
    }
  }
  for (const clock of clocks) {
    const guesses = [
      () => ({ state: network.stateAt(target, 0), unknown: clock.guess }),
      () => ({ state: network.stateAt(target, average), unknown: clock.guess }),
      () => balancedGuess(network, (unknown) => clock.scheduleOf(unknown), clock.range, target),
    ];
    for (const make of guesses) {
      const found = from(clock, make());
      if (found) return found;
    }
  }
  return undefined;
}

function clocksFor(operation: Operation, clocking: Clocking): Clock[] {
  const { conditions: c, forms } = operation;
  const period = 1 / c.switchingFrequency;
  const dead = Math.min(c.deadTime, period * LONGEST_DEAD_SHARE);
  if (operation.transition) return [transitionClock(operation.transition, clocking, period, dead)];
  const off = clocking.rectifies ? 'diode' : 'rectifier';
  const edgesOf = (on: number, length: number, perUnknown: { on: number; period: number }): Edge[] => {
    const after = { perUnknown: perUnknown.on };
    if (dead === 0)
      return [
        { signal: 'control', time: 0, perUnknown: 0 },
        { signal: off, time: on, ...after },
      ];
    return [
      { signal: 'control', time: 0, perUnknown: 0 },
      { signal: 'bodies', time: on, ...after },
      { signal: off, time: on + dead, ...after },
      { signal: 'bodies', time: length - dead, perUnknown: perUnknown.period },
    ];
  };
  const fixed = (length: number): Clock => {
    const at = { ...c, switchingFrequency: 1 / length };
    const continuous = forms.ccmDuty(at);
    const stopping = forms.dcmDuties(at).duty;
    return {
      scheduleOf: (duty) =>
        duty > 0 && duty * length + 2 * dead < length
          ? { period: length, periodPerUnknown: 0, edges: edgesOf(duty * length, length, { on: length, period: 0 }) }
          : undefined,
      guess: Math.min(clocking.rectifies && Number.isFinite(stopping) ? stopping : 1, continuous),
      range: { low: 1e-4, high: Math.min(1 - (2 * dead) / length - 1e-6, continuous * 1.05), rises: true },
      dutyOf: (duty) => duty,
      unknownOf: ({ duty, periodic }) => (Math.abs(periodic.period / length - 1) < 1e-9 ? duty : undefined),
      holds: () => true,
    };
  };
  if (!clocking.pulses) return [fixed(period)];
  const { least, fullLoad } = clocking.pulses;
  const boundary = followingDuty(operation, fullLoad);
  const onTime = boundary * period;
  const fewer: Clock = {
    scheduleOf: (length) =>
      length > 0 && onTime + 2 * dead < length * period
        ? {
            period: length * period,
            periodPerUnknown: period,
            edges: edgesOf(onTime, length * period, { on: 0, period }),
          }
        : undefined,
    guess: Math.max(1, (boundary / forms.dcmDuties(c).duty) ** 2),
    range: { low: 1, high: 1e6, rises: false },
    dutyOf: (length) => boundary / length,
    unknownOf: ({ periodic }) => (periodic.period > period * (1 + 1e-9) ? periodic.period / period : undefined),
    holds: (length) => length >= period * (1 - 1e-9) && length * least <= 1,
  };
  // the least frequency only where the load is light enough to have fallen to it
  const atLeast = least > 0 && fewer.guess * period * least > 0.5 ? [fixed(1 / least)] : [];
  return boundary > 0 && boundary < 1 ? [fewer, ...atLeast, fixed(period)] : [fixed(period)];
}

const openDuty = ({ open, duty, boostDuty }: Transition): number => (open === 'duty' ? duty : boostDuty);

/** Both legs of a four-switch stage switching: the boost leg's edge and then the buck leg's, one of them open. */
function transitionClock(transition: Transition, clocking: Clocking, period: number, dead: number): Clock {
  const { open, duty, boostDuty } = transition;
  return {
    scheduleOf: (unknown) => {
      const [buck, boost] = open === 'duty' ? [unknown, boostDuty] : [duty, unknown];
      const ends = (signal: Signal, part: number, after: number, opens: boolean): Edge => ({
        signal,
        time: part * period + after,
        perUnknown: opens ? period : 0,
      });
      if (!(boost > 0 && buck < 1 && boost * period + dead < buck * period && buck * period + 2 * dead < period))
        return undefined;
      const [byBoost, byBuck] = [open === 'boostDuty', open === 'duty'];
      return {
        period,
        periodPerUnknown: 0,
        edges: [
          { signal: 'control', time: 0, perUnknown: 0 },
          ...(dead > 0 ? [ends('deadThrough', boost, 0, byBoost)] : []),
          ends('through', boost, dead, byBoost),
          ...(dead > 0 ? [ends('deadForward', buck, 0, byBuck)] : []),
          ends(clocking.rectifies ? 'diode' : 'rectifier', buck, dead, byBuck),
          ...(dead > 0 ? [ends('bodies', 1, -dead, false)] : []),
        ],
      };
    },
    guess: openDuty(transition),
    range: { low: 1e-4, high: 1 - 1e-6, rises: true },
    dutyOf: (unknown) => unknown,
    unknownOf: (state) => state.duty,
    holds: () => true,
  };
}
