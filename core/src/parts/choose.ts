import type { Decisions, Design } from '../design/schema.ts';
import { formatQuantity } from '../quantity/index.ts';
import { Budget } from '../numbers/linear.ts';
import { isLarge, nearestOf } from '../shelf/classes.ts';
import type { Converter, Part } from '../shelf/part.ts';
import { solve } from '../solve.ts';
import { allowedLoss } from '../stage/sizing/banks.ts';
import { lowerFrequencies } from '../stage/sizing/frequency.ts';
import type { DecidedBy } from '../design/decide.ts';
import { completeDecisions, type Completion } from '../stage/sizing/complete.ts';
import { deratingOf, type Derating } from './fits.ts';
import { namedParts, type Lost } from './named.ts';
import { nearestFor } from './nearest.ts';
import { DECISION, isGiven, settingsOf, type Place } from './places.ts';
import { pointsOf, stressesAt, type Stresses } from './stress.ts';
import { usualGateVoltage, usualPart } from './usual.ts';
import { controllerValues, diodeValues, inductorValues, mosfetValues } from './values.ts';

import { stockFor, withEnough } from './banks.ts';
import {
  blockedBy,
  cheapest,
  controllerCandidates,
  diodeCandidates,
  driveOf,
  GATE_VOLTAGES,
  INDUCTOR_SHARE,
  inductorCandidates,
  pairCandidates,
  soughtWords,
  SWITCH_SHARE,
  windingsOf,
  worthwhile,
} from './candidates.ts';

/** What became of one place. */
export interface Chosen {
  place: Place;
  /** parts in it and how many of each; empty where it is not filled */
  parts: { part: Part; count: number }[];
  /** by which rule, or what was sought and not found */
  words: string;
  filled: boolean;
  /** where it is not: a usual part of its class stands in, with all the data that losses need */
  usual?: true;
  /** none that fits keeps its junctions cool by its package alone */
  hot?: true;
}

/** A design with its free places filled from a shelf. */
export interface Choice {
  design: Design;
  chosen: Chosen[];
  /** the rules of what was decided on the way, for those who show them */
  decided: DecidedBy[];
  /** sentences on what is another with these parts than without */
  anew: string[];
}

/**
 * Fills every place that the design leaves free from the parts, of a large shelf from those in its classes. Where they miss the efficiency that is wanted and the
 * frequency is free too, the highest one below it at which the parts for it do not.
 */
export function chooseParts(asked: Design, shelf: readonly Part[], by: Derating = deratingOf(asked.decisions)): Choice {
  const parts = isLarge(shelf) ? nearestOf(shelf, nearestFor(asked)) : shelf;
  const { design, faults } = namedParts(asked, parts);
  return chooseFree(design, parts, by, faults);
}

