import { and, asc, desc, eq, sql, type SQL } from 'drizzle-orm';
import { CLASS_KEYS, demoShelf, nearestOf, type Nearest, type Part, type PartKind } from '@yundro/core';
import type { Database } from './database.ts';
import { parts, partVersions } from './schema.ts';

/** A part of the Shelf as the API hands it over. */
export interface StoredPart {
  version: number;
  updatedAt: string;
  part: Part;
}

/** What became of a write: done, refused because a newer version stands, or refused because it stands already. */
export type PartOutcome =
  { kind: 'saved'; stored: StoredPart } | { kind: 'stale'; current: StoredPart } | { kind: 'missing' };

/** What of a row is handed over: its words are only searched by. */
const SHOWN = { version: parts.version, updatedAt: parts.updatedAt, document: parts.document };
type Shown = Pick<typeof parts.$inferSelect, keyof typeof SHOWN>;

const stored = (row: Shown): StoredPart => ({
  version: row.version,
  updatedAt: row.updatedAt.toISOString(),
  part: row.document,
});

/** Parts of one statement that writes, and of one that reads. */
const CHUNK = 2000;
const PIECE = 10_000;

const rowOf = (part: Part) => ({
  id: part.id,
  kind: part.kind,
  name: part.name,
  retired: part.retired === true,
  document: part,
});

/** Puts the demo parts in, once: a shelf that holds anything is left as it is. */
export async function loadDemoShelf(db: Database): Promise<'loaded' | 'present'> {
  const [any] = await db.select({ id: parts.id }).from(parts).limit(1);
  if (any) return 'present';
  // two servers that start at once bring the same
  await importParts(db, demoShelf().parts);
  return 'loaded';
}

/** A mark that changes with every change of the Shelf. */
export async function shelfMark(db: Database): Promise<string> {
  const [row] = await db
    .select({ count: sql<number>`count(*)::int`, versions: sql<string>`coalesce(sum(${parts.version}), 0)::text` })
    .from(parts);
  return `${row!.count}-${row!.versions}`;
}

/** What is asked of every part that fits, by id, as pieces of the text of one JSON list: nothing of it is read here. */
async function* pieces(db: Database, asked: SQL, fits: SQL): AsyncGenerator<string> {
  let after = '';
  yield '[';
  for (;;) {
    const { rows } = await db.execute<{ last: string | null; list: string | null }>(sql`
      select max(id) as last, string_agg(${asked}::text, ',' order by id) as list
      from (select id, document from parts where ${fits} and id > ${after} order by id limit ${PIECE}) as piece`);
    const { last, list } = rows[0]!;
    if (last === null || list === null) break;
    yield after === '' ? list : `,${list}`;
    after = last;
  }
  yield ']';
}

/** Every part, whole. */
export const allParts = (db: Database): AsyncGenerator<string> => pieces(db, sql`document`, sql`true`);

/** What decides a part's class, of every part, as it stood at a mark. */
type Classes = { mark: string; rows: Parameters<typeof nearestOf>[0][number][] };
const classes = new WeakMap<Database, Promise<Classes>>();

/** Read once while the mark stands: a hundred thousand parts are some dozen megabytes of it. */
async function classesAt(db: Database, mark: string): Promise<Classes['rows']> {
  const known = await classes.get(db);
  if (known?.mark === mark) return known.rows;
  const keys = ['id', 'kind', 'technology', 'retired', ...CLASS_KEYS];
  const values = sql.join(
    keys.map((key) => sql`document->${key}`),
    sql`, `,
  );
  const read = async (): Promise<Classes> => {
    const rows: Classes['rows'] = [];
    for await (const piece of pieces(db, sql`jsonb_build_array(${values})`, sql`true`)) {
      if (piece === '[' || piece === ']') continue;
      for (const row of JSON.parse(`[${piece.replace(/^,/u, '')}]`) as unknown[][])
        rows.push(
          Object.fromEntries(keys.flatMap((key, k) => (row[k] === null ? [] : [[key, row[k]]]))) as Classes['rows'][0],
        );
    }
    return { mark, rows };
  };
  const reading = read();
  classes.set(db, reading);
  reading.catch(() => classes.delete(db));
  return (await reading).rows;
}

/** Parts of a shelf up to which it is handed over whole. */
export const AT_A_TIME = 2000;

/** Reads the classes of a large shelf before anyone asks. */
export async function warmClasses(db: Database): Promise<void> {
  const mark = await shelfMark(db);
  if (Number(mark.split('-')[0]) > AT_A_TIME) await classesAt(db, mark);
}

/** Those of a shelf that some classes name, whole. */
export async function nearestParts(db: Database, mark: string, asked: Nearest): Promise<AsyncGenerator<string>> {
  const ids = nearestOf(await classesAt(db, mark), asked).map(({ id }) => id);
  return pieces(db, sql`document`, sql`id = any(${sql.param(ids)}::text[])`);
}

