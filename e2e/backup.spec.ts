import { spawn, spawnSync, type ChildProcess } from 'node:child_process';
import { chmodSync, mkdtempSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { expect, test } from '@playwright/test';
import pg from 'pg';

const root = path.resolve(import.meta.dirname, '..');
const scratch = process.env['TEST_SCRATCH'] ?? os.tmpdir();

/** The private database, as its administrator. */
async function clientOf(home: string): Promise<pg.Client> {
  const place = path.join(home, 'postgres');
  const password = readFileSync(path.join(place, 'password'), 'utf8').trim();
  const port = Number(readFileSync(path.join(place, 'data/postmaster.pid'), 'utf8').split('\n')[3]);
  const client = new pg.Client({ host: '127.0.0.1', port, user: 'yundro', password, database: 'postgres' });
  await client.connect();
  return client;
}

async function asOwner(home: string, statement: string): Promise<void> {
  const client = await clientOf(home);
  await client.query(statement);
  await client.end();
}

/** A digest of every row of every table. */
async function digestOf(home: string): Promise<string> {
  const client = await clientOf(home);
  const tables = ['projects', 'designs', 'revisions', 'drizzle.__drizzle_migrations'];
  const digests: unknown[] = [];
  for (const table of tables) {
    const { rows } = await client.query<{ count: string; digest: string }>(
      `select count(*), md5(string_agg(t::text, '|' order by t::text)) as digest from ${table} t`,
    );
    digests.push([table, rows[0]]);
  }
  await client.end();
  return JSON.stringify(digests);
}

test('backup and restore: one command each, and what is restored is equal row by row', async () => {
  test.setTimeout(120_000);
  const home = mkdtempSync(path.join(scratch, 'backup-'));
  chmodSync(home, 0o755);
  const file = path.join(home, 'kept.dump');
  const env = { ...process.env, YUNDRO_HOME: home };
  delete (env as Record<string, string | undefined>)['DATABASE_URL'];
  const command = (name: string, ...words: string[]) =>
    spawnSync(process.execPath, [`scripts/${name}.mjs`, ...words], { cwd: root, env, encoding: 'utf8' });
  const start = async (): Promise<{ child: ChildProcess; address: string; key: string }> => {
    const child = spawn(process.execPath, ['scripts/start.mjs'], { cwd: root, env });
    const [, address = '', key = ''] = await new Promise<string[]>((resolve, reject) => {
      let said = '';
      child.stdout.on('data', (chunk: Buffer) => {
        said += chunk.toString();
        const found = /ready at {2}(\S+)\/\?token=(\S+)/u.exec(said);
        if (found) resolve(found);
      });
      child.once('exit', () => reject(new Error(said)));
    });
    return { child, address, key };
  };
  const stop = (child: ChildProcess): Promise<unknown> => {
    const ended = new Promise((resolve) => child.once('exit', resolve));
    child.kill('SIGTERM');
    return ended;
  };
  const post = ({ address, key }: { address: string; key: string }, name: string) =>
    fetch(`${address}/api/projects`, {
      method: 'POST',
      headers: { Authorization: `Bearer ${key}`, 'Content-Type': 'application/json' },
      body: JSON.stringify({ name }),
    });
  try {
    const first = await start();
    await post(first, 'kept');
    const before = await digestOf(home);
    expect(command('backup', file).status, 'backup while running').toBe(0);
    await post(first, 'made after the backup');
    expect(await digestOf(home)).not.toBe(before);
    const refused = command('restore', file);
    expect([refused.status, refused.stderr]).toEqual([1, expect.stringContaining('already runs')]);
    await stop(first.child);

    writeFileSync(path.join(home, 'other.dump'), 'no backup');
    expect(command('restore', path.join(home, 'other.dump')).stderr).toContain('is no backup of Yundro');
    const restored = command('restore', file);
    expect([restored.status, restored.stderr]).toEqual([0, '']);
    const second = await start();
    expect(await digestOf(home)).toBe(before);
    expect((await post(second, 'and it can be worked with')).status).toBe(201);

    // what a newer release wrote is refused before anything is touched
    const release = (statement: string): Promise<void> => asOwner(home, statement);
    await release("insert into drizzle.__drizzle_migrations (hash, created_at) values ('x', 9999999999999)");
    const newer = path.join(home, 'newer.dump');
    expect(command('backup', newer).status).toBe(0);
    await release("delete from drizzle.__drizzle_migrations where hash = 'x'");
    const stands = await digestOf(home);
    await stop(second.child);
    const late = command('restore', newer);
    expect([late.status, late.stderr]).toEqual([1, expect.stringContaining('newer release')]);
    const third = await start();
    expect(await digestOf(home)).toBe(stands);
    await stop(third.child);
  } finally {
    rmSync(home, { recursive: true, force: true });
  }
});
