import type { QuantityId } from './areas.ts';
import type { Corner } from './design/corner.ts';
import { damped } from './control/secondSection.ts';
import { isHeld, taken } from './design/decision.ts';
import type { Brief, Design } from './design/schema.ts';
import { nameOfEntry } from './design/words.ts';
import { lumped } from './estimates/outputBank.ts';
import { loopCorners, loopTargets } from './loop/corners.ts';
import { Budget } from './numbers/linear.ts';
import { formatQuantity, preferredNearest, preferredUp } from './quantity/index.ts';
import { limitTargets, TRIALS, trialTargets, tryOut, type TrialKind } from './simulation/trials.ts';
import { solve } from './solve.ts';
import type { CompleteDecisions } from './design/complete.ts';
import type { Advice, Target } from './verdict/target.ts';

/*
 * What would mend a missed target, found by trying: decisions that are held let go of, those that it moves with changed, and
 * what could be added. Only what was seen to help is named, with the figure that it then gives.
 */

/** A change that is tried: how much of the design it moves, for ranking, and which way it is told. */
interface Trying {
  change: Advice['change'];
  words: string;
  weight: number;
}

/** Missed targets that are advised on, changes tried for each, and those named. Our own. */
const ADVISED = 4;
const TRIED = 16;
const NAMED = 2;
/** Multiplications that all advice may take. */
const WORK = 6e9;
/** Part by which what is used has to fall for a change that does not suffice to be worth naming. */
const WORTH = 0.15;

const TRIAL_OF: readonly (readonly [RegExp, TrialKind])[] = [
  [/^loadStepFull/u, 'fullStep'],
  [/^loadStep|^settlingTime/u, 'step'],
  [/^overload/u, 'overload'],
  [/^shortCircuit/u, 'shortCircuit'],
  [/^start/u, 'start'],
];
const LOOP = ['loopGrowth', 'phaseMargin', 'gainMargin', 'vectorMargin', 'crossover', 'outputImpedance'];

type Targets = Target<QuantityId>[];

/** What was found so far, by the target's id. */
export type Advised = ReadonlyMap<string, readonly Advice[]>;

/**
 * Fills in the advice of the missed targets, one try after another, and tells after each what there is.
 * @param given as its maker holds it
 * @param design the same with its places filled
 */
export function* advising(
  given: Design,
  design: Design,
  decisions: CompleteDecisions,
  targets: readonly Target<QuantityId>[],
  at: Partial<Corner> | undefined,
): Generator<Advised, Advised> {
  const found = new Map<string, Advice[]>();
  const budget = new Budget(WORK);
  const missed = targets.filter(({ verdict }) => verdict === 'missed').sort((a, b) => b.used - a.used);
  const before = new Set(missed.map(({ id }) => id));
  // a change that was tried for one target is known for the next
  const solved = new Map<string, Targets | undefined>();
  const judgedBy = (id: string, change: Trying, changed: Design): Targets | undefined => {
    const kind = TRIAL_OF.find(([pattern]) => pattern.test(id))?.[1];
    const by = kind ?? (LOOP.includes(id) ? 'loop' : 'stage');
    const key = `${by} ${JSON.stringify(change.change)}`;
    if (!solved.has(key)) {
      const made = budget.run(() => askedAgain(by, changed, at));
      solved.set(key, made === 'spent' ? undefined : made);
    }
    return solved.get(key);
  };
  // a loop without margins is why the rest is missed, and it is what is asked soonest
  const loop = missed.find(({ id }) => id === 'phaseMargin') ?? missed.find(({ id }) => LOOP.includes(id));
  const asked = [...(loop ? [loop] : []), ...missed.filter((target) => target !== loop)].slice(0, ADVISED);
  for (const target of asked) {
    const named: (Advice & { weight: number })[] = [];
    for (const trying of changesFor(target, given, decisions).slice(0, TRIED)) {
      const changed = taken(design, trying);
      const now = judgedBy(target.id, trying, changed)?.find(({ id }) => id === target.id);
      yield found;
      // a target that is no longer asked has nothing left to miss
      if (!now || Number.isNaN(now.predicted) || now.verdict === 'open') continue;
      const { change, words, weight } = trying;
      if (now.verdict === 'missed' && !(now.used < target.used * (1 - WORTH))) continue;
      const misses = (judgedBy('outputRipple', trying, changed) ?? [])
        .filter(({ id, verdict }) => verdict === 'missed' && !before.has(id))
        .map(({ name }) => name.toLowerCase());
      named.push({
        change,
        gives: now.predicted,
        verdict: now.verdict,
        words,
        ...(misses.length > 0 ? { misses } : {}),
        weight: weight + 10 * misses.length + (now.verdict === 'missed' ? 5 + now.used : 0),
      });
      // what mends it is told at once; what only betters it may yet give way to that
      if (now.verdict !== 'missed') found.set(target.id, best(named));
      if (named.filter(({ verdict, misses: also }) => verdict !== 'missed' && !also).length >= NAMED) break;
    }
    if (named.length > 0) found.set(target.id, best(named));
  }
  return found;
}

