import {
  columnsOf,
  demoShelf,
  fitCapacitor,
  formatQuantity,
  impedanceOf,
  guarded,
  parseWhere,
  PART_KINDS,
  PLACES,
  rankPlace,
  readDesignText,
  readShelfText,
  readTable,
  readTouchstone,
  writeShelfText,
  writeTable,
  writeTouchstone,
  type Fault,
  type Fixture,
  type Part,
  type PartKind,
  type Place,
  type Shelf,
} from '@yundro/core';
import Papa from 'papaparse';

/** What stops a command, as lines for standard error. */
export class Refusal extends Error {
  readonly lines: string[];
  constructor(...lines: string[]) {
    super(lines.join('\n'));
    this.lines = lines;
  }
}

const said = (name: string, { path, message, expected }: Fault): string =>
  `${name}: ${path === '' ? '' : `${path}: `}${message}, expected ${expected}`;

/** The demo shelf, or one from a file. */
export async function shelfFrom(name: string, read: (file: string) => Promise<string>): Promise<Shelf> {
  if (name === 'demo') return demoShelf();
  const found = readShelfText(await read(name));
  if (!found.ok) throw new Refusal(...found.faults.map((fault) => said(name, fault)));
  return found.shelf;
}

export interface PartsCall {
  shelf: string | undefined;
  kind: string | undefined;
  where: string | undefined;
  place: string | undefined;
  import: string | undefined;
  check: string | undefined;
  export: string | undefined;
  fixture: string | undefined;
  file: string | undefined;
  json: boolean;
}

/** The text that `yundro parts` prints. */
export async function partsCommand(call: PartsCall, read: (file: string) => Promise<string>): Promise<string> {
  const kind = kindOf(call.kind);
  if (call.check !== undefined) {
    const shelf = await shelfFrom(call.check, read);
    return `${call.check}: ${shelf.parts.length} parts, all of them in order\n`;
  }
  if (call.import !== undefined) return importFrom(call.import, kind, fixtureOf(call.fixture), read);
  const { parts } = await shelfFrom(call.shelf ?? 'demo', read);
  if (call.place !== undefined) return rank(call, parts, read);
  let found: readonly Part[] = kind ? parts.filter((part) => part.kind === kind) : parts;
  if (call.where !== undefined) {
    const where = parseWhere(call.where, kind);
    if (!where.ok) throw new Refusal(`--where: ${where.message}, expected ${where.expected}`);
    found = found.filter((part) => where.matches(part));
  }
  if (call.export === 'csv') {
    if (!kind) throw new Refusal('--export csv needs --kind: each kind has columns of its own');
    return csvOf(kind, found);
  }
  if (call.export === 'json')
    return writeShelfText({ format: 'yundro-shelf', version: 1, name: 'Parts', parts: [...found] });
  if (call.export === 's1p') {
    const [part] = found;
    if (found.length !== 1 || part?.kind !== 'capacitor')
      throw new Refusal(
        `--export s1p: found ${found.length} parts, expected one capacitor, as by --where 'id == ceramic-25v-22u-1210'`,
      );
    return writeTouchstone(impedanceOf(part));
  }
  if (call.export !== undefined) throw new Refusal(`--export: found "${call.export}", expected csv, json or s1p`);
  if (call.json) return `${JSON.stringify(found, null, 2)}\n`;
  return `${found.map((part) => `${part.id.padEnd(34)} ${part.name}`).join('\n')}\n${found.length} of ${parts.length} parts\n`;
}

function kindOf(text: string | undefined): PartKind | undefined {
  if (text === undefined) return undefined;
  const kind = PART_KINDS.find((one) => one === text);
  if (!kind) throw new Refusal(`--kind: found "${text}", expected one of ${PART_KINDS.join(', ')}`);
  return kind;
}

function fixtureOf(text: string | undefined): Fixture | undefined {
  if (text === undefined || text === 'shunt-through' || text === 'series-through') return text;
  throw new Refusal(`--fixture: found "${text}", expected shunt-through or series-through`);
}

export function csvOf(kind: PartKind, parts: readonly Part[]): string {
  return `${Papa.unparse(
    writeTable(kind, parts).map((row) => row.map(guarded)),
    { newline: '\r\n' },
  )}\r\n`;
}

async function rank(call: PartsCall, parts: readonly Part[], read: (file: string) => Promise<string>): Promise<string> {
  const place = PLACES.find((one): one is Place => one === call.place);
  if (!place) throw new Refusal(`--place: found "${call.place ?? ''}", expected one of ${PLACES.join(', ')}`);
  if (call.file === undefined) throw new Refusal('--place ranks for a design: name its FILE');
  const design = readDesignText(await read(call.file));
  if (!design.ok) throw new Refusal(...design.faults.map((fault) => said(call.file!, fault)));
  const ranked = rankPlace(design.design, place, parts);
  if (call.json)
    return `${JSON.stringify(
      ranked.map(({ part: { id, name }, ...rest }) => ({ id, name, ...rest })),
      null,
      2,
    )}\n`;
  const fitting = ranked.filter(({ reasons }) => reasons.length === 0);
  const lines = fitting.map(
    ({ part, count, loss, cost }) =>
      `${`${count} × ${part.id}`.padEnd(36)} ${(loss === undefined ? '—' : formatQuantity(loss, 'W')).padStart(9)} ${(cost === undefined ? '—' : cost.toFixed(2)).padStart(7)}  ${part.name}`,
  );
  const others = ranked.length - fitting.length;
  const [nearest] = ranked.filter(({ reasons }) => reasons.length > 0);
  return [
    `part                                      loss    cost   (loss of the whole stage over its load profile)`,
    ...lines,
    `${others} do not fit${nearest ? `; the nearest, ${nearest.part.id}: ${nearest.reasons.map(({ words }) => words).join('; ')}` : ''}`,
    '',
  ].join('\n');
}

/** A CSV of parts as a shelf, or a Touchstone file as C, ESR and ESL; every bad cell is named. */
async function importFrom(
  file: string,
  kind: PartKind | undefined,
  fixture: Fixture | undefined,
  read: (file: string) => Promise<string>,
): Promise<string> {
  const text = await read(file);
  const ports = /\.s([12])p$/iu.exec(file)?.[1];
  if (ports) {
    const found = readTouchstone(text, ports === '1' ? 1 : 2, fixture);
    if (!found.ok) throw new Refusal(`${file}: line ${found.line}: ${found.message}, expected ${found.expected}`);
    const fit = fitCapacitor(found.points);
    if (!fit) throw new Refusal(`${file}: its impedance is that of no capacitor`);
    return `${JSON.stringify(fit, null, 2)}\n`;
  }
  if (!kind)
    throw new Refusal(
      `--import needs --kind: ${columnsOf('mosfet').length} columns of a mosfet are not those of a core`,
    );
  const table = readTable(kind, Papa.parse<string[]>(text.replace(/^\uFEFF/u, ''), { skipEmptyLines: false }).data);
  if ('fault' in table) throw new Refusal(said(file, table.fault));
  const bad = table.rows.filter(({ part }) => part === undefined);
  if (bad.length > 0)
    throw new Refusal(
      ...bad
        .flatMap(({ row, faults }) =>
          faults.map((fault) => said(`${file}: row ${row + 1}, column ${fault.column + 1}`, fault)),
        )
        .slice(0, 20),
    );
  return writeShelfText({
    format: 'yundro-shelf',
    version: 1,
    name: file,
    parts: table.rows.flatMap(({ part }) => (part ? [part] : [])),
  });
}
