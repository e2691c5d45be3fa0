const env = (globalThis as { process?: { env: Record<string, string | undefined> } }).process?.env;

/**
 * How many designs a property is tried on: few, fixed by their seed, in `npm test`; as many times more as
 * PROPERTY_RUNS says in `npm run check:properties`.
 */
export function runs(few: number): number {
  return Math.max(1, Math.round(few * Number(env?.PROPERTY_RUNS ?? 1)));
}
