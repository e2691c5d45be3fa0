import { createHash, randomBytes } from 'node:crypto';
import { and, eq, isNull, sql } from 'drizzle-orm';
import type { Database } from './database.ts';
import { sessions } from './schema.ts';

/** What the database keeps of a session's secret, so that a copy of it lets nobody in. */
const proofOf = (secret: string): string => createHash('sha256').update(secret).digest('hex');

/** @returns the secret of a new session, which its browser keeps */
export async function beginSession(db: Database): Promise<string> {
  const secret = randomBytes(32).toString('base64url');
  await db.insert(sessions).values({ proof: proofOf(secret) });
  return secret;
}

/** Whether a secret is that of a session that has not been ended. */
export async function isSession(db: Database, secret: string): Promise<boolean> {
  const found = await db
    .select({ id: sessions.id })
    .from(sessions)
    .where(and(eq(sessions.proof, proofOf(secret)), isNull(sessions.endedAt)));
  return found.length > 0;
}

/** Ends one session, or every one there is. */
export async function endSessions(db: Database, secret?: string): Promise<void> {
  await db
    .update(sessions)
    .set({ endedAt: sql`now()` })
    .where(secret === undefined ? isNull(sessions.endedAt) : eq(sessions.proof, proofOf(secret)));
}
