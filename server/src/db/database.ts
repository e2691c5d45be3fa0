import { drizzle, type NodePgDatabase } from 'drizzle-orm/node-postgres';
import { migrate } from 'drizzle-orm/node-postgres/migrator';
import pg from 'pg';
import * as schema from './schema.ts';

export type Database = NodePgDatabase<typeof schema>;

export interface Connection {
  db: Database;
  pool: pg.Pool;
}

/** Any number; all servers that migrate this database must use the same. */
const MIGRATION_LOCK = 7_301_482;

/** A pool that outlives the database going away: a lost connection is replaced at the next query. */
export function connect(url: string, onError: (error: Error) => void): Connection {
  const pool = new pg.Pool({ connectionString: url, max: 8, connectionTimeoutMillis: 4000, query_timeout: 15_000 });
  pool.on('error', onError);
  return { pool, db: drizzle(pool, { schema }) };
}

/** Brings the database to the current schema, one server at a time. */
export async function migrateDatabase(url: string, folder: string): Promise<void> {
  const client = new pg.Client({ connectionString: url });
  await client.connect();
  try {
    await client.query('select pg_advisory_lock($1)', [MIGRATION_LOCK]);
    await migrate(drizzle(client), { migrationsFolder: folder });
  } finally {
    await client.end();
  }
}
