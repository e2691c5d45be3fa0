import type { Corner } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import type { Complex } from '../numbers/complex.ts';
import { formatQuantity } from '../quantity/format.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { cornerAsked } from '../simulation/setup.ts';
import { curveOf, loopAt, usualFrequencies, type ResponseCurve } from './loop.ts';
import { textbookAt, type Feature } from './textbook.ts';

/** The plant of one corner as three witnesses tell it, with the names of what bends it. */
export interface Witnesses extends Corner {
  textbook: ResponseCurve | undefined;
  averaged: ResponseCurve | undefined;
  exact: ResponseCurve | undefined;
  features: Feature[];
  /** where they part, and why */
  words: string[];
}

const POINTS = 161;
/** dB and degrees from which two curves are said to part. */
const APART = { gain: 2, phase: 15 };

/** @throws SimulationError in words where the corner has no loop */
export function witnessesAt(design: Design, at?: Partial<Corner>): Witnesses {
  const { decisions } = completeDecisions(design);
  const corner = cornerAsked(design.brief, at);
  const made = loopAt(design, decisions, corner);
  const frequencies = usualFrequencies(1 / made.ready.setup.period, POINTS);
  const { plant, features, why } = textbookAt(design, made.ready, corner);
  const told = (of: ((frequency: number) => Complex) | undefined): ResponseCurve | undefined =>
    of && curveOf(frequencies, frequencies.map(of));
  const textbook = told(plant);
  const averaged = told(made.model === 'averaged' ? made.plant : made.averagedPlant);
  const exact = told(made.exactPlant());
  const words = [
    ...(why ? [why] : []),
    ...parting(
      textbook,
      averaged ?? exact,
      averaged ? 'Textbook and averaged stage' : 'Textbook and switching stage',
      reasonsOf(decisions, features),
    ),
    ...(averaged
      ? parting(averaged, exact, 'Averaged and switching stage', () => [
          'averaging knows nothing of sampling, of the ripple at the comparator or of what folds down from above the switching frequency',
        ])
      : []),
  ];
  return { ...corner, textbook, averaged, exact, features, words };
}

/** What the textbook form leaves out of this stage, by where the two part. */
function reasonsOf(
  { outputCapacitors, outputFilter, control }: CompleteDecisions,
  features: readonly Feature[],
): (frequency: number) => readonly string[] {
  const lowest = Math.min(...features.map(({ frequency }) => frequency));
  return (frequency) => {
    if (frequency < lowest / 3) return ['drops, resistances and the slopes’ own part set the gain there'];
    const reasons: string[] = [];
    if (outputFilter) reasons.push('the second section is not in the textbook’s form');
    if (control.currentSenseFilter !== undefined) reasons.push('the filter before its comparator is not in it');
    if (outputCapacitors.length > 1)
      reasons.push('unlike capacitors share the current by frequency, and the textbook’s one bank does not');
    if (outputCapacitors.some(({ esl = 0 }) => esl > 0)) reasons.push('nor is the bank’s series inductance in it');
    return reasons.length > 0 ? reasons : ['drops and resistances damp it'];
  };
}

function parting(
  from: ResponseCurve | undefined,
  other: ResponseCurve | undefined,
  names: string,
  reasons: (frequency: number) => readonly string[],
): string[] {
  if (!from || !other) return [];
  const at = from.frequency.findIndex((_, k) => {
    const turn = Math.abs(from.phase[k]! - other.phase[k]!) % 360;
    return Math.abs(from.gain[k]! - other.gain[k]!) > APART.gain || Math.min(turn, 360 - turn) > APART.phase;
  });
  if (at < 0) return [`${names} agree to half the switching frequency.`];
  return [
    `${names} part at ${formatQuantity(from.frequency[at]!, 'Hz', { digits: 2 })}: ${reasons(from.frequency[at]!).join('; ')}.`,
  ];
}
