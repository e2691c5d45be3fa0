import { fieldOf } from '@yundro/core';

/**
 * What the design file asks of a value at a place, as a sentence where the value is not so.
 * @param scale file units of one of what is typed
 */
export function neededAt(path: string, scale = 1): (value: number) => string | undefined {
  return (value) => {
    const why = fieldOf(path)?.check(value * scale);
    if (why === undefined) return undefined;
    const needed = why.replace(/^expected /u, '');
    return `${needed[0]!.toUpperCase()}${needed.slice(1)} is needed here.`;
  };
}
