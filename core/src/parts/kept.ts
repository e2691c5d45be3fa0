import { hold, isHeld } from '../design/decision.ts';
import type { Decisions, Design } from '../design/schema.ts';
import type { Choice } from './choose.ts';
import { bareNames } from './named.ts';
import { controllerValues } from './values.ts';
import { DECISION, isGiven, isSetting, PLACES, settingsOf, withoutSettings, type Place } from './places.ts';

const idOf = (decisions: Decisions, place: Place): string | undefined =>
  (decisions[DECISION[place]] as { partId?: string } | undefined)?.partId;

/**
 * What was chosen for an earlier state of a design, put into the free places of this one as it is: what a value in the hand
 * does to the parts that stand. The values stay those at the voltages they were chosen for, until parts are chosen anew.
 * @returns undefined where the stage is another one, for which they were not chosen
 */
export function keepParts(design: Design, { design: before, ...choice }: Choice): Choice | undefined {
  const pinned = ['topology', 'phases', 'switchingFrequency', 'lightLoad'] as const;
  const decisions: Decisions = { ...design.decisions };
  for (const path of pinned) {
    const given = design.decisions[path];
    if (given === undefined) Object.assign(decisions, { [path]: before.decisions[path] });
    else if (given !== before.decisions[path] && (path === 'topology' || path === 'phases')) return undefined;
  }
  const { rectifier } = design.decisions;
  if (rectifier && rectifier.kind !== before.decisions.rectifier?.kind) return undefined;
  const kept = choice.chosen.filter(({ place }) => !isGiven(design.decisions, place));
  // a place that was held and is free by now has nothing to keep
  if (PLACES.some((place) => !isGiven(design.decisions, place) && !kept.some((one) => one.place === place)))
    return undefined;
  const named = bareNames(design);
  for (const { place } of [...kept, ...named]) {
    const path = DECISION[place];
    Object.assign(decisions, { [path]: before.decisions[path] });
  }
  if (decisions.control === before.decisions.control && before.decisions.control) {
    const part = kept.find(({ place }) => place === 'controller')?.parts[0]?.part;
    const brings =
      part?.kind === 'controller' || part?.kind === 'converter'
        ? settingsOf({ control: controllerValues(part, before.decisions.control.method) })
        : // a usual one that stands in has its own
          settingsOf(before.decisions);
    decisions.control = {
      ...withoutSettings(before.decisions.control),
      ...brings,
      ...settingsOf(design.decisions),
    };
  }
  // a part that is named alone is read from the shelf, and another one anew
  if (named.some(({ place, id }) => idOf(before.decisions, place) !== id)) return undefined;
  return {
    ...choice,
    chosen: kept,
    decided: choice.decided.filter(({ path }) => !isHeld(design, path)),
    design: { ...design, decisions },
  };
}

/**
 * A design with a decision held at what is in force: one that a part of the choice brings, with that part. By its value
 * alone the place would be another's.
 * @param choice what fills the design's free places
 */
export function holdBuilt(design: Design, choice: Choice, path: string, value: unknown): Design {
  const brings = choice.chosen.find(
    ({ place, parts }) => parts.length > 0 && (path === DECISION[place] || path.startsWith(`${DECISION[place]}.`)),
  );
  if (!brings || isSetting(path)) return hold(design, path, value);
  const of = DECISION[brings.place];
  const next = hold(design, of, choice.design.decisions[of]);
  return isHeld(next, path) ? next : hold(next, path, value);
}
