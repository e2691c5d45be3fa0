import { advising, type Advised } from './advice.ts';
import type { Judged, LookedAt } from './area.ts';
import { LONG_AREAS, type QuantityId } from './areas.ts';
import { chooseParts, type Choice } from './parts/choose.ts';
import { bareNames } from './parts/named.ts';
import { DECISION } from './parts/places.ts';
import type { Corner } from './design/corner.ts';
import { isHeld } from './design/decision.ts';
import type { Design } from './design/schema.ts';
import type { Part } from './shelf/part.ts';
import { trialsArea } from './simulation/area.ts';
import { limitTargets } from './simulation/trials.ts';
import { PLACE_WORDS, solveChosen, type PlaceFound } from './parts/solve.ts';
import { solve, type Result, type SolveOptions } from './solve.ts';
import type { CompleteDecisions } from './design/complete.ts';
import {
  assessTargets,
  openTargets,
  worstVerdict,
  type Draft,
  type RungId,
  type Target,
  UNJUDGED,
} from './verdict/target.ts';

/*
 * The one judge, on top of the house: stage, ratings, loop at every corner, then what only time tells. Whoever shows a
 * verdict asks it, to whatever depth; what has not been judged is open, and open is not met.
 */

/** How far a design is judged: `stage` stops at what operating points and data sheets say. */
export type Depth = 'stage' | 'whole';

export interface JudgeOptions extends SolveOptions {
  depth?: Depth | undefined;
  /** parts that the places left free are filled from; plain values by rule where absent */
  parts?: readonly Part[] | undefined;
  /** what they were filled with already, in place of choosing anew */
  choice?: Choice | undefined;
  /** leaves what would mend a missed target untried */
  unadvised?: boolean | undefined;
}

/** What the judge answers: a result, and what filled its places. */
export interface Verdicts extends Result {
  places?: PlaceFound[];
}

export interface Judging {
  /** of the work, 0 to 1 */
  part: number;
  /** with what is not judged yet as open */
  soFar: Verdicts;
}

const NOT_ASKED = 'not judged: the stage alone was asked for';
const NO_STAGE = 'not judged: the stage does not give its output';

/** Parts of the whole work that are done once the stage, and once all that takes longer, is judged. */
const DONE = { stage: 0.05, trials: 0.8 };

/** Judges a design, cheapest first; the last answer is the whole. */
export function* judging(design: Design, options: JudgeOptions = {}): Generator<Judging, Verdicts> {
  const { parts, depth = 'whole', unadvised = false, choice = parts && chooseParts(design, parts), ...asked } = options;
  const filled = choice?.design ?? design;
  const solved: Verdicts = choice ? solveChosen(design, choice, asked) : solve(filled, asked);
  const { decisions } = solved;
  const unread = (choice ? [] : bareNames(design)).map(({ id, path }) => ({
    id: 'part-unread',
    message: `${path} names "${id}" without a value, and there is no shelf to read it from: the values of the rule stand.`,
  }));
  const first = [...solved.targets, ...placeTargets(design, choice), ...ratingTargets(filled, decisions)];
  const works =
    solved.operatingPoints.length > 0 &&
    !first.some(({ id, verdict }) => id === 'outputVoltage' && verdict === 'missed');
  const why = depth === 'stage' ? NOT_ASKED : works ? UNJUDGED : NO_STAGE;
  const areas: Judged<QuantityId>[] = LONG_AREAS.map((area) => area.begin(filled, decisions, why));
  const compose = (): Verdicts => {
    // a simulated step stands where the estimate of it stood
    const judged = new Map(areas.flatMap(({ targets }) => targets).map((target) => [target.id, target]));
    const targets = [
      ...first.flatMap((target) => {
        const found = judged.get(target.id);
        judged.delete(target.id);
        return found === undefined || (found.verdict === 'open' && Number.isNaN(found.predicted)) ? target : found;
      }),
      ...[...judged.values()],
    ].map((target) => ({
      ...target,
      held: target.levers.filter((lever) => isHeld(design, lever)),
      ...lookedAt(target.id, areas),
    }));
    return {
      ...solved,
      targets,
      verdict: worstVerdict(targets),
      warnings: [...solved.warnings, ...unread, ...areas.flatMap(({ warnings }) => warnings)],
    };
  };
  if (depth === 'stage' || !works) return compose();
  yield { part: DONE.stage, soFar: compose() };

  let done = DONE.stage;
  for (const area of areas) {
    const from = done;
    for (const part of area.asked(asked.at)) {
      done = from + area.share * part;
      yield { part: done, soFar: compose() };
    }
    // after the last there is nothing on the way any more
    if (area !== areas[areas.length - 1]) yield { part: done, soFar: compose() };
  }
  const whole = compose();
  if (unadvised || whole.verdict !== 'missed') return whole;
  const withAdvice = (advice: Advised): Verdicts => ({
    ...whole,
    targets: whole.targets.map((target) => {
      const tried = advice.get(target.id);
      return tried ? { ...target, advice: [...tried] } : target;
    }),
  });
  const trying = advising(design, filled, whole.decisions, whole.targets, asked.at);
  for (;;) {
    const step = trying.next();
    if (step.done) return withAdvice(step.value);
    yield { part: DONE.trials, soFar: withAdvice(step.value) };
  }
}