function chooseFree(design: Design, parts: readonly Part[], by: Derating, lost: readonly Lost[]): Choice {
  const budget = new Budget(WORK);
  const fill = (decisions: Partial<Decisions>): Choice =>
    fillPlaces({ ...design, decisions: { ...design.decisions, ...decisions } }, parts, by, budget, lost);
  const alone = fill({});
  const more = inMorePhases(alone);
  const first = more?.choice ?? alone;
  const { efficiency: wanted, keepClear } = design.brief;
  const { switchingFrequency: given, rippleSchool } = design.decisions;
  if (wanted === undefined || given !== undefined || rippleSchool === 'small-and-fast') return first;
  if (!first.chosen.some(({ filled }) => filled)) return first;
  const efficiencyOf = (tried: Design): number => {
    const found = budget.run(() => fullEfficiency(tried));
    return found === 'spent' ? Number.NaN : found;
  };
  const reached = efficiencyOf(first.design);
  if (!(reached < wanted)) return first;
  const from = first.design.decisions.switchingFrequency!;
  const open = first.chosen.filter(({ filled }) => !filled).length;
  const chosenAt = (switchingFrequency: number): Choice | undefined => {
    const choice = fill({ ...more?.decisions, switchingFrequency });
    // an efficiency is not bought with a place that no part fills
    if (choice.chosen.filter(({ filled }) => !filled).length > open) return undefined;
    return efficiencyOf(choice.design) >= wanted ? (more?.told(choice) ?? choice) : undefined;
  };
  const tried = lowerFrequencies(from, keepClear);
  let [fast, slow] = [-1, tried.length - 1];
  let best = slow < 0 ? undefined : chosenAt(tried[slow]!);
  if (!best) return first;
  while (slow - fast > 1) {
    const middle = Math.floor((fast + slow) / 2);
    const reaching = chosenAt(tried[middle]!);
    if (reaching) [best, slow] = [reaching, middle];
    else fast = middle;
  }
  const percent = (value: number): string => formatQuantity(value, '%');
  const rule = `lowered from ${formatQuantity(from, 'Hz')}, where the shelf’s parts reach ${percent(reached)} of the ${percent(wanted)} that are wanted`;
  const { decided, anew, design: found } = best;
  const at = `The frequency is ${formatQuantity(found.decisions.switchingFrequency!, 'Hz')}, ${rule}.`;
  return { ...best, decided: [...decided, { path: 'switchingFrequency', rule }], anew: [...anew, at] };

  /** Where no inductor or pair carries its phase's current, the number of phases at which more places are filled. */
  function inMorePhases(
    one: Choice,
  ): { choice: Choice; decisions: Partial<Decisions>; told: (choice: Choice) => Choice } | undefined {
    const { phases: held, coupling, conduction } = design.decisions;
    const trouble = lackOf(one);
    if (held !== undefined || coupling || conduction === 'critical' || !trouble) return undefined;
    const from = one.design.decisions.phases!;
    for (const phases of new Set([from + 1, from + 2, 2 * from])) {
      if (phases > MOST_PHASES) continue;
      const choice = fill({ phases });
      const lack = lackOf(choice);
      if (lack && lack.count >= trouble.count) continue;
      const rule = `${phases} instead of ${from}, at which ${trouble.words}`;
      const told = ({ decided, anew, ...rest }: Choice): Choice => ({
        ...rest,
        decided: [...decided, { path: 'phases', rule }],
        anew: [...anew, `Phases: ${rule}.`],
      });
      return { choice: told(choice), decisions: { phases }, told };
    }
    return undefined;
  }
}

/** Times the saturation current that is needed, or the least that is to be had, beyond which an inductor is too large. Our own. */
const TOO_LARGE = 10;
/** Lower frequencies that a controller is sought at. */
const SLOWER = 4;
/** Phases at most that are taken for want of parts. */
const MOST_PHASES = 8;

/** What is wanting in a choice that more phases could mend: how much, and the first of it in words. */
function lackOf({ chosen }: Choice): { count: number; words: string } | undefined {
  const lacking = chosen.filter(({ filled, hot }) => !filled || hot);
  const [first] = lacking.filter(
    ({ place }) => place === 'inductor' || place === 'controlSwitch' || place === 'rectifier',
  );
  if (!first) return undefined;
  const words = first.words.replace(/; (a usual part stands in|the one that loses least)$/u, '');
  return { count: lacking.length, words: `${words[0]!.toLowerCase()}${words.slice(1)}` };
}

/** At nominal input and full load; 0 where the stage has no steady state there. */
function fullEfficiency(design: Design): number {
  const { inputVoltage, outputCurrent } = design.brief;
  const at = { inputVoltage: inputVoltage.nominal, outputCurrent: outputCurrent.max };
  return solve(design, { at, areas: [] }).operatingPoints[0]?.efficiency ?? 0;
}

/** Multiplications that the choice of all places may take: some eight seconds in a slow spell; of our bare briefs four phases take a seventh, the others a tenth of that. */
const WORK = 1.2e9;

