import { parseTree, printParseErrorCode, type ParseError } from 'jsonc-parser';
import type { z } from 'zod';
import { bringForward } from './migrate.ts';
import { designSchema, FORMAT, MAXIMUM_BYTES, MAXIMUM_DEPTH, VERSION, type Design } from './schema.ts';

/** One fault of a file: where (a dotted path, '' for the whole), what is wrong and what would be right. */
export interface Fault {
  path: string;
  message: string;
  expected: string;
}

/** A design that was read, with remarks about what was not understood; or every fault that was found. */
export type ReadResult = { ok: true; design: Design; remarks: Fault[] } | { ok: false; faults: Fault[] };

const FORBIDDEN_KEYS: ReadonlySet<string> = new Set(['__proto__', 'constructor', 'prototype']);
/** Faults that are named at once. */
export const FAULTS = 20;

/** Reads the text of a design file. Never throws; the faults name the place, the value and what was expected. */
export function readDesignText(text: string): ReadResult {
  // every character is at least one byte, so this never refuses a file that is small enough
  if (text.length > MAXIMUM_BYTES) return oneFault('', 'the file is over 5 MB', 'a design file of at most 5 MB');
  const json = jsonOf(text);
  return json.ok ? readDesign(json.value) : json;
}

/** The value of a JSON text, or where it is none. */
export function jsonOf(text: string): { ok: true; value: unknown } | { ok: false; faults: Fault[] } {
  try {
    return { ok: true, value: JSON.parse(text.replace(/^\uFEFF/u, '')) };
  } catch {
    return oneFault('', `not JSON: ${locateJsonError(text)}`, 'one JSON object');
  }
}

/** Checks a value that came from JSON (a file, a request, the database) against the design file's schema. */
export function readDesign(value: unknown): ReadResult {
  const structure = structureFault(value);
  if (structure) return { ok: false, faults: [structure] };
  if (typeof value !== 'object' || value === null || Array.isArray(value)) {
    return oneFault('', `found ${describe(value)}`, `an object with "format": "${FORMAT}"`);
  }
  const head = value as Record<string, unknown>;
  if (head['format'] !== FORMAT) {
    return oneFault('format', `found ${describe(head['format'])}`, `"${FORMAT}"`);
  }
  const current = bringForward(head);
  if (current['version'] !== VERSION) {
    const newer = typeof current['version'] === 'number' && current['version'] > VERSION;
    return oneFault(
      'version',
      newer ? `is ${String(current['version'])}, made by a newer release` : `found ${describe(current['version'])}`,
      `at most ${VERSION}, the newest that this release reads`,
    );
  }
  const parsed = designSchema.safeParse(current, { reportInput: true });
  if (!parsed.success) return { ok: false, faults: faultsOf(parsed.error.issues, current) };
  return { ok: true, design: parsed.data, remarks: unknownKeys(parsed.data, designSchema, []) };
}

/** The file's text: stable key order of the document itself, two-space indent, final newline. */
export function writeDesignText(design: Design): string {
  return `${JSON.stringify(design, null, 2)}\n`;
}

function oneFault(path: string, message: string, expected: string): { ok: false; faults: Fault[] } {
  return { ok: false, faults: [{ path, message, expected }] };
}

/** What a schema found wrong, one fault a place, {@link FAULTS} at most. */
export function faultsOf(issues: readonly z.core.$ZodIssue[], root: unknown): Fault[] {
  const faults = new Map<string, Fault>();
  for (const issue of issues) {
    const fault = faultOf(issue, root);
    if (!faults.has(fault.path)) faults.set(fault.path, fault);
  }
  return [...faults.values()].slice(0, FAULTS);
}

function faultOf(issue: z.core.$ZodIssue, root: unknown): Fault {
  const path = issue.path.map(String).join('.');
  const value = issue.path.reduce<unknown>(
    (at, key) => (typeof at === 'object' && at !== null ? (at as Record<PropertyKey, unknown>)[key] : undefined),
    root,
  );
  const expected = /^(?:Invalid|Too|Unrecognized)/u.test(issue.message)
    ? 'a value of the right kind'
    : issue.message.replace(/^expected /u, '');
  return { path, message: value === undefined ? 'is missing' : `found ${describe(value)}`, expected };
}

function describe(value: unknown): string {
  if (value === undefined) return 'nothing';
  if (Array.isArray(value)) return 'a list';
  if (typeof value === 'object' && value !== null) return 'an object';
  if (typeof value === 'number') return String(value);
  const text = JSON.stringify(value);
  return text.length > 60 ? `${text.slice(0, 57)}…"` : text;
}

/** Values, and entries of one list or object, that a document holds at most: what a design needs, many times over. */
const MOST_VALUES = 20_000;
const MOST_ENTRIES = 2_000;

/** A character that no text holds and no database keeps: NUL, or half of a surrogate pair. */
const UNFIT_TEXT = /\0|\p{Surrogate}/u;

/**
 * Depth, numbers of values, key names and text, checked without recursion before any schema or database sees a hostile
 * value; undefined when nothing is wrong.
 * @param depthOfRoot where the value stands: −1 for what wraps a document
 */
