import { and, asc, desc, eq, sql } from 'drizzle-orm';
import { readDesign, type Design } from '@yundro/core';
import type { Database } from './database.ts';
import { designs, projects, revisions } from './schema.ts';

export interface StoredDesign {
  id: string;
  projectId: string;
  version: number;
  updatedAt: string;
  document: Design;
}

/** What became of a save: done, refused because a newer version stands, or no such design. */
export type SaveOutcome =
  { kind: 'saved'; design: StoredDesign } | { kind: 'stale'; current: StoredDesign } | { kind: 'missing' };

type Row = typeof designs.$inferSelect;

/** A document that the schema refuses on its way out is a fault of ours, not of the reader. */
function checked(document: unknown, id: string): Design {
  const read = readDesign(document);
  if (!read.ok)
    throw new Error(`design ${id} in the database does not fit the schema: ${JSON.stringify(read.faults[0])}`);
  return read.design;
}

function stored(row: Row): StoredDesign {
  return {
    id: row.id,
    projectId: row.projectId,
    version: row.version,
    updatedAt: row.updatedAt.toISOString(),
    document: checked(row.document, row.id),
  };
}

export async function listProjects(db: Database) {
  const rows = await db
    .select({
      id: projects.id,
      name: projects.name,
      description: projects.description,
      designCount: sql<number>`count(${designs.id})::int`,
    })
    .from(projects)
    .leftJoin(designs, eq(designs.projectId, projects.id))
    .groupBy(projects.id)
    .orderBy(asc(projects.createdAt));
  return rows;
}

export async function findProject(db: Database, id: string) {
  const row = await db.query.projects.findFirst({
    where: eq(projects.id, id),
    with: { designs: { orderBy: [asc(designs.createdAt)] } },
  });
  if (!row) return undefined;
  return { id: row.id, name: row.name, description: row.description, designs: row.designs.map(stored) };
}

export async function createProject(db: Database, values: { id?: string; name: string; description: string }) {
  const [row] = await db.insert(projects).values(values).onConflictDoNothing().returning();
  return row;
}

export async function findDesign(db: Database, id: string): Promise<StoredDesign | undefined> {
  const [row] = await db.select().from(designs).where(eq(designs.id, id));
  return row && stored(row);
}

/** Adds a design with its first revision; undefined when the project does not exist. */
export async function createDesign(
  db: Database,
  projectId: string,
  document: Design,
  id?: string,
): Promise<StoredDesign | undefined> {
  return db.transaction(async (tx) => {
    const [project] = await tx
      .select({ id: projects.id })
      .from(projects)
      .where(eq(projects.id, projectId))
      .for('share');
    if (!project) return undefined;
    const [row] = await tx
      .insert(designs)
      .values({ projectId, name: document.name, document, ...(id === undefined ? {} : { id }) })
      .returning();
    await tx.insert(revisions).values({ designId: row!.id, version: row!.version, document });
    return stored(row!);
  });
}

/** Saves over exactly the version the writer has seen; the check and the write are one statement. */
export async function saveDesign(db: Database, id: string, version: number, document: Design): Promise<SaveOutcome> {
  return db.transaction(async (tx): Promise<SaveOutcome> => {
    const [row] = await tx
      .update(designs)
      .set({ document, name: document.name, version: sql`${designs.version} + 1`, updatedAt: sql`now()` })
      .where(and(eq(designs.id, id), eq(designs.version, version)))
      .returning();
    if (row) {
      await tx.insert(revisions).values({ designId: id, version: row.version, document });
      return { kind: 'saved', design: stored(row) };
    }
    const [current] = await tx.select().from(designs).where(eq(designs.id, id));
    return current ? { kind: 'stale', current: stored(current) } : { kind: 'missing' };
  });
}

export async function listRevisions(db: Database, designId: string) {
  const rows = await db
    .select({ version: revisions.version, createdAt: revisions.createdAt })
    .from(revisions)
    .where(eq(revisions.designId, designId))
    .orderBy(desc(revisions.version))
    .limit(500);
  return rows.map((row) => ({ version: row.version, createdAt: row.createdAt.toISOString() }));
}

export async function findRevision(db: Database, designId: string, version: number) {
  const [row] = await db
    .select()
    .from(revisions)
    .where(and(eq(revisions.designId, designId), eq(revisions.version, version)));
  return (
    row && { version: row.version, createdAt: row.createdAt.toISOString(), document: checked(row.document, designId) }
  );
}