/** Of what helps, those that change least: those that mend before those that only better. */
function best(named: readonly (Advice & { weight: number })[]): Advice[] {
  const mending = named.filter(({ verdict }) => verdict !== 'missed');
  return (mending.length > 0 ? mending : [...named])
    .sort((a, b) => a.weight - b.weight)
    .slice(0, NAMED)
    .map(({ weight: _, ...advice }) => advice);
}

/** The targets of one kind of a changed design, by the same means as they were judged by; undefined where it has none. */
function askedAgain(
  by: TrialKind | 'loop' | 'stage',
  design: Design,
  at: Partial<Corner> | undefined,
): Targets | undefined {
  const solved = solve(design, { at });
  const { decisions } = solved;
  if (by === 'stage') return [...solved.targets, ...limitTargets(design, decisions)];
  if (solved.operatingPoints.length === 0) return undefined;
  if (by === 'loop') {
    const corners = solved.operatingPoints.map(({ inputVoltage, outputCurrent }) => ({ inputVoltage, outputCurrent }));
    const asking = loopCorners(design, false, corners);
    for (;;) {
      const step = asking.next();
      if (step.done) return loopTargets(design, step.value, { decisions });
    }
  }
  const kinds = TRIALS.filter((kind) => kind === by);
  const trying = tryOut(design, decisions, kinds, at);
  for (;;) {
    const step = trying.next();
    if (step.done) return trialTargets(design, decisions, step.value, kinds, '');
  }
}

/** Held decisions that may be at fault besides a target's own levers: network, method, section, rectifier, gate drive. */
const BESIDE: Readonly<Record<'dynamic' | 'power', readonly string[]>> = {
  dynamic: [
    'compensator',
    'control.digital',
    'control.method',
    'outputFilter',
    'switchingFrequency',
    'inductor.inductance',
  ],
  power: ['rectifier', 'controlSwitch', 'inductor.resistance', 'control.gateVoltage', 'switchingFrequency', 'phases'],
};

/** What may be tried for a target, the smallest change first. */
function changesFor(target: Target, given: Design, decisions: CompleteDecisions): Trying[] {
  const { brief } = given;
  const { levers, id } = target;
  const dynamic = TRIAL_OF.some(([pattern]) => pattern.test(id)) || LOOP.includes(id);
  const power = /Temperature$|^efficiency$/u.test(id);
  const protects = /Current$|^currentLimit/u.test(id) && !id.endsWith('CapacitorCurrent');
  const paths = [...new Set([...levers, ...(dynamic ? BESIDE.dynamic : []), ...(power ? BESIDE.power : [])])];
  const letGo = paths
    .filter((path) => isHeld(given, path))
    .map((path): Trying => ({
      change: [{ of: path, value: null }],
      words: `let go of the ${nameOf(path)}`,
      weight: 0.5,
    }));
  const more = paths.flatMap((path) => SCALED[path]?.(decisions) ?? []);
  const added = [
    ...(dynamic && decisions.control.method !== 'peak-current-mode'
      ? [
          {
            change: [
              { of: 'control.method', value: 'peak-current-mode' },
              ...(isHeld(given, 'compensator') ? [{ of: 'compensator', value: null }] : []),
            ],
            words: 'peak current mode',
            weight: 2,
          },
        ]
      : []),
    ...(power && decisions.rectifier.kind === 'diode'
      ? [
          {
            change: [{ of: 'rectifier', value: { kind: 'synchronous' } }],
            words: 'a synchronous rectifier',
            weight: 1.5,
          },
        ]
      : []),
    ...(dynamic ? damping(brief, decisions) : []),
    ...(protects ? protections(target, decisions) : []),
  ];
  return [...letGo, ...(protects ? added : []), ...more, ...(protects ? [] : added)]
    .sort((a, b) => a.weight - b.weight)
    .map(({ change, ...rest }) => ({
      ...rest,
      change: change.map(({ of, value }) => ({ of: `decisions.${of}`, value })),
    }));
}

