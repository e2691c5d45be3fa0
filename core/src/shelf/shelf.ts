import { z } from 'zod';
import { FAULTS, faultsOf, jsonOf, structureFault, type Fault } from '../design/read.ts';
import { demoParts } from './demo/index.ts';
import { partSchemas, PART_KINDS, type Part, type PartKind } from './part.ts';

const SHELF_FORMAT = 'yundro-shelf';
/** Parts and bytes that one shelf file holds at most. */
const MOST_PARTS = 50_000;
const MOST_SHELF_BYTES = 60_000_000;

/** A shelf as its file has it. */
export interface Shelf {
  format: typeof SHELF_FORMAT;
  version: 1;
  name: string;
  parts: Part[];
}

export type ShelfResult = { ok: true; shelf: Shelf } | { ok: false; faults: Fault[] };
export type PartResult = { ok: true; part: Part } | { ok: false; faults: Fault[] };

const headSchema = z.looseObject({
  format: z.literal(SHELF_FORMAT, { error: `expected "${SHELF_FORMAT}"` }),
  version: z.literal(1, { error: 'expected 1, the only version this release reads' }),
  name: z.string({ error: 'expected text' }).max(200).default('Shelf'),
  parts: z.array(z.unknown(), { error: 'expected a list of parts' }).max(MOST_PARTS, {
    error: `expected at most ${MOST_PARTS} parts`,
  }),
});

/** Reads one part. The faults name each value by its key. */
export function readPart(value: unknown): PartResult {
  const structure = structureFault(value);
  if (structure) return { ok: false, faults: [structure] };
  const kind = (value as { kind?: unknown } | null)?.kind;
  if (typeof kind !== 'string' || !Object.hasOwn(partSchemas, kind))
    return {
      ok: false,
      faults: [
        {
          path: 'kind',
          message: `found ${JSON.stringify(kind) ?? 'nothing'}`,
          expected: `one of ${PART_KINDS.join(', ')}`,
        },
      ],
    };
  const parsed = partSchemas[kind as PartKind].safeParse(value, { reportInput: true });
  return parsed.success ? { ok: true, part: parsed.data } : { ok: false, faults: faultsOf(parsed.error.issues, value) };
}

/** Reads the text of a shelf file. Never throws; the faults name the part and the key. */
export function readShelfText(text: string): ShelfResult {
  if (text.length > MOST_SHELF_BYTES)
    return { ok: false, faults: [{ path: '', message: 'the file is over 60 MB', expected: 'a smaller shelf' }] };
  const json = jsonOf(text);
  if (!json.ok) return json;
  const head = headSchema.safeParse(json.value, { reportInput: true });
  if (!head.success) return { ok: false, faults: faultsOf(head.error.issues, json.value) };
  const faults: Fault[] = [];
  const parts: Part[] = [];
  const seen = new Map<string, number>();
  head.data.parts.forEach((value, at) => {
    if (faults.length >= FAULTS) return;
    const read = readPart(value);
    if (!read.ok) {
      faults.push(
        ...read.faults.map((fault) => ({ ...fault, path: `parts.${at}${fault.path ? `.${fault.path}` : ''}` })),
      );
      return;
    }
    const before = seen.get(read.part.id);
    if (before !== undefined)
      faults.push({
        path: `parts.${at}.id`,
        message: `"${read.part.id}" is the id of part ${before} too`,
        expected: 'an id of its own',
      });
    seen.set(read.part.id, at);
    parts.push(read.part);
  });
  if (faults.length > 0) return { ok: false, faults: faults.slice(0, FAULTS) };
  return { ok: true, shelf: { format: SHELF_FORMAT, version: 1, name: head.data.name, parts } };
}

export function writeShelfText(shelf: Shelf): string {
  return `${JSON.stringify(shelf, null, 1)}\n`;
}

export function demoShelf(): Shelf {
  return { format: SHELF_FORMAT, version: 1, name: 'Demo shelf, invented parts', parts: demoParts() };
}

/** The parts of a kind that are still offered. */
export function offered<K extends PartKind>(parts: readonly Part[], kind: K): Extract<Part, { kind: K }>[] {
  return parts.filter((part): part is Extract<Part, { kind: K }> => part.kind === kind && part.retired !== true);
}
