import type { Decisions, Design } from '../design/schema.ts';
import type { Part } from '../shelf/part.ts';
import { completeDecisions } from '../stage/sizing/complete.ts';
import type { Fault } from '../design/read.ts';
import { blockedBy, driveOf } from './candidates.ts';
import { DECISION, opened, settingsOf, withoutSettings, type Place } from './places.ts';
import { controllerValues, diodeValues, inductorValues, mosfetValues } from './values.ts';

/** Places whose part a file may name without a value. */
const NAMED = ['controller', 'inductor', 'controlSwitch', 'rectifier'] as const satisfies readonly Place[];

/** A part that a design names alone and that is nowhere, or of another kind. */
export type Lost = Fault & { place: Place };

/** The part that a place names without any value of it. */
function bareName(decisions: Decisions, place: Place): string | undefined {
  const said = place === 'controller' ? withoutSettings(decisions.control) : decisions[DECISION[place]];
  const { partId, ...rest } = (said ?? {}) as { partId?: string } & Record<string, unknown>;
  const values = Object.values(rest).some((value) => typeof value === 'number' || typeof value === 'object');
  return values ? undefined : partId;
}

/** The places that a design names a part of and says nothing else, each with the part's id. */
export const bareNames = ({ decisions }: Design): { place: Place; id: string; path: string }[] =>
  NAMED.flatMap((place) => {
    const id = bareName(decisions, place);
    return id === undefined ? [] : [{ place, id, path: `decisions.${DECISION[place]}.partId` }];
  });

/**
 * The design with the values of the parts that it names alone; one that is nowhere, or of another kind, is a fault, and its
 * place is free.
 */
export function namedParts(design: Design, parts: readonly Part[]): { design: Design; faults: Lost[] } {
  let found = design;
  const faults: Lost[] = [];
  for (const { place, id, path } of bareNames(design)) {
    const part = parts.find((one) => one.id === id);
    const open: Design = { ...found, decisions: opened(found.decisions, place) };
    const { decisions } = completeDecisions(open);
    const blocked = blockedBy(open, decisions, []);
    const { count = 1 } = (design.decisions[DECISION[place]] ?? {}) as { count?: number };
    const { gateVoltage } = driveOf(decisions);
    const values = ((): Partial<Decisions> | undefined => {
      if (place === 'controller' && (part?.kind === 'controller' || part?.kind === 'converter'))
        return {
          control: {
            ...design.decisions.control,
            ...controllerValues(part, decisions.control.method),
            ...settingsOf(design.decisions),
          },
        };
      if (place === 'inductor' && part?.kind === 'inductor') return { inductor: inductorValues(part) };
      if (place === 'controlSwitch' && part?.kind === 'mosfet')
        return { controlSwitch: mosfetValues(part, { gateVoltage, blocking: blocked.control, count }) };
      if (place === 'rectifier' && part?.kind === 'diode') return { rectifier: diodeValues(part, count) };
      if (place === 'rectifier' && part?.kind === 'mosfet')
        return {
          rectifier: {
            kind: 'synchronous',
            ...mosfetValues(part, { gateVoltage, blocking: blocked.rectifier, count }),
          },
        };
      return undefined;
    })();
    if (values) found = { ...found, decisions: { ...found.decisions, ...values } };
    else {
      found = open;
      faults.push({
        place,
        path,
        message: part ? `"${id}" is a ${part.kind}` : `there is no part "${id}" on the shelf`,
        expected: `the id of a part for the ${DECISION[place]}`,
      });
    }
  }
  return { design: found, faults };
}
