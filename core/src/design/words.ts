import { formatQuantity, type Unit } from '../quantity/index.ts';
import { fieldOf } from './fieldRecords.ts';
import { listDifferences, type Difference } from './difference.ts';

/** One difference between two designs, in words with units. */
export interface Change {
  path: string;
  name: string;
  from: string;
  to: string;
}

/** What an entry is called; its path where it has no name of its own. */
export function nameOfEntry(path: string): string {
  return wordsOf(path).name;
}

function wordsOf(path: string): { name: string; unit: Unit | 'text' } {
  const reason = /^decisions\.reasons\.(.+)$/u.exec(path)?.[1];
  if (reason !== undefined) return { name: `Reason: ${nameOfEntry(`decisions.${reason}`)}`, unit: 'text' };
  const found = fieldOf(path);
  if (!found) return { name: path.replace(/^decisions\.|^brief\./u, ''), unit: 'text' };
  const place = /\.(\d+)(?=\.|$)/u.exec(path)?.[1];
  return {
    name: place === undefined ? found.name : `${found.name}, ${Number(place) + 1}`,
    unit: found.kind === 'number' ? (found.unit ?? '') : 'text',
  };
}

function text(value: unknown, unit: Unit | 'text', path: string): string {
  if (value === undefined) return path.startsWith('decisions.') ? 'free' : 'none';
  if (typeof value === 'number' && unit !== 'text') return formatQuantity(value, unit, { digits: 4 });
  if (typeof value === 'string') return value.length > 60 ? `${value.slice(0, 57)}…` : value.replace(/-/gu, ' ');
  if (typeof value === 'number') return String(value);
  return JSON.stringify(value).slice(0, 60);
}

/** Every leaf of a value that stands on one side alone, so that each is told by its own name. */
function leaves(difference: Difference): Difference[] {
  const { path, left, right } = difference;
  const whole = left ?? right;
  if ((left !== undefined && right !== undefined) || typeof whole !== 'object' || whole === null) return [difference];
  return Object.entries(whole).flatMap(([key, value]: [string, unknown]) =>
    leaves({
      path: `${path}.${key}`,
      left: left === undefined ? undefined : value,
      right: right === undefined ? undefined : value,
    }),
  );
}

/** What changed from one design to another, each entry by its name with units, in the designs' own order. */
export function describeChanges(from: unknown, to: unknown): Change[] {
  return listDifferences(from, to)
    .flatMap(leaves)
    .map(({ path, left, right }) => {
      const { name, unit } = wordsOf(path);
      return { path, name, from: text(left, unit, path), to: text(right, unit, path) };
    });
}
