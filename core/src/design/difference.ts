/** One place where two documents differ; undefined where one has nothing there. */
export interface Difference {
  path: string;
  left: unknown;
  right: unknown;
}

/** Every leaf in which two documents differ, by its dotted path, in the left one's order. */
export function listDifferences(left: unknown, right: unknown, path = ''): Difference[] {
  if (Object.is(left, right)) return [];
  const isObject = (value: unknown): value is Record<string, unknown> => typeof value === 'object' && value !== null;
  if (isObject(left) && isObject(right) && Array.isArray(left) === Array.isArray(right)) {
    const keys = new Set([...Object.keys(left), ...Object.keys(right)]);
    return [...keys].flatMap((key) => listDifferences(left[key], right[key], path === '' ? key : `${path}.${key}`));
  }
  return [{ path, left, right }];
}
