import { z } from 'zod';
import { choice, count, curve, flag as truth, name, nonNegative, number, positive } from '../design/areas/fields.ts';
import type { Unit } from '../quantity/index.ts';

/** What a value of a part is: its unit, its words, and for a curve the units of both of its columns. */
export interface FieldMeta {
  unit: Unit;
  words: string;
  /** unit of a curve's places */
  places?: Unit;
  kind: 'number' | 'whole' | 'flag' | 'choice' | 'list' | 'curve';
}

const REGISTRY = z.registry<FieldMeta>();

/** @returns what is known of a field; undefined for text */
export function metaOf(schema: z.ZodType): FieldMeta | undefined {
  return REGISTRY.get(schema);
}

function known<T extends z.ZodType>(schema: T, meta: FieldMeta): T {
  REGISTRY.add(schema, meta);
  return schema;
}

/** Above 0. */
export const above = (unit: Unit, words: string) =>
  known(positive(words, unit).optional(), { unit, words, kind: 'number' });
/** Zero or above. */
export const least = (unit: Unit, words: string) =>
  known(nonNegative(words, unit).optional(), { unit, words, kind: 'number' });
export const either = (unit: Unit, words: string) =>
  known(number(words, unit).optional(), { unit, words, kind: 'number' });
export const share = (words: string) =>
  known(nonNegative(words, '%').max(1, { error: 'expected a fraction of at most 1' }).optional(), {
    unit: '%',
    words,
    kind: 'number',
  });
export const whole = (words: string) => known(count(1000, words).optional(), { unit: '', words, kind: 'whole' });
export const flag = (words: string) => known(truth(words).optional(), { unit: '', words, kind: 'flag' });
export const oneOf = <const T extends readonly [string, ...string[]]>(values: T, words: string) =>
  known(choice(values, words).optional(), { unit: '', words, kind: 'choice' });
export const someOf = <const T extends readonly [string, ...string[]]>(values: T, words: string) =>
  known(z.array(choice(values, words), { error: 'expected a list' }).max(20).optional(), {
    unit: '',
    words,
    kind: 'list',
  });

const falls = (points: readonly (readonly [number, number])[]): boolean =>
  points.every(([, value], i) => i === 0 || value <= points[i - 1]![1]);
const rises = (points: readonly (readonly [number, number])[]): boolean =>
  points.every(([, value], i) => i === 0 || value >= points[i - 1]![1]);

/** A curve, its places rising from zero or above; `way` what its values may do. */
export const line = (places: Unit, unit: Unit, words: string, way: 'rises' | 'falls' | 'either' = 'either') =>
  known(
    curve(words, [places, unit], true)
      .refine((points) => way === 'either' || (way === 'rises' ? rises(points) : falls(points)), {
        error: `expected values that never ${way === 'rises' ? 'fall' : 'rise'}`,
      })
      .optional(),
    { unit, words, places, kind: 'curve' },
  );
export const text = (maximum: number, words: string) => name(maximum, words).optional();
