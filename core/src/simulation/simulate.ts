import type { Design } from '../design/schema.ts';
import { Budget } from '../numbers/linear.ts';
import { formatQuantity } from '../quantity/format.ts';
import { completeDecisions, type Completion } from '../stage/sizing/complete.ts';
import { SimulationError } from './modulator.ts';
import { cornerAsked } from './setup.ts';
import { repeating, type Run, type SimulateOptions, type Simulating, type Simulation } from './run.ts';
import { broken, lineStep, loadStep, rawStage, shortCircuit, startUp, stepTrain, withBank } from './scenarios.ts';

/**
 * Simulates a scenario of a design, switching event by switching event.
 * @throws SimulationError in words where the scenario cannot be run
 */
export function simulate(design: Design, options: SimulateOptions): Simulation {
  const run = simulating(design, options);
  for (;;) {
    const step = run.next();
    if (step.done) return step.value;
  }
}

/** Multiplications that a run may take where its caller sets no other bound: some minutes of a design that is hard at worst, more for each cycle of a long one that is asked for, and never more than so many. */
const WORK = { least: 1e10, ofCycle: 1e5, most: 4e11 };
const workFor = ({ duration = 0 }: SimulateOptions, frequency: number): number =>
  Math.min(WORK.most, Math.max(WORK.least, WORK.ofCycle * duration * frequency));

/**
 * The same, slice by slice: it may be left at any, with what it has. Bounded in work: a run that has used it up ends where it
 * stands and says so, and one that has nothing to show by then is an error.
 */
export function* simulating(design: Design, options: SimulateOptions): Simulating {
  const completion = completeDecisions(design);
  const budget = new Budget(options.work ?? workFor(options, completion.decisions.switchingFrequency));
  const going = following(design, completion, options);
  let last: Simulation | undefined;
  for (;;) {
    const step = budget.run(() => going.next());
    if (step === 'spent') {
      if (!last)
        throw new SimulationError(
          'The run takes more work than one may before it has a first figure: many unlike capacitors, or values many orders of magnitude apart.',
        );
      const message = `The run ended after ${formatQuantity(last.duration, 's')}: more work than one may take. The figures are those until then.`;
      return { ...last, warnings: [...last.warnings, { id: ENDED_EARLY, message }] };
    }
    if (step.done) return step.value;
    last = step.value.soFar;
    yield step.value;
  }
}

/** The warning of a run that its bound of work ended. */
export const ENDED_EARLY = 'ended-early';

function* following(design: Design, { decisions }: Completion, options: SimulateOptions): Simulating {
  const corner = cornerAsked(design.brief, options.at);
  const { duration, rate } = options;
  if (duration !== undefined && !(duration > 0)) throw new SimulationError('expected a time above 0.', 'duration');
  if (rate !== undefined && !(rate > 0)) throw new SimulationError('expected a frequency above 0.', 'rate');
  const run: Run = { design, decisions, corner, options, assumed: [] };
  switch (options.scenario) {
    case 'light-load':
      return repeating({ ...run, corner: { ...corner, outputCurrent: design.brief.outputCurrent.min } }, undefined);
    case 'steady-state':
      return repeating(run, undefined);
    case 'open-loop': {
      const { duty } = options;
      if (duty === undefined || !(duty >= 0 && duty <= 1))
        throw new SimulationError('expected a part of the period, 0 to 1, of the open loop.', 'duty');
      return repeating(run, duty);
    }
    case 'load-step':
    case 'bank-aged':
    case 'bank-lost':
      return yield* loadStep(withBank(run));
    case 'step-train':
      return yield* stepTrain(run);
    case 'line-step':
      return yield* lineStep(run);
    case 'overload':
    case 'short-circuit':
      return yield* shortCircuit(run);
    case 'start-up':
      return yield* startUp(run);
    case 'lighter-load':
    case 'duty-ramp':
      return yield* rawStage(run);
    case 'phase-lost':
    case 'switch-shorted':
    case 'feedback-lost':
    case 'divider-open':
      return yield* broken(run, options.scenario);
  }
}
