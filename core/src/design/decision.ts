import type { Design } from './schema.ts';

type Tree = { [key: string]: unknown };

function isTree(value: unknown): value is Tree {
  return typeof value === 'object' && value !== null && !Array.isArray(value);
}

/** The value at a dotted path below `decisions` or the whole document; undefined when absent, which means free. */
export function valueAt(root: unknown, path: string): unknown {
  return path
    .split('.')
    .reduce<unknown>((at, key) => (isTree(at) || Array.isArray(at) ? (at as Tree)[key] : undefined), root);
}

/** The document with `value` at `path` (objects are made on the way); the given document is left as it was. */
export function withValue<T>(root: T, path: string, value: unknown): T {
  const [key = '', ...rest] = path.split('.');
  const tree = isTree(root) || Array.isArray(root) ? root : {};
  const child = rest.length === 0 ? value : withValue((tree as Tree)[key], rest.join('.'), value);
  if (Array.isArray(tree)) return tree.map((item, index) => (String(index) === key ? child : (item as unknown))) as T;
  return { ...tree, [key]: child } as T;
}

/** The document without the value at `path`; objects left empty on the way go too, so that "free" leaves no trace. */
export function withoutValue<T>(root: T, path: string): T {
  const [key = '', ...rest] = path.split('.');
  if (!isTree(root)) return root;
  const { [key]: child, ...others } = root as Tree;
  if (rest.length === 0) return others as T;
  const pruned = withoutValue(child, rest.join('.'));
  return (isTree(pruned) && Object.keys(pruned).length === 0 ? others : { ...others, [key]: pruned }) as T;
}

/** Whether the person set this decision (its path is below `decisions`, for example "inductor.inductance"). */
export function isHeld(design: Design, path: string): boolean {
  return valueAt(design.decisions, path) !== undefined;
}

/** Places whose values a part brings all at once. */
const OF_PARTS = ['inductor', 'controlSwitch', 'rectifier'] as const;

/** The place that a part stands in, of one of whose values a path (below `decisions`) speaks. */
function partsPlace(design: Design, path: string): (typeof OF_PARTS)[number] | undefined {
  const place = OF_PARTS.find((one) => path.startsWith(`${one}.`));
  return place && design.decisions[place]?.partId !== undefined ? place : undefined;
}

/** What a value of its own leaves of its place: it is no longer that part, and another inductance than its curve's. */
function apart(design: Design, path: string): Design {
  const place = partsPlace(design, path);
  const unnamed = place ? withoutValue(design, `decisions.${place}.partId`) : design;
  return path === 'inductor.inductance' ? withoutValue(unnamed, 'decisions.inductor.inductanceCurve') : unnamed;
}

/** Sets and holds one decision. */
export function hold(design: Design, path: string, value: unknown): Design {
  return withValue(apart(design, path), `decisions.${path}`, value);
}

/** What stays when all is let go of: how much of a rating may be used, and what was noted. */
const KEPT = ['derating', 'reasons'] as const;

/** Gives every decision back to Yundro. */
export function freeAll(design: Design): Design {
  const kept = KEPT.flatMap((path) => {
    const value = design.decisions[path];
    return value === undefined ? [] : [[path, value] as const];
  });
  return { ...design, decisions: Object.fromEntries(kept) };
}

/** Gives one decision back to Yundro; one of a part's values with the part, of which a rectifier's kind stays. */
export function free(design: Design, path: string): Design {
  const place = partsPlace(design, path);
  const { rectifier } = design.decisions;
  const next =
    place === 'rectifier'
      ? withValue(design, 'decisions.rectifier', { kind: rectifier!.kind })
      : withoutValue(design, `decisions.${place ?? path}`);
  return next.decisions === undefined ? { ...next, decisions: {} } : next;
}

/**
 * A design with some of its entries changed at once: each set to its value, or given back where that is null.
 * @param change by path of the document, as in "decisions.inductor.inductance"
 */
export function taken(design: Design, { change }: { change: readonly { of: string; value: unknown }[] }): Design {
  const next = change.reduce(
    (so, { of, value }) =>
      value === null ? withoutValue(so, of) : withValue(apart(so, of.replace(/^decisions\./u, '')), of, value),
    design,
  );
  return next.decisions === undefined ? { ...next, decisions: {} } : next;
}
