import { and, asc, desc, eq, isNotNull, isNull, lt, sql } from 'drizzle-orm';
import { readDesign, type Design, type Fault } from '@yundro/core';
import type { Database } from './database.ts';
import { designs, projects, revisions } from './schema.ts';

/** A design as the API hands it over; one whose document does not fit says so and carries no document. */
export interface StoredDesign {
  id: string;
  projectId: string;
  name: string;
  version: number;
  updatedAt: string;
  document?: Design;
  unreadable?: Fault[];
}

/** What became of a save: done, refused because a newer version stands, or no such design. */
export type SaveOutcome =
  { kind: 'saved'; design: StoredDesign } | { kind: 'stale'; current: StoredDesign } | { kind: 'missing' };

type Row = typeof designs.$inferSelect;

/** Documents of older releases are brought forward on the way out; what does not fit is named and harms nothing else. */
function read(document: unknown): { document: Design } | { unreadable: Fault[] } {
  const found = readDesign(document);
  return found.ok ? { document: found.design } : { unreadable: found.faults };
}

function stored(row: Row): StoredDesign {
  return {
    id: row.id,
    projectId: row.projectId,
    name: row.name,
    version: row.version,
    updatedAt: row.updatedAt.toISOString(),
    ...read(row.document),
  };
}

/** The channel on which saves are announced to every server: "id version". */
export const SAVED_CHANNEL = 'yundro_saved';

export async function listProjects(db: Database) {
  return db
    .select({
      id: projects.id,
      name: projects.name,
      description: projects.description,
      designCount: sql<number>`count(${designs.id})::int`,
    })
    .from(projects)
    .leftJoin(designs, and(eq(designs.projectId, projects.id), isNull(designs.removedAt)))
    .where(isNull(projects.removedAt))
    .groupBy(projects.id)
    .orderBy(asc(projects.createdAt));
}

/** Rails of all projects that stand, those changed last first. */
export async function lateRails(db: Database, limit: number) {
  const rows = await db
    .select({ design: designs, projectName: projects.name })
    .from(designs)
    .innerJoin(projects, eq(projects.id, designs.projectId))
    .where(and(isNull(designs.removedAt), isNull(projects.removedAt)))
    .orderBy(desc(designs.updatedAt))
    .limit(limit);
  return rows.map(({ design, projectName }) => ({ ...stored(design), projectName }));
}

export async function findProject(db: Database, id: string) {
  const row = await db.query.projects.findFirst({
    where: and(eq(projects.id, id), isNull(projects.removedAt)),
    with: { designs: { where: isNull(designs.removedAt), orderBy: [asc(designs.createdAt)] } },
  });
  if (!row) return undefined;
  return { id: row.id, name: row.name, description: row.description, designs: row.designs.map(stored) };
}

export async function createProject(db: Database, values: { id?: string; name: string; description: string }) {
  const [row] = await db.insert(projects).values(values).onConflictDoNothing().returning();
  return row && { id: row.id, name: row.name, description: row.description };
}

export async function changeProject(db: Database, id: string, values: { name?: string; description?: string }) {
  const [row] = await db
    .update(projects)
    .set(values)
    .where(and(eq(projects.id, id), isNull(projects.removedAt)))
    .returning();
  return row && { id: row.id, name: row.name, description: row.description };
}

