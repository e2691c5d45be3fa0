/** Why a free decision came out as it did. */
export interface DecidedBy {
  /** the decision, as a path below `decisions` */
  path: string;
  rule: string;
}

/** Passes a held value through; makes a free one and keeps its rule. */
export type Decide = <T>(path: string, held: T | undefined, make: () => { value: T; rule: string }) => T;

export function decider(decided: DecidedBy[]): Decide {
  return (path, held, make) => {
    if (held !== undefined) return held;
    const { value, rule } = make();
    decided.push({ path, rule });
    return value;
  };
}

/** Made at the first asking, then kept. */
export function once<T>(make: () => T): () => T {
  let made: { value: T } | undefined;
  return () => (made ??= { value: make() }).value;
}
