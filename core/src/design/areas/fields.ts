import { z } from 'zod';

/** Fields that the areas' parts of the design file are made of, with the words that say what was expected. */

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

export const positive = (description: string) =>
  finite(0, 'a number above 0')
    .refine((value) => value > 0, { error: 'expected a number above 0' })
    .meta({ description, exclusiveMinimum: 0 });
export const nonNegative = (description: string) => finite(0, 'zero or a positive number').meta({ description });
/** A number of either sign. */
export const number = (description: string) => finite(-LARGEST, 'a finite number').meta({ description });
/** Points of a curve, [place, value], the places rising; values above 0. */
export const curve = (description: string, fromZero: boolean) =>
  z
    .array(z.tuple([fromZero ? nonNegative('place') : positive('place'), positive('value')]), {
      error: 'expected a list of [place, value] pairs',
    })
    .min(1, { error: 'expected at least one pair' })
    .max(1000, { error: 'expected at most 1000 pairs' })
    .refine((points) => points.every(([at], i) => i === 0 || at > points[i - 1]![0]), {
      error: 'expected places that rise',
    })
    .meta({ description });
export const fraction = (description: string) =>
  positive(description).refine((value) => value <= 1, { error: 'expected a fraction above 0, at most 1' });
export const celsius = (description: string) =>
  finite(-273.15, 'a temperature above −273.15 °C')
    .max(1e4, { error: 'expected at most 10000 °C' })
    .meta({ description });
export const count = (maximum: number, description: string) =>
  z
    .int({ error: 'expected a whole number' })
    .min(1, { error: 'expected at least 1' })
    .max(maximum, { error: `expected at most ${maximum}` })
    .meta({ description });
export const name = (maximum: number) =>
  z.string({ error: 'expected text' }).max(maximum, { error: `expected at most ${maximum} characters` });
export const choice = <const T extends readonly [string, ...string[]]>(values: T, description: string) =>
  z.enum(values, { error: `expected one of ${values.map((value) => `"${value}"`).join(', ')}` }).meta({ description });

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
