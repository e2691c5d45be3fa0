import type { Part, PartKind } from '@yundro/core';
import { KINDS } from './words.ts';

type Value = string | number | undefined;

/** What has a value before what has none; lists that say the same are equal too. */
function compare(a: Value, b: Value): number {
  if (a === b) return 0;
  if (a === undefined || b === undefined) return a === undefined ? 1 : -1;
  return a < b ? -1 : b < a ? 1 : 0;
}

/** Parts of a kind in the order that their columns give, from the left: inductances by value, switches by technology and voltage. */
export function inOrder(parts: readonly Part[], kind: PartKind): Part[] {
  const keys = [...KINDS[kind].columns, 'name'];
  const read = (part: Part, key: string): Value => (part as unknown as Record<string, Value>)[key];
  return parts.toSorted((a, b) => {
    for (const key of keys) {
      const order = compare(read(a, key), read(b, key));
      if (order !== 0) return order;
    }
    return 0;
  });
}
