/** Preferred-number series of IEC 60063. */
export type Series = 'E3' | 'E6' | 'E12' | 'E24' | 'E48' | 'E96' | 'E192';

// E24 and below are historical and do not follow the rounding rule, so they are written out (IEC 60063, table 1).
const E24 = [10, 11, 12, 13, 15, 16, 18, 20, 22, 24, 27, 30, 33, 36, 39, 43, 47, 51, 56, 62, 68, 75, 82, 91];

/** The mantissas of one decade, in hundredths (100 to 999), rising. */
const DECADE: Readonly<Record<Series, readonly number[]>> = {
  E3: every(E24, 8),
  E6: every(E24, 4),
  E12: every(E24, 2),
  E24: every(E24, 1),
  E48: geometric(48),
  E96: geometric(96),
  E192: geometric(192),
};

function every(values: readonly number[], step: number): number[] {
  return values.filter((_, index) => index % step === 0).map((value) => value * 10);
}

function geometric(count: number): number[] {
  return Array.from({ length: count }, (_, index) => {
    const value = Math.round(100 * 10 ** (index / count));
    return value === 919 ? 920 : value; // the one value where IEC 60063 departs from its own rule
  });
}

/** The mantissas of a series, 1 (included) to 10 (excluded). */
export function seriesMantissas(series: Series): number[] {
  return DECADE[series].map((value) => value / 100);
}

/** Members read from their decimals once: a search for a network asks for them a hundred thousand times. */
const READ = new Map<Series, Map<number, number>>();

function valueAt(series: Series, index: number): number {
  let read = READ.get(series);
  if (!read) {
    read = new Map<number, number>();
    READ.set(series, read);
  }
  let value = read.get(index);
  if (value === undefined) {
    const decade = DECADE[series];
    const power = Math.floor(index / decade.length);
    value = Number(`${decade[index - power * decade.length]!}e${power - 2}`);
    read.set(index, value);
  }
  return value;
}

/** Index of the largest member not above `value` (a hair above still counts as equal, for values that were computed). */
function indexBelow(value: number, series: Series): number {
  if (!(value > 0) || !Number.isFinite(value)) {
    throw new RangeError(`preferred numbers need a positive value, not ${value}`);
  }
  const count = DECADE[series].length;
  let index = Math.floor(Math.log10(value) * count) - 2;
  while (valueAt(series, index + 1) <= value * (1 + 1e-9)) index += 1;
  return index;
}

/** The largest member not above `value` (> 0). */
export function preferredDown(value: number, series: Series): number {
  return valueAt(series, indexBelow(value, series));
}

/** The smallest member not below `value` (> 0). */
export function preferredUp(value: number, series: Series): number {
  const index = indexBelow(value, series);
  return valueAt(series, index) >= value * (1 - 1e-9) ? valueAt(series, index) : valueAt(series, index + 1);
}

/** The member nearest to `value` (> 0) by ratio, which is how tolerance counts. */
export function preferredNearest(value: number, series: Series): number {
  const below = preferredDown(value, series);
  const above = preferredUp(value, series);
  return value / below <= above / value ? below : above;
}

/** The member after `value` (> 0): strictly above it. */
export function preferredNext(value: number, series: Series): number {
  return valueAt(series, indexBelow(value, series) + 1);
}

/** The member before `value` (> 0): strictly below it. */
export function preferredPrevious(value: number, series: Series): number {
  const index = indexBelow(value, series);
  return valueAt(series, index) < value * (1 - 1e-9) ? valueAt(series, index) : valueAt(series, index - 1);
}

/** The member of a series so many steps above (or below) the one nearest to a value. */
export function preferredMoved(value: number, series: Series, steps: number): number {
  return valueAt(series, indexBelow(preferredNearest(value, series), series) + steps);
}