/** The places one after another; each sees what was chosen before it. */
function fillPlaces(
  design: Design,
  parts: readonly Part[],
  by: Derating,
  budget: Budget,
  lost: readonly Lost[],
): Choice {
  const chosen: Chosen[] = [];
  /** V at the gates, where the pair decided it */
  let driven: number | undefined;
  const base = completeDecisions(design);
  let { decided: asked } = base;
  const anew: string[] = [];
  // what the parts are chosen for stays as it was decided without them
  const { topology, phases, switchingFrequency, lightLoad, rectifier } = base.decisions;
  const kind = design.decisions.rectifier ?? (rectifier.kind === 'diode' ? { kind: 'diode' } : { kind: 'synchronous' });
  let at: Design = {
    ...design,
    decisions: { ...design.decisions, topology, phases, switchingFrequency, lightLoad, rectifier: kind },
  };
  const fill = (
    place: Place,
    decisions: Partial<Decisions> | undefined,
    of: Chosen['parts'],
    words: string,
    hot = false,
  ): void => {
    const found = decisions ?? usualPart(place, at, complete().decisions);
    chosen.push({
      place,
      parts: of,
      words: decisions ? words : `${words}; a usual part stands in`,
      filled: decisions !== undefined,
      ...(decisions ? {} : { usual: true }),
      ...(hot ? { hot: true } : {}),
    });
    at = { ...at, decisions: { ...at.decisions, ...found } };
  };
  const steps: readonly (readonly [readonly Place[], () => void])[] = [
    [['controller'], fillController],
    [['inductor'], fillInductor],
    [['controlSwitch', 'rectifier'], fillSwitches],
    [['outputCapacitors', 'inputCapacitors'], fillBanks],
  ];
  // no other part takes the place of one that is named and nowhere
  for (const { place, message } of lost) fill(place, undefined, [], message);
  for (const [places, choose] of steps) {
    const free = places.filter((place) => !isGiven(at.decisions, place));
    if (free.length === 0 || budget.run(choose) !== 'spent') continue;
    for (const place of free.filter((one) => !chosen.some((found) => found.place === one)))
      fill(place, undefined, [], 'looking for a part took more work than one design may take');
  }
  const pinned = ['topology', 'phases', 'switchingFrequency', 'lightLoad', 'rectifier'];
  const decided = [
    ...asked.filter(({ path }) => pinned.includes(path)),
    ...(driven === undefined
      ? []
      : [
          {
            path: 'control.gateVoltage',
            rule: 'of usual drivers’ voltages the one at which the pair that is then taken loses least',
          },
        ]),
    ...chosen.flatMap(({ place, words, filled }) => {
      const rule = filled ? `from the shelf: ${words}` : words;
      const path = DECISION[place];
      const [given, found] = [design.decisions[path] ?? {}, at.decisions[path] ?? {}];
      const leaves = Array.isArray(found) ? [] : Object.keys(found).filter((key) => !(key in given));
      return [{ path, rule }, ...leaves.map((key) => ({ path: `${path}.${key}`, rule }))];
    }),
  ];
  return { design: at, chosen, decided, anew };

  function complete(): Completion {
    return completeDecisions(at);
  }

  function fillController(): void {
    const { decisions } = complete();
    const { method } = decisions.control;
    const found = controllerCandidates(at, decisions, parts);
    const fitting = found.filter(({ reasons }) => reasons.length === 0);
    const controllers = fitting.filter(({ part }) => part.kind === 'controller');
    // a ramp is decided where nothing asks for more, and there any method does; another has been decided for its reason
    const able = method.startsWith('voltage-mode')
      ? []
      : controllers.filter(({ part }) => part.methods?.some((one) => one === method));
    // of a converter only the resistance of its switches is known: it comes where no controller does
    const among = [able, controllers].find((list) => list.length > 0) ?? fitting;
    const best = cheapest(among);
    if (!best) {
      if (atAnotherFrequency(found)) return fillController();
      return fill('controller', undefined, [], soughtWords('controller', found));
    }
    const can = best.part.methods ?? [];
    fill(
      'controller',
      {
        control: {
          ...at.decisions.control,
          ...controllerValues(best.part, can.some((one) => one === method) || !can[0] ? method : can[0]),
          ...settingsOf(at.decisions),
        },
      },
      [{ part: best.part, count: 1 }],
      `the cheapest of ${among.length} that fit`,
    );
    keepWhatItCan(best.part.lightLoads);
    if (best.part.kind === 'converter') fillInner(best.part);
  }

  /**
   * Where no controller fits and no frequency is held: the stage runs at what a part has that only its frequency keeps out, or
   * slower, where a pulse is as long as a controller gives at least.
   * @returns whether there is one
   */
  function atAnotherFrequency(found: ReturnType<typeof controllerCandidates>): boolean {
    if (design.decisions.switchingFrequency !== undefined) return false;
    const wanted = at.decisions.switchingFrequency!;
    const only = (...what: string[]) => found.filter(({ reasons }) => reasons.every((one) => what.includes(one.by)));
    const own = cheapest(only('frequency'))?.part;
    const frequencies = [
      ...(own ? [Math.min(own.frequencyMaximum ?? Infinity, Math.max(own.frequencyMinimum ?? 0, wanted))] : []),
      ...(only('on-time', 'off-time', 'duty').length > 0
        ? lowerFrequencies(wanted, design.brief.keepClear).slice(0, SLOWER)
        : []),
    ];
    for (const frequency of frequencies) {
      const tried = { ...at, decisions: { ...at.decisions, switchingFrequency: frequency } };
      const fitting = controllerCandidates(tried, completeDecisions(tried).decisions, parts);
      if (!fitting.some(({ reasons }) => reasons.length === 0)) continue;
      at = tried;
      const rule = `${formatQuantity(frequency, 'Hz')}, since no controller on the shelf fits at ${formatQuantity(wanted, 'Hz')}`;
      asked = [...asked.filter(({ path }) => path !== 'switchingFrequency'), { path: 'switchingFrequency', rule }];
      anew.push(`The frequency is ${rule}.`);
      return true;
    }
    return false;
  }

  /** A controller’s shortest pulse may ask for another policy at light load than the usual one did: taken where it has it. */
  function keepWhatItCan(policies: readonly string[] = []): void {
    if (design.decisions.lightLoad !== undefined) return;
    const { lightLoad: _, ...open } = at.decisions;
    const { decisions, decided: now } = completeDecisions({ ...at, decisions: open });
    if (decisions.lightLoad === at.decisions.lightLoad || !policies.includes(decisions.lightLoad)) return;
    at = { ...at, decisions: { ...at.decisions, lightLoad: decisions.lightLoad } };
    const rules = now.filter(({ path }) => path === 'lightLoad');
    asked = [...asked.filter(({ path }) => path !== 'lightLoad'), ...rules];
    anew.push(`At light load ${decisions.lightLoad.replace('-', ' ')}: ${rules.map(({ rule }) => rule).join(' ')}.`);
  }

  /** The switches inside a converter, by what its data say of them. */
  function fillInner(part: Converter): void {
    const words = `inside the ${part.name}`;
    fill('controlSwitch', { controlSwitch: { onResistance: part.controlResistance } }, [], words);
    if (part.rectifierResistance !== undefined)
      fill('rectifier', { rectifier: { kind: 'synchronous', onResistance: part.rectifierResistance } }, [], words);
  }

  function fillInductor(): void {
    const { decisions } = complete();
    const found = inductorCandidates(at, decisions, parts, stressesAt(at, decisions), by);
    const able = found.filter(({ reasons }) => reasons.length === 0);
    // what is many times too large for its current loses little and is bought by nobody
    const smallest = Math.min(...able.map(({ part }) => part.saturationCurrent ?? Infinity));
    const most = TOO_LARGE * Math.max(smallest, decisions.inductor.saturationCurrent);
    const fitting = able.filter(({ part }) => (part.saturationCurrent ?? 0) <= most);
    const best = worthwhile(fitting, INDUCTOR_SHARE * allowedLoss(at.brief));
    if (!best) return fill('inductor', undefined, [], soughtWords('inductor', found));
    fill(
      'inductor',
      { inductor: { ...at.decisions.inductor, ...inductorValues(best.candidate.part) } },
      [{ part: best.candidate.part, count: decisions.phases / windingsOf(decisions) }],
      best.words,
    );
  }

  function fillSwitches(): void {
    const controlFree = !isGiven(at.decisions, 'controlSwitch');
    const rectifierFree = !isGiven(at.decisions, 'rectifier');
    if (!controlFree && !rectifierFree) return;
    const stresses = stressesAt(at, complete().decisions);
    if (complete().decisions.control.gateVoltage === undefined) chooseGateVoltage(stresses);
    const { decisions } = complete();
    const drive = driveOf(decisions);
    const { control: blocking, rectifier: second } = blockedBy(at, decisions, pointsOf(stresses));
    const legs = stresses.profile[0]?.legs.length ?? 1;
    if (decisions.rectifier.kind === 'diode' && rectifierFree) {
      const found = diodeCandidates(at, decisions, parts, stresses, by);
      const fitting = found.filter(({ reasons }) => reasons.length === 0);
      const best = worthwhile(fitting, SWITCH_SHARE * allowedLoss(at.brief));
      if (best)
        fill(
          'rectifier',
          { rectifier: diodeValues(best.candidate.part, best.candidate.count) },
          [{ part: best.candidate.part, count: best.candidate.count * decisions.phases * legs }],
          best.words,
        );
      else fill('rectifier', undefined, [], soughtWords('diode', found));
    }
    const synchronous = decisions.rectifier.kind === 'synchronous' && rectifierFree;
    // a diode that stands beside it by now puts its charge into the control switch
    const ranked = pairCandidates(at, complete().decisions, parts, stresses, by, {
      control: controlFree,
      rectifier: synchronous,
    });
    if (typeof ranked === 'string') {
      if (controlFree) fill('controlSwitch', undefined, [], ranked);
      if (synchronous) fill('rectifier', undefined, [], ranked);
      driveUsual();
      return;
    }
    const { control, rectifier, words, hot = false } = ranked;
    if (controlFree)
      fill(
        'controlSwitch',
        {
          controlSwitch: mosfetValues(control.part, { gateVoltage: drive.gateVoltage, blocking, count: control.count }),
        },
        [{ part: control.part, count: control.count * decisions.phases * legs }],
        words,
        hot,
      );
    if (synchronous)
      fill(
        'rectifier',
        {
          rectifier: {
            kind: 'synchronous',
            ...mosfetValues(rectifier.part, {
              gateVoltage: drive.gateVoltage,
              blocking: second,
              count: rectifier.count,
            }),
          },
        },
        [{ part: rectifier.part, count: rectifier.count * decisions.phases * legs }],
        words,
        hot,
      );
  }

  /** Where nothing says what drives the gates of a usual switch: what its class is driven with. */
  function driveUsual(): void {
    const { decisions } = complete();
    if (decisions.control.gateVoltage !== undefined) return;
    const gateVoltage = usualGateVoltage(at, decisions);
    at = { ...at, decisions: { ...at.decisions, control: { ...at.decisions.control, gateVoltage } } };
  }

  /** Where nothing says what drives the gates: the usual voltage at which the pair that is then taken loses least. */
  function chooseGateVoltage(stresses: Stresses): void {
    const { decisions } = complete();
    const free = {
      control: !isGiven(at.decisions, 'controlSwitch'),
      rectifier: decisions.rectifier.kind === 'synchronous' && !isGiven(at.decisions, 'rectifier'),
    };
    let best: { volts: number; loss: number } | undefined;
    for (const volts of GATE_VOLTAGES) {
      const there = { ...decisions, control: { ...decisions.control, gateVoltage: volts } };
      const ranked = pairCandidates(at, there, parts, stresses, by, free);
      if (typeof ranked === 'string') continue;
      const { controls, rectifiers, loss: all } = ranked.pairs;
      const loss = all[controls.indexOf(ranked.control) * rectifiers.length + rectifiers.indexOf(ranked.rectifier)]!;
      if (!best || loss < best.loss) best = { volts, loss };
    }
    if (!best) return;
    at = { ...at, decisions: { ...at.decisions, control: { ...at.decisions.control, gateVoltage: best.volts } } };
    driven = best.volts;
  }

  function fillBanks(): void {
    const { brief } = at;
    const output = stockFor(at, parts, brief.outputVoltage, by);
    const input = stockFor(at, parts, brief.inputVoltage.max, by);
    const wants = {
      outputCapacitors: !isGiven(at.decisions, 'outputCapacitors'),
      inputCapacitors: !isGiven(at.decisions, 'inputCapacitors'),
    };
    if (!wants.outputCapacitors && !wants.inputCapacitors) return;
    const usable = {
      output: wants.outputCapacitors && output.ceramics.length > 0,
      input: wants.inputCapacitors && input.ceramics.length > 0,
    };
    const { decisions, decided } = completeDecisions(at, {
      stock: { output: usable.output ? output : undefined, input: usable.input ? input : undefined },
    });
    const enough = withEnough(at, decisions, usable);
    for (const [place, from, can] of [
      ['outputCapacitors', output, usable.output],
      ['inputCapacitors', input, usable.input],
    ] as const) {
      if (!wants[place]) continue;
      if (!can) {
        const bias = place === 'outputCapacitors' ? brief.outputVoltage : brief.inputVoltage.max;
        fill(
          place,
          undefined,
          [],
          `no capacitor that keeps enough of its capacitance at ${formatQuantity(bias, 'V')} was found`,
        );
        continue;
      }
      const banks = enough[place];
      const items = [...from.ceramics, ...from.bulks, ...from.dampings];
      fill(
        place,
        { [place]: banks },
        banks.flatMap((bank) => {
          const item = items.find(({ bank: { partId } }) => partId === bank.partId);
          return item ? [{ part: item.part, count: bank.count }] : [];
        }),
        decided.find(({ path }) => path === place)?.rule ?? '',
      );
    }
  }
}