/** How many parts of each kind there are. */
export async function countParts(db: Database): Promise<Partial<Record<PartKind, number>>> {
  const rows = await db
    .select({ kind: parts.kind, count: sql<number>`count(*)::int` })
    .from(parts)
    .groupBy(parts.kind);
  return Object.fromEntries(rows.map(({ kind, count }) => [kind, count]));
}

/** Some values of every part of a kind, a row each: curves, which are most of a part, stay away. */
export function partRows(db: Database, kind: PartKind, keys: readonly string[]): AsyncGenerator<string> {
  const values = sql.join(
    keys.map((key) => sql`document->${key}::text`),
    sql`, `,
  );
  return pieces(db, sql`jsonb_build_array(${values})`, sql`kind = ${kind}`);
}

export interface PartSearch {
  kind?: PartKind | undefined;
  words?: string | undefined;
  retired?: boolean | undefined;
  limit: number;
  offset: number;
}

/** A page of the parts that a search names, by id, and how many there are. */
export async function searchParts(
  db: Database,
  { kind, words, retired, limit, offset }: PartSearch,
): Promise<{ total: number; parts: StoredPart[] }> {
  const conditions: SQL[] = [];
  if (kind) conditions.push(eq(parts.kind, kind));
  if (retired !== undefined) conditions.push(eq(parts.retired, retired));
  if (words) conditions.push(sql`${parts.words} @@ plainto_tsquery('simple', ${words})`);
  const where = and(...conditions);
  // counted in the scan that finds the page; a page beyond the last row carries no count
  const total = sql<number>`(count(*) over ())::int`;
  const rows = await db
    .select({ ...SHOWN, total })
    .from(parts)
    .where(where)
    .orderBy(asc(parts.id))
    .limit(limit)
    .offset(offset);
  const [count] = rows.length > 0 || offset === 0 ? [] : await db.select({ total }).from(parts).where(where).limit(1);
  return { total: (rows[0] ?? count)?.total ?? 0, parts: rows.map(stored) };
}

export async function findPart(
  db: Database,
  id: string,
): Promise<(StoredPart & { versions: { version: number; createdAt: string }[] }) | undefined> {
  const [row] = await db.select(SHOWN).from(parts).where(eq(parts.id, id));
  if (!row) return undefined;
  const versions = await db
    .select({ version: partVersions.version, createdAt: partVersions.createdAt })
    .from(partVersions)
    .where(eq(partVersions.partId, id))
    .orderBy(desc(partVersions.version))
    .limit(100);
  return {
    ...stored(row),
    versions: versions.map(({ version, createdAt }) => ({ version, createdAt: createdAt.toISOString() })),
  };
}

/** Writes a part over exactly the version that its writer has seen; its former state stays readable. */
export async function savePart(db: Database, part: Part, version: number): Promise<PartOutcome> {
  return db.transaction(async (tx): Promise<PartOutcome> => {
    const [row] = await tx
      .update(parts)
      .set({ ...rowOf(part), version: version + 1, updatedAt: sql`now()` })
      .where(and(eq(parts.id, part.id), eq(parts.version, version)))
      .returning(SHOWN);
    if (row) {
      await tx.insert(partVersions).values({ partId: part.id, version: row.version, document: part });
      return { kind: 'saved', stored: stored(row) };
    }
    const [current] = await tx.select(SHOWN).from(parts).where(eq(parts.id, part.id));
    return current ? { kind: 'stale', current: stored(current) } : { kind: 'missing' };
  });
}

/** How long an import waits for another that holds the same parts: shorter than a query may take. */
const LONGEST_WAIT = sql`set local lock_timeout = '10s'`;

/** Takes parts in, all or none: new ones, and ones that stand already and say something else as their next version. */
export async function importParts(
  db: Database,
  all: readonly Part[],
): Promise<{ added: number; changed: number; same: number }> {
  return db.transaction(async (tx) => {
    await tx.execute(LONGEST_WAIT);
    const counts = { added: 0, changed: 0, same: 0 };
    // in one order, so that two imports never wait for each other
    const ordered = all.toSorted((a, b) => (a.id < b.id ? -1 : 1));
    for (let i = 0; i < ordered.length; i += CHUNK) {
      const rows = JSON.stringify(ordered.slice(i, i + CHUNK));
      const { rows: told } = await tx.execute<{ added: number; written: number }>(sql`
        with given as (select value as document from jsonb_array_elements(${rows}::jsonb)),
        written as (
          insert into parts (id, kind, name, retired, document)
          select document->>'id', document->>'kind', document->>'name', coalesce((document->>'retired')::boolean, false), document
          from given
          on conflict (id) do update set kind = excluded.kind, name = excluded.name, retired = excluded.retired,
            document = excluded.document, version = parts.version + 1, updated_at = now()
          where parts.document is distinct from excluded.document
          returning id, version, document
        ),
        kept as (
          insert into part_versions (part_id, version, document) select id, version, document from written returning version
        )
        select count(*) filter (where version = 1)::int as added, count(*)::int as written from kept`);
      const { added, written } = told[0]!;
      counts.added += added;
      counts.changed += written - added;
      counts.same += Math.min(CHUNK, ordered.length - i) - written;
    }
    return counts;
  });
}
