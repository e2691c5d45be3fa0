import { z } from 'zod';
import type { Unit } from '../../quantity/index.ts';

/**
 * Fields that the areas' parts of the design file are made of. Each is told once, here where its shape is: what people
 * call it, its unit, its bounds, and a note where one is needed. `design/fieldRecords.ts` reads them for words, forms and
 * tapes, and the JSON Schema carries them.
 */

export const LARGEST = 1e18;
export const SMALLEST = 1e-18;

const finite = (minimum: number, what: string) =>
  z
    .number({
      error: (issue) => (typeof issue.input === 'number' ? 'expected a finite number' : 'expected a number'),
    })
    .min(minimum, { error: `expected ${what}` })
    .max(LARGEST, { error: `expected at most ${LARGEST}` })
    .refine((value) => value === 0 || Math.abs(value) >= SMALLEST, {
      error: `expected zero or a magnitude of at least ${SMALLEST}`,
    });
/** What is told of a field beside its shape. */
const told = (title: string, unit: Unit, description?: string) => ({
  title,
  unit,
  ...(description === undefined ? {} : { description }),
});

/** @param title what people call it, whole where it is read alone; below a part's own record its second half */
export const positive = (title: string, unit: Unit, note?: string) =>
  finite(0, 'a number above 0')
    .refine((value) => value > 0, { error: 'expected a number above 0' })
    .meta({ ...told(title, unit, note), exclusiveMinimum: 0 });
export const nonNegative = (title: string, unit: Unit, note?: string) =>
  finite(0, 'zero or a positive number').meta(told(title, unit, note));
/** A number of either sign. */
export const number = (title: string, unit: Unit, note?: string) =>
  finite(-LARGEST, 'a finite number').meta(told(title, unit, note));
/** Points of a curve, [place, value], the places rising; values above 0. */
export const curve = (title: string, [across, up]: readonly [Unit, Unit], fromZero: boolean, note?: string) =>
  z
    .array(
      z.tuple([fromZero ? nonNegative(`${title}, at`, across) : positive(`${title}, at`, across), positive(title, up)]),
      { error: 'expected a list of [place, value] pairs' },
    )
    .min(1, { error: 'expected at least one pair' })
    .max(1000, { error: 'expected at most 1000 pairs' })
    .refine((points) => points.every(([at], i) => i === 0 || at > points[i - 1]![0]), {
      error: 'expected places that rise',
    })
    .meta({ title, description: `[${across}, ${up}]${note === undefined ? '' : `, ${note}`}` });
/** A part of a whole, above 0, at most 1. */
export const fraction = (title: string, note?: string) =>
  positive(title, '%', note).refine((value) => value <= 1, { error: 'expected a fraction above 0, at most 1' });
export const celsius = (title: string, note?: string) =>
  finite(-273.15, 'a temperature above −273.15 °C')
    .max(1000, { error: 'expected at most 1000 °C' })
    .meta(told(title, '°C', note));
export const count = (maximum: number, title: string, note?: string) =>
  z
    .int({ error: `expected a whole number from 1 to ${maximum}` })
    .min(1, { error: `expected a whole number from 1 to ${maximum}` })
    .max(maximum, { error: `expected a whole number from 1 to ${maximum}` })
    .meta(told(title, '', note));
export const name = (maximum: number, title: string) =>
  z
    .string({ error: 'expected text' })
    .max(maximum, { error: `expected at most ${maximum} characters` })
    .meta({ title });
export const flag = (title: string, note?: string) =>
  z.boolean({ error: 'expected true or false' }).meta({ title, ...(note === undefined ? {} : { description: note }) });
export const choice = <const T extends readonly [string, ...string[]]>(values: T, title: string, note?: string) =>
  z
    .enum(values, { error: `expected one of ${values.map((value) => `"${value}"`).join(', ')}` })
    .meta({ title, ...(note === undefined ? {} : { description: note }) });
/** The id of the shelf's part that stands in a place. */
export const partId = () => name(120, 'part');

export const object = <T extends z.ZodRawShape>(shape: T) => z.looseObject(shape, { error: 'expected an object' });

export const range = <T extends { min: number; max: number; nominal?: number | undefined }>(schema: z.ZodType<T>) =>
  schema.superRefine((value, context) => {
    if (value.min > value.max) {
      context.addIssue({
        code: 'custom',
        path: ['min'],
        input: value.min,
        message: `expected at most max, ${value.max}`,
      });
    } else if (value.nominal !== undefined && (value.nominal < value.min || value.nominal > value.max)) {
      context.addIssue({
        code: 'custom',
        path: ['nominal'],
        input: value.nominal,
        message: `expected between min, ${value.min}, and max, ${value.max}`,
      });
    }
  });
