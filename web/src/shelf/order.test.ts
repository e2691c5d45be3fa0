import { expect, test } from '@jest/globals';
import { demoShelf, PART_KINDS, type Part } from '@yundro/core';
import { inOrder } from './order.ts';

const named = (parts: readonly Part[]): string[] => parts.map(({ id }) => id);

test('inductors by value and then by resistance, and not by how their names are spelt; without a value last', () => {
  const made = (id: string, inductance?: number, resistance?: number): Part => ({
    kind: 'inductor',
    id,
    name: id,
    inductance,
    resistance,
  });
  const parts = [made('150 µH', 150e-6), made('none'), made('22 µH', 22e-6, 0.2), made('22 µH, wide', 22e-6, 0.1)];
  expect(named(inOrder(parts, 'inductor'))).toEqual(['22 µH, wide', '22 µH', '150 µH', 'none']);
});

test.each(PART_KINDS)('%s: the order is one, however the parts came, lists among their columns too', (kind) => {
  const parts = demoShelf().parts.filter((part) => part.kind === kind);
  expect(parts.length).toBeGreaterThan(1);
  const once = named(inOrder(parts, kind));
  expect(once.toSorted()).toEqual(named(parts).toSorted());
  expect(named(inOrder(parts.toReversed(), kind)).map((id) => parts.find((part) => part.id === id)!.name)).toEqual(
    once.map((id) => parts.find((part) => part.id === id)!.name),
  );
});
