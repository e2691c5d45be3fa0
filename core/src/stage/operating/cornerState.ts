import type { Corner } from '../../design/corner.ts';
import type { Brief } from '../../design/schema.ts';
import { within } from '../../numbers/linear.ts';
import { tracerFor, type Range } from '../../numbers/trace.ts';
import type { TopologyModel } from '../../topology/index.ts';
import { effective } from './heat.ts';
import { flowOf } from './inputBank.ts';
import type { SteadyState } from './patterns.ts';
import type { CompleteDecisions } from '../../design/complete.ts';
import { clockingOf, conditionsAt, networkAt } from '../../topology/ofDesign.ts';
import { findSteadyState } from './steadyState.ts';

/** Multiplications that one corner may take: under half a second or so, so that nine of them stay below five seconds in a slow spell too. The largest design of sensible values stays well below. */
export const MOST_WORK = 3.3e8;

/** Loads over the one asked from which a state is carried on, and steps on the way. Our own. */
const CARRIED = { from: [0.5, 2], steps: 6 };

/**
 * The periodic state of a corner, with the duty that gives the brief's average output.
 * @param decisions as the circuit has them, resistances at their temperatures
 * @param near a state that it may be near to
 * @param roughly whether a bent inductance need only be told as finely as a bench tells apart
 * @returns undefined where no order of switching closes on itself
 */
export function stateOf(
  model: TopologyModel,
  brief: Brief,
  decisions: CompleteDecisions,
  corner: Corner,
  near?: SteadyState,
  roughly = false,
): SteadyState | undefined {
  const stateAt = (load: number, from?: SteadyState): SteadyState | undefined => {
    const there = { ...corner, outputCurrent: load };
    return findSteadyState(
      model.operations(conditionsAt(brief, decisions, there)),
      (cells) => networkAt(brief, decisions, there, cells, roughly),
      clockingOf(brief, decisions),
      brief.outputVoltage,
      from,
    );
  };
  return (
    stateAt(corner.outputCurrent, near) ?? (decisions.coupling ? reached(corner.outputCurrent, stateAt) : undefined)
  );
}

/** The state at a load by way of others, each the next one's start: coupled windings have orders that no guess is near to. */
function reached(
  load: number,
  stateAt: (load: number, near?: SteadyState) => SteadyState | undefined,
): SteadyState | undefined {
  for (const from of CARRIED.from) {
    let state = stateAt(from * load);
    for (let step = 1; state && step <= CARRIED.steps; step += 1)
      state = stateAt(load * from ** (1 - step / CARRIED.steps), state);
    if (state && !state.outOfReach) return state;
  }
  return undefined;
}

/** V peak to peak of the output bank at a corner, exact, with every part as cold as its data sheet has it; 0 where there is no state. */
export function bankRippleAt(model: TopologyModel, brief: Brief, decisions: CompleteDecisions, corner: Corner): number {
  const swing = within(MOST_WORK, () => {
    const state = stateOf(model, brief, effective(decisions, {}), corner, undefined, true);
    if (!state) return 0;
    const { network, intervals } = state.periodic;
    const range: Range = { min: Infinity, max: -Infinity };
    for (const { configuration, duration, initial } of intervals) {
      const flow = flowOf(network, configuration);
      const trace = tracerFor(flow.size);
      trace.follow(flow, duration, initial);
      trace.reach(configuration.outputVoltage, range);
    }
    return range.max - range.min;
  });
  return swing === 'spent' || !Number.isFinite(swing) ? 0 : swing;
}
