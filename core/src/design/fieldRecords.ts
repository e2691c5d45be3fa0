import type { Unit } from '../quantity/index.ts';
import { designSchema } from './schema.ts';

/** What the design file's schema says of one field. */
export interface Field {
  /** dotted, a star for any place in a list */
  path: string;
  /** what people call it */
  name: string;
  /** of a number */
  unit?: Unit;
  kind: 'number' | 'text' | 'flag' | 'choice';
  /** of a choice */
  values?: readonly (string | number)[];
  /** why a value cannot stand there, as the file's own reader says it; undefined where it can */
  check: (value: unknown) => string | undefined;
}

interface Node {
  def: {
    type: string;
    innerType?: Node;
    shape?: Record<string, Node>;
    element?: Node;
    items?: Node[];
    options?: Node[];
    valueType?: Node;
    values?: (string | number)[];
    entries?: Record<string, string>;
  };
  meta: () => { title?: string; unit?: Unit } | undefined;
  safeParse: (value: unknown) => { success: boolean; error?: { issues: { message: string }[] } };
}

const KINDS: Readonly<Record<string, Field['kind']>> = {
  number: 'number',
  string: 'text',
  boolean: 'flag',
  enum: 'choice',
  literal: 'choice',
};

/** A part's record names itself, and its fields the rest: "Control switch" and "RDS(on)". */
const joined = (group: string, title: string): string =>
  group === '' ? title : title === '' ? group : `${group}, ${title}`;

function collect(node: Node, path: string, group: string, into: Map<string, Field>): void {
  const { type, innerType, shape, element, items, options, valueType, values, entries } = node.def;
  const title = node.meta()?.title ?? '';
  if (innerType)
    return collect(innerType, path, title === '' || innerType.meta()?.title ? group : joined(group, title), into);
  const at = (key: string): string => (path === '' ? key : `${path}.${key}`);
  if (options && options.every((option) => option.def.shape)) {
    for (const option of options) collect(option, path, joined(group, title), into);
    return;
  }
  if (shape) {
    for (const [key, inner] of Object.entries(shape)) collect(inner, at(key), joined(group, title), into);
    return;
  }
  if (element) return collect(element, at('*'), element.def.shape ? joined(group, title) : group, into);
  if (items) return items.forEach((inner, k) => collect(inner, at(String(k)), group, into));
  if (valueType) return collect(valueType, at('*'), group, into);
  if (into.has(path)) {
    const before = into.get(path)!;
    if (values && before.values) into.set(path, { ...before, values: [...before.values, ...values] });
    return;
  }
  const choices =
    values ?? (entries && Object.values(entries)) ?? options?.flatMap((option) => option.def.values ?? []);
  const unit = node.meta()?.unit;
  into.set(path, {
    path,
    name: joined(group, title),
    kind: options ? 'choice' : KINDS[type]!,
    ...(unit === undefined ? {} : { unit }),
    ...(choices ? { values: choices } : {}),
    check: (value) => node.safeParse(value).error?.issues[0]?.message,
  });
}

let known: Map<string, Field> | undefined;

/** Every field of the design file, in its order. */
export function fieldRecords(): ReadonlyMap<string, Field> {
  if (!known) {
    known = new Map();
    collect(designSchema as unknown as Node, '', '', known);
  }
  return known;
}

/** @param path of a value in a document: "decisions.outputCapacitors.1.esr" */
export function fieldOf(path: string): Field | undefined {
  const records = fieldRecords();
  const parts = path.split('.');
  // a tuple's places are told apart, a list's are not
  const star = (at: number): string[] => parts.map((part, k) => (k <= at && /^\d+$/u.test(part) ? '*' : part));
  return (
    records.get(parts.join('.')) ??
    records.get(star(parts.length - 1).join('.')) ??
    records.get(star(parts.length - 2).join('.')) ??
    records.get(path.replace(/^(decisions\.reasons)\..*$/u, '$1.*'))
  );
}

/** What a field, or the group that a path leads to, is called; undefined where the file has no such place. */
export function fieldName(path: string): string | undefined {
  const own = fieldOf(path)?.name;
  if (own !== undefined) return own;
  const first = [...fieldRecords().values()].find((field) => field.path.startsWith(`${path}.`));
  return first?.name;
}
