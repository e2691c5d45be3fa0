import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres';
import { migrate } from 'drizzle-orm/node-postgres/migrator';
import { readFile } from 'node:fs/promises';
import path from 'node:path';
import pg from 'pg';
import * as schema from './schema.ts';

export type Database = NodePgDatabase<typeof schema>;

export interface Connection {
  db: Database;
  pool: pg.Pool;
}

/** Any number; all servers that migrate this database must use the same. */
const MIGRATION_LOCK = 7_301_482;
/** The role that the server works as, where the start command made it: it may neither empty nor alter what is kept. */
export const APPLICATION_ROLE = 'yundro_app';

/** A database that cannot be used as it is, in words for whoever started the server. */
export class DatabaseTrouble extends Error {}

/** A pool that outlives the database going away: a lost connection is replaced at the next query. */
export function connect(url: string, onError: (error: Error) => void): Connection {
  const pool = new pg.Pool({ connectionString: url, max: 8, connectionTimeoutMillis: 4000, query_timeout: 15_000 });
  pool.on('error', onError);
  // a client that is checked out has no listener of the pool's: one that is lost inside a transaction would end the server
  pool.on('connect', (client) => client.on('error', onError));
  return { pool, db: drizzle(pool, { schema }) };
}

/**
 * Brings the database to the current schema, one server at a time, and grants the application role what it needs.
 * @throws DatabaseTrouble when the database was made by a newer release, or cannot be reached
 */
export async function migrateDatabase(url: string, folder: string): Promise<void> {
  const client = new pg.Client({ connectionString: url, connectionTimeoutMillis: 8000 });
  client.on('error', () => undefined); // what follows says so
  try {
    await client.connect();
  } catch (error) {
    throw new DatabaseTrouble(`the database cannot be reached: ${(error as Error).message}`);
  }
  try {
    await client.query('select pg_advisory_lock($1)', [MIGRATION_LOCK]);
    await refuseNewer(client, folder);
    await migrate(drizzle(client), { migrationsFolder: folder });
    await grant(client);
  } finally {
    await client.end();
  }
}

/** A schema that a newer release has brought further must not be written to by this one. */
async function refuseNewer(client: pg.Client, folder: string): Promise<void> {
  const journal = JSON.parse(await readFile(path.join(folder, 'meta/_journal.json'), 'utf8')) as {
    entries: { when: number }[];
  };
  const known = await client.query<{ found: string | null }>(
    `select to_regclass('drizzle.__drizzle_migrations') as found`,
  );
  if (!known.rows[0]?.found) return;
  const { rows } = await client.query<{ newest: string | null }>(
    'select max(created_at) as newest from drizzle.__drizzle_migrations',
  );
  const ours = Math.max(...journal.entries.map(({ when }) => when));
  if (Number(rows[0]?.newest ?? 0) > ours)
    throw new DatabaseTrouble(
      'this database was brought forward by a newer release of Yundro: start that one, or restore a backup made before',
    );
}

async function grant(client: pg.Client): Promise<void> {
  const { rows } = await client.query('select 1 from pg_roles where rolname = $1', [APPLICATION_ROLE]);
  if (rows.length === 0) return;
  await client.query(
    [
      `grant usage on schema public to ${APPLICATION_ROLE}`,
      `grant select, insert, update on projects, designs to ${APPLICATION_ROLE}`,
      `grant select, insert, update (ended_at) on sessions to ${APPLICATION_ROLE}`,
      `grant select, insert on revisions to ${APPLICATION_ROLE}`,
      `grant update (label) on revisions to ${APPLICATION_ROLE}`,
      `grant usage on sequence revisions_id_seq to ${APPLICATION_ROLE}`,
      `grant select, insert, update on parts to ${APPLICATION_ROLE}`,
      `grant select, insert on part_versions to ${APPLICATION_ROLE}`,
      `grant usage on sequence part_versions_id_seq to ${APPLICATION_ROLE}`,
      `grant execute on function thin_revisions(), purge_removed(interval), forget_removed(uuid) to ${APPLICATION_ROLE}`,
    ].join('; '),
  );
}