/** The same at once. */
export function judge(design: Design, options: JudgeOptions = {}): Verdicts {
  const going = judging(design, options);
  for (;;) {
    const step = going.next();
    if (step.done) return step.value;
  }
}

/** Targets of the stage's own that are looked at on another rung than its. */
const ELSEWHERE: readonly (readonly [RegExp, RungId])[] = [
  [/Temperature$|^efficiency$|Life$/u, 'heat'],
  [/^place|CapacitorCurrent$|Voltage$|^currentLimitSaturation$|^quiescentCurrent$|^referenceAccuracy$/u, 'parts'],
];
/** On which rung a target is looked at, and in which run. */
function lookedAt(id: string, areas: readonly Judged<QuantityId>[]): LookedAt {
  // what the estimate of a step expects is looked at where it is simulated
  const area = areas.find(({ targets }) => targets.some((target) => target.id === id));
  if (area) return area.lookedAt(id);
  if (id.startsWith('loadStep')) return trialsArea.lookedAt(id);
  const elsewhere = id === 'outputVoltage' ? undefined : ELSEWHERE.find(([pattern]) => pattern.test(id))?.[1];
  return { rung: elsewhere ?? 'stage' };
}

/** A place that no part fills: nothing of what was looked at fits there. */
function placeTargets({ brief }: Design, choice: Choice | undefined): Target<QuantityId>[] {
  if (!choice) return [];
  const at = { inputVoltage: brief.inputVoltage.nominal, outputCurrent: brief.outputCurrent.max };
  return choice.chosen
    .filter(({ filled }) => !filled)
    .map(({ place, words }) => ({
      id: `place${place[0]!.toUpperCase()}${place.slice(1)}`,
      name: `A part for the ${PLACE_WORDS[place]}`,
      unit: '' as const,
      sense: 'above' as const,
      required: 1,
      predicted: 0,
      margin: -1,
      verdict: 'missed' as const,
      why: words,
      used: 2,
      at,
      levers: [DECISION[place], 'switchingFrequency', 'phases'],
      held: [],
      quantity: 'outputVoltageAverage' as const,
    }));
}

/** What data sheets say beside the stage: the current limit against saturation, and what the brief wishes of a controller. */
function ratingTargets(design: Design, decisions: CompleteDecisions): Target<QuantityId>[] {
  const { controller: wished, inputVoltage, outputCurrent } = design.brief;
  const at = { inputVoltage: inputVoltage.nominal, outputCurrent: outputCurrent.max };
  const { quiescentCurrent, referenceAccuracy } = decisions.control;
  const asked: { known: number | undefined; draft: Draft<Corner, QuantityId> }[] = [
    {
      known: quiescentCurrent,
      draft: {
        id: 'quiescentCurrent',
        name: 'Quiescent current of the controller',
        unit: 'A',
        sense: 'below',
        required: wished?.quiescentCurrent,
        predict: () => quiescentCurrent!,
        levers: ['control.quiescentCurrent', 'control'],
        quantity: 'quiescentCurrent',
      },
    },
    {
      known: referenceAccuracy,
      draft: {
        id: 'referenceAccuracy',
        name: 'Reference within',
        unit: '%',
        sense: 'below',
        required: wished?.accuracy,
        predict: () => referenceAccuracy!,
        levers: ['control.referenceAccuracy', 'control'],
        quantity: 'referenceAccuracy',
      },
    },
  ];
  return [
    ...limitTargets(design, decisions),
    ...asked.flatMap(({ known, draft }): Target<QuantityId>[] =>
      known === undefined
        ? openTargets(design, [draft], 'no controller says it')
        : assessTargets(design, [draft], [at]),
    ),
  ];
}