/** Whether JSON text nests deeper than so many levels: seen before a parser that recurses is handed it. @param text UTF-8 */
export function nestedDeeper(text: Uint8Array, most: number): boolean {
  let depth = 0;
  let quoted = false;
  for (let i = 0; i < text.length; i += 1) {
    const byte = text[i];
    if (quoted) {
      if (byte === BACKSLASH) i += 1;
      else if (byte === QUOTE) quoted = false;
    } else if (byte === QUOTE) quoted = true;
    else if (byte === OPEN_LIST || byte === OPEN_OBJECT) {
      depth += 1;
      if (depth > most) return true;
    } else if (byte === CLOSE_LIST || byte === CLOSE_OBJECT) depth -= 1;
  }
  return false;
}
const [BACKSLASH, QUOTE, OPEN_LIST, CLOSE_LIST, OPEN_OBJECT, CLOSE_OBJECT] = [92, 34, 91, 93, 123, 125] as const;

export function structureFault(root: unknown, depthOfRoot = 0): Fault | undefined {
  const stack: { value: unknown; path: string; depth: number }[] = [{ value: root, path: '', depth: depthOfRoot }];
  let values = 0;
  while (stack.length > 0) {
    const { value, path, depth } = stack.pop()!;
    values += 1;
    if (values > MOST_VALUES)
      return {
        path: '',
        message: `there are more than ${MOST_VALUES} values`,
        expected: `a document of at most ${MOST_VALUES} values`,
      };
    if (typeof value === 'string' && UNFIT_TEXT.test(value))
      return { path, message: 'holds a character that is no text (NUL or half a surrogate pair)', expected: 'text' };
    if (typeof value !== 'object' || value === null) continue;
    if (depth >= MAXIMUM_DEPTH) {
      return {
        path: path.split('.').slice(0, 6).join('.'),
        message: `nesting goes deeper than ${MAXIMUM_DEPTH} levels`,
        expected: `at most ${MAXIMUM_DEPTH} levels`,
      };
    }
    const keys = Object.keys(value);
    if (keys.length > MOST_ENTRIES)
      return {
        path,
        message: `has ${keys.length} entries`,
        expected: `at most ${MOST_ENTRIES}`,
      };
    for (const key of keys) {
      if (UNFIT_TEXT.test(key))
        return {
          path,
          message: 'has a key with a character that is no text (NUL or half a surrogate pair)',
          expected: 'text',
        };
      const at = path === '' ? key : `${path}.${key}`;
      if (FORBIDDEN_KEYS.has(key)) return { path: at, message: 'this key is not allowed', expected: 'another name' };
      const child = (value as Record<string, unknown>)[key];
      stack.push({ value: child, path: at, depth: depth + 1 });
    }
  }
  return undefined;
}

function locateJsonError(text: string): string {
  const errors: ParseError[] = [];
  // nesting was not checked yet: a parser that recurses must not be handed a tower
  if (/(?:[[{]\s*){2000}/u.test(text.slice(0, 200_000))) return 'nesting is far too deep';
  parseTree(text, errors, { allowTrailingComma: false, disallowComments: true, allowEmptyContent: false });
  const first = errors[0];
  const offset = first?.offset ?? text.length;
  const before = text.slice(0, offset);
  const line = before.split('\n').length;
  const column = offset - before.lastIndexOf('\n');
  const what = first
    ? printParseErrorCode(first.error).replace(/(?!^)([A-Z])/gu, (letter) => ` ${letter.toLowerCase()}`)
    : 'it ends too early';
  return `${what.toLowerCase()} at line ${line}, column ${column}`;
}

interface SchemaNode {
  def: {
    type: string;
    innerType?: SchemaNode;
    shape?: Record<string, SchemaNode>;
    element?: SchemaNode;
    options?: SchemaNode[];
  };
}

/** Keys that this release does not know: kept in the document, named so that a misspelling shows. */
function unknownKeys(value: unknown, schema: unknown, path: string[]): Fault[] {
  const node = unwrap(schema as SchemaNode);
  if (Array.isArray(value)) {
    return value.flatMap((item, index) =>
      node.def.element ? unknownKeys(item, node.def.element, [...path, String(index)]) : [],
    );
  }
  if (typeof value !== 'object' || value === null || node.def.type === 'record') return [];
  const shapes = node.def.type === 'union' ? (node.def.options ?? []).map((option) => unwrap(option)) : [node];
  const shape = Object.assign({}, ...shapes.map((option) => option.def.shape ?? {})) as Record<string, SchemaNode>;
  return Object.entries(value).flatMap(([key, child]) => {
    const at = [...path, key];
    const known = Object.hasOwn(shape, key) ? shape[key] : undefined;
    if (known) return unknownKeys(child, known, at);
    return [
      {
        path: at.join('.'),
        message: 'is not a key this release knows; it is kept and has no effect',
        expected: Object.keys(shape).join(', '),
      },
    ];
  });
}

function unwrap(node: SchemaNode): SchemaNode {
  let at = node;
  while (at.def.innerType) at = at.def.innerType;
  return at;
}
