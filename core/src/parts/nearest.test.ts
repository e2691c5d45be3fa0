import { expect, test } from '@jest/globals';
import { nearestOf } from '../shelf/classes.ts';
import { demoShelf } from '../shelf/shelf.ts';
import { bareDesign } from '../testing/designs.ts';
import { chooseParts } from './choose.ts';
import { nearestFor } from './nearest.ts';
import { rankPlace } from './rank.ts';

test('a large shelf is narrowed to what a design’s places may take, and chooses the same from either', () => {
  const demo = demoShelf().parts;
  const kinds = new Set(['mosfet', 'inductor', 'capacitor', 'diode', 'controller']);
  // twelve of each, none twice alike, three quarters of them of quite another class
  const large = [0, 1, 2, 3, 4, 5, 6, 7, 8, 9, 10, 11].flatMap((k) =>
    demo
      .filter(({ kind }) => k === 0 || kinds.has(kind))
      .map((part) => {
        const values = part as unknown as Record<string, number | undefined>;
        const by = 1 + k / 50;
        const far = k % 4 === 0 ? 1 : 3 ** k;
        const { voltageRating, inductance, cost = 1 } = values;
        return {
          ...part,
          id: k === 0 ? part.id : `${part.id}-${k}`,
          cost: cost * by,
          ...(voltageRating === undefined ? {} : { voltageRating: voltageRating * far }),
          ...(inductance === undefined ? {} : { inductance: inductance * far }),
        };
      }),
  );
  const held = large.find(({ id, kind }) => kind === 'inductor' && id.endsWith('-11'))!.id;
  const design = bareDesign({
    inputVoltage: { min: 10, nominal: 12, max: 14 },
    outputVoltage: 3.3,
    outputCurrent: { min: 0.1, max: 8 },
  });
  const asked = nearestFor({ ...design, decisions: { inductor: { partId: held } } });
  const near = nearestOf(large, asked);
  expect(near.length).toBeLessThan(large.length / 2);
  expect(near.map(({ id }) => id)).toContain(held);
  expect(nearestOf(near, asked)).toEqual(near);
  const chosen = chooseParts(design, near);
  expect(chosen).toEqual(chooseParts(design, large));
  expect(chosen.chosen.filter(({ filled }) => !filled)).toEqual([]);
  // nothing that is best on the whole shelf was left behind
  for (const place of ['inductor', 'controlSwitch', 'controller'] as const) {
    const [best, same] = [large, near].map((parts) => rankPlace(chosen.design, place, parts)[0]!);
    expect(best!.reasons).toEqual([]);
    expect(same!.part.id).toBe(best!.part.id);
  }
});

test('of many cheap diodes those that carry the load are found', () => {
  const diodes = demoShelf().parts.filter(({ kind }) => kind === 'diode');
  const cheap = Array.from({ length: 500 }, (_, k) => ({
    ...diodes.find(({ id }) => id === 'schottky-40v-1a')!,
    id: `small-${k}`,
    cost: 0.001,
  }));
  const design = bareDesign(
    { inputVoltage: { min: 10, nominal: 12, max: 14 }, outputVoltage: 3.3, outputCurrent: { min: 1, max: 20 } },
    { rectifier: { kind: 'diode' } },
  );
  const large = [...cheap, ...demoShelf().parts];
  expect(chooseParts(design, large).chosen.find(({ place }) => place === 'rectifier')).toMatchObject({ filled: true });
});