/** What takes a second section’s resonance down, where it needs that. */
function damping({ outputVoltage }: Brief, { outputFilter, outputCapacitors }: CompleteDecisions): Trying[] {
  if (!outputFilter) return [];
  const value = damped(outputFilter, lumped(outputCapacitors), outputVoltage);
  if (value === outputFilter) return [];
  const { count, capacitance, esr } = value.capacitors.at(-1)!;
  return [
    {
      change: [{ of: 'outputFilter', value }],
      words: `${count} × ${formatQuantity(capacitance, 'F')} with ${formatQuantity(esr, 'Ω')} across the second section’s bank`,
      weight: 1,
    },
  ];
}

/** A limit that lets no pulse come while the current stands above it; a larger inductor. */
function protections(target: Target, { control, inductor }: CompleteDecisions): Trying[] {
  const limit = control.currentLimit ?? inductor.saturationCurrent / 1.3;
  const current = (value: number): number => Number(value.toPrecision(3));
  const needed = preferredUp(1.12 * Math.max(target.predicted, target.required), 'E24');
  return [
    {
      change: [
        { of: 'control.currentLimit', value: current(limit) },
        { of: 'control.valleyCurrentLimit', value: current(limit) },
      ],
      words: `a current limit of ${formatQuantity(limit, 'A')} that gives no pulse while the current is above it`,
      weight: 1,
    },
    ...(Number.isFinite(needed) && target.sense === 'below'
      ? [
          {
            change: [{ of: 'inductor.saturationCurrent', value: needed }],
            words: `an inductor that saturates at ${formatQuantity(needed, 'A')}`,
            weight: 1 + Math.log2(needed / inductor.saturationCurrent),
          },
        ]
      : []),
  ];
}

/** The steps by which a decision is changed, and how each is told. */
const SCALED: Readonly<Record<string, (decisions: CompleteDecisions) => Trying[]>> = {
  outputCapacitors: (decisions) => ofBank(decisions, 'outputCapacitors', 'output'),
  inputCapacitors: (decisions) => ofBank(decisions, 'inputCapacitors', 'input'),
  'inductor.inductance': ({ inductor }) =>
    [1.5, 2.2, 1 / 1.5, 1 / 2.2].map((factor) => {
      const value = preferredNearest(inductor.inductance * factor, 'E6');
      return {
        change: [{ of: 'inductor.inductance', value }],
        words: `an inductance of ${formatQuantity(value, 'H')}`,
        weight: 1 + Math.abs(Math.log2(factor)),
      };
    }),
  switchingFrequency: ({ switchingFrequency }) =>
    [1.3, 2, 1 / 1.3, 1 / 2].map((factor) => {
      const value = Number((switchingFrequency * factor).toPrecision(2));
      return {
        change: [{ of: 'switchingFrequency', value }],
        words: `a frequency of ${formatQuantity(value, 'Hz')}`,
        weight: 1 + Math.abs(Math.log2(factor)),
      };
    }),
  phases: ({ phases }) =>
    phases < 8 ? [{ change: [{ of: 'phases', value: phases + 1 }], words: `${phases + 1} phases`, weight: 2.5 }] : [],
  'inductor.saturationCurrent': ({ inductor }) =>
    [1.25, 1.6].map((factor) => {
      const value = preferredUp(inductor.saturationCurrent * factor, 'E24');
      return {
        change: [{ of: 'inductor.saturationCurrent', value }],
        words: `an inductor that saturates at ${formatQuantity(value, 'A')}`,
        weight: 1 + Math.log2(factor),
      };
    }),
};

function ofBank(decisions: CompleteDecisions, path: 'outputCapacitors' | 'inputCapacitors', name: string): Trying[] {
  return [1.5, 2, 3, 5].map((factor) => {
    const banks = decisions[path].map((bank) => ({ ...bank, count: Math.ceil(bank.count * factor) }));
    return {
      change: [{ of: path, value: banks }],
      words: `${factor} times the ${name} bank`,
      weight: 0.8 + Math.log2(factor),
    };
  });
}

/** What decisions of more than one number are called. */
const WHOLE: Readonly<Record<string, string>> = {
  compensator: 'network',
  'control.digital': 'difference equation',
  'control.method': 'control method',
  outputFilter: 'second section',
  outputCapacitors: 'output bank',
  inputCapacitors: 'input bank',
  rectifier: 'rectifier',
  controlSwitch: 'control switch',
};

function nameOf(path: string): string {
  const name = WHOLE[path] ?? nameOfEntry(`decisions.${path}`);
  return `${name[0]!.toLowerCase()}${name.slice(1)}`;
}
