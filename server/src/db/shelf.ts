import { and, asc, desc, eq, inArray, sql, type SQL } from 'drizzle-orm';
import { demoShelf, type Part, type PartKind } from '@yundro/core';
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

/** Parts of one statement. */
const CHUNK = 2000;

const rowOf = (part: Part) => ({
  id: part.id,
  kind: part.kind,
  name: part.name,
  retired: part.retired === true,
  document: part,
});

/** Puts the demo parts in, once: a shelf that holds anything is left as it is. */
export async function loadDemoShelf(db: Database): Promise<'loaded' | 'present'> {
  return db.transaction(async (tx) => {
    const [any] = await tx.select({ id: parts.id }).from(parts).limit(1);
    if (any) return 'present';
    await insertAll(tx, demoShelf().parts);
    return 'loaded';
  });
}

/** New parts with their first versions, each chunk one statement whose rows come from one JSON text. */
async function insertAll(db: Pick<Database, 'execute'>, all: readonly Part[]): Promise<void> {
  for (let i = 0; i < all.length; i += CHUNK) {
    const rows = JSON.stringify(all.slice(i, i + CHUNK));
    await db.execute(sql`
      with given as (select value as document from jsonb_array_elements(${rows}::jsonb)),
      added as (
        insert into parts (id, kind, name, retired, document)
        select document->>'id', document->>'kind', document->>'name', coalesce((document->>'retired')::boolean, false), document
        from given on conflict do nothing returning id, version, document
      )
      insert into part_versions (part_id, version, document) select id, version, document from added`);
  }
}

/** A mark that changes with every change of the Shelf. */
export async function shelfMark(db: Database): Promise<string> {
  const [row] = await db
    .select({ count: sql<number>`count(*)::int`, versions: sql<string>`coalesce(sum(${parts.version}), 0)::text` })
    .from(parts);
  return `${row!.count}-${row!.versions}`;
}

/** Every part, as one list. */
export async function allParts(db: Database): Promise<Part[]> {
  const rows = await db.select({ document: parts.document }).from(parts).orderBy(asc(parts.id));
  return rows.map(({ document }) => document);
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

/** Takes parts in, all or none: new ones, and ones that stand already as their next version. */
export async function importParts(
  db: Database,
  all: readonly Part[],
): Promise<{ added: number; changed: number; same: number }> {
  return db.transaction(async (tx) => {
    const counts = { added: 0, changed: 0, same: 0 };
    for (let i = 0; i < all.length; i += CHUNK) {
      const chunk = all.slice(i, i + CHUNK);
      const standing = new Map(
        (
          await tx
            .select({ id: parts.id, ...SHOWN })
            .from(parts)
            .where(
              inArray(
                parts.id,
                chunk.map(({ id }) => id),
              ),
            )
            .for('update')
        ).map((row) => [row.id, row]),
      );
      const fresh = chunk.filter(({ id }) => !standing.has(id));
      await insertAll(tx, fresh);
      counts.added += fresh.length;
      for (const part of chunk) {
        const row = standing.get(part.id);
        if (!row) continue;
        if (sameAs(row.document, part)) {
          counts.same += 1;
          continue;
        }
        counts.changed += 1;
        const version = row.version + 1;
        await tx
          .update(parts)
          .set({ ...rowOf(part), version, updatedAt: sql`now()` })
          .where(eq(parts.id, part.id));
        await tx.insert(partVersions).values({ partId: part.id, version, document: part });
      }
    }
    return counts;
  });
}

/** Whether two parts say the same, whatever the order of their keys. */
function sameAs(a: Part, b: Part): boolean {
  const sorted = (part: Part): string => JSON.stringify(Object.entries(part).sort(([x], [y]) => (x < y ? -1 : 1)));
  return sorted(a) === sorted(b);
}