export async function findDesign(db: Database, id: string): Promise<StoredDesign | undefined> {
  const [row] = await db
    .select()
    .from(designs)
    .where(and(eq(designs.id, id), isNull(designs.removedAt)));
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
      .where(and(eq(projects.id, projectId), isNull(projects.removedAt)))
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

/**
 * Saves over exactly the version the writer has seen; the check and the write are one statement. A save that was sent
 * before (its answer may have been lost on the way) is known by its key and answered as done.
 */
export async function saveDesign(
  db: Database,
  id: string,
  version: number,
  document: Design,
  saveKey?: string,
): Promise<SaveOutcome> {
  return db.transaction(async (tx): Promise<SaveOutcome> => {
    const [row] = await tx
      .update(designs)
      .set({ document, name: document.name, version: sql`${designs.version} + 1`, updatedAt: sql`now()` })
      .where(and(eq(designs.id, id), eq(designs.version, version), isNull(designs.removedAt)))
      .returning();
    if (row) {
      await tx
        .insert(revisions)
        .values({ designId: id, version: row.version, document, ...(saveKey === undefined ? {} : { saveKey }) });
      await tx.execute(sql`select pg_notify(${SAVED_CHANNEL}, ${`${id} ${row.version}`})`);
      return { kind: 'saved', design: stored(row) };
    }
    const [current] = await tx
      .select()
      .from(designs)
      .where(and(eq(designs.id, id), isNull(designs.removedAt)));
    if (!current) return { kind: 'missing' };
    if (saveKey !== undefined) {
      const [mine] = await tx
        .select({ version: revisions.version, document: revisions.document, createdAt: revisions.createdAt })
        .from(revisions)
        .where(and(eq(revisions.designId, id), eq(revisions.saveKey, saveKey)));
      if (mine)
        return {
          kind: 'saved',
          design: { ...stored(current), version: mine.version, ...read(mine.document) },
        };
    }
    return { kind: 'stale', current: stored(current) };
  });
}

/** Puts a project or a design away, or takes it back. @returns whether there was one to do it to */
export async function setRemoved(
  db: Database,
  what: 'project' | 'design',
  id: string,
  removed: boolean,
): Promise<boolean> {
  const table = what === 'project' ? projects : designs;
  const rows = await db
    .update(table)
    .set({ removedAt: removed ? sql`now()` : null })
    .where(and(eq(table.id, id), removed ? isNull(table.removedAt) : isNotNull(table.removedAt)))
    .returning({ id: table.id });
  return rows.length > 0;
}

/** One thing put away: still whole, and when it goes. */
export interface Removed {
  kind: 'project' | 'design';
  id: string;
  name: string;
  /** of a design: the project it was in */
  project?: string;
  removedAt: string;
}

export async function listRemoved(db: Database): Promise<Removed[]> {
  const gone = await db.select().from(projects).where(isNotNull(projects.removedAt)).orderBy(desc(projects.removedAt));
  const rails = await db
    .select({ id: designs.id, name: designs.name, removedAt: designs.removedAt, project: projects.name })
    .from(designs)
    .innerJoin(projects, eq(projects.id, designs.projectId))
    .where(and(isNotNull(designs.removedAt), isNull(projects.removedAt)))
    .orderBy(desc(designs.removedAt));
  return [
    ...gone.map((row) => ({
      kind: 'project' as const,
      id: row.id,
      name: row.name,
      removedAt: row.removedAt!.toISOString(),
    })),
    ...rails.map((row) => ({
      kind: 'design' as const,
      id: row.id,
      name: row.name,
      project: row.project,
      removedAt: row.removedAt!.toISOString(),
    })),
  ];
}

/** One removed thing gone for good. @returns whether there was such a one */
export async function forgetRemoved(db: Database, id: string): Promise<boolean> {
  const { rows } = await db.execute<{ gone: boolean }>(sql`select forget_removed(${id}) as gone`);
  return rows[0]?.gone === true;
}

/** Thins autosaves and lets go of what was removed thirty days ago; the rules stand with the functions, in the migration. */
export async function upkeep(db: Database): Promise<{ thinned: number; purged: number }> {
  const thinned = await db.execute<{ count: number }>(sql`select thin_revisions() as count`);
  const purged = await db.execute<{ count: number }>(sql`select purge_removed(interval '30 days') as count`);
  return { thinned: thinned.rows[0]?.count ?? 0, purged: purged.rows[0]?.count ?? 0 };
}

/** Revisions of a page. */
const PAGE = 50;

/** @param before only those of a lower version; the newest first */
export async function listRevisions(db: Database, designId: string, before: number) {
  const rows = await db
    .select()
    .from(revisions)
    .where(and(eq(revisions.designId, designId), lt(revisions.version, before)))
    .orderBy(desc(revisions.version))
    .limit(PAGE + 1);
  // each with the one before it, so that what changed can be said
  const shown = rows.slice(0, PAGE).map(revisionOf);
  return { revisions: shown, more: rows.length > PAGE };
}

function revisionOf(row: typeof revisions.$inferSelect) {
  return {
    version: row.version,
    createdAt: row.createdAt.toISOString(),
    label: row.label,
    ...read(row.document),
  };
}

export async function findRevision(db: Database, designId: string, version: number) {
  const [row] = await db
    .select()
    .from(revisions)
    .where(and(eq(revisions.designId, designId), eq(revisions.version, version)));
  return row && revisionOf(row);
}

export async function labelRevision(db: Database, designId: string, version: number, label: string | null) {
  const rows = await db
    .update(revisions)
    .set({ label })
    .where(and(eq(revisions.designId, designId), eq(revisions.version, version)))
    .returning({ version: revisions.version });
  return rows.length > 0;
}
