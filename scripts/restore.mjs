// npm run restore -- FILE: what a backup holds, in place of everything that is kept now. Yundro must not be running.
import { existsSync, mkdirSync, readFileSync, realpathSync } from 'node:fs';
import path from 'node:path';
import { startCluster } from './lib/cluster.mjs';
import { libpq } from './lib/libpq.mjs';
import { takeLock } from './lib/lock.mjs';
import { fail, say, Trouble } from './lib/say.mjs';
import { checkNode, ensurePostgres, ROOT, run, STATE } from './lib/setup.mjs';

/** Tables that are Yundro's own. */
const OWN = ['projects', 'designs', 'revisions', 'parts', 'part_versions', 'sessions'];

/** A backup that a newer release wrote is refused before anything is touched: this one could not start on it. */
function refuseNewer(script, file) {
  const rows = /^COPY drizzle\.__drizzle_migrations \(([^)]*)\) FROM stdin;\n([\s\S]*?)^\\\.$/mu.exec(script);
  if (!rows) throw new Trouble(`${file} does not say which release wrote it: it is no backup of Yundro.`);
  const column = rows[1].split(', ').indexOf('created_at');
  const newest = Math.max(
    0,
    ...rows[2].split('\n').flatMap((row) => (row === '' ? [] : [Number(row.split('\t')[column])])),
  );
  const journal = JSON.parse(readFileSync(path.join(ROOT, 'server/drizzle/meta/_journal.json'), 'utf8'));
  if (newest > Math.max(...journal.entries.map(({ when }) => when)))
    throw new Trouble(
      `${file} was written by a newer release of Yundro: restore it with that one. Nothing was touched.`,
    );
}

/** A database of one's own that holds other things too is not emptied for a restore. */
async function refuseForeign(psql, env) {
  const { status, output } = await run(
    psql,
    ['-X', '-q', '-A', '-t', '-c', "select tablename from pg_tables where schemaname = 'public'"],
    { quiet: true, env },
  );
  if (status !== 0) throw new Trouble(`the database cannot be read:\n${output.slice(-2000)}`);
  const others = output.split('\n').filter((name) => name !== '' && !OWN.includes(name));
  if (others.length > 0)
    throw new Trouble(
      `this database holds more than Yundro (${others.join(', ')}), and a restore would empty it: give Yundro one of its own.`,
    );
}

let lock;
try {
  checkNode();
  const file = process.argv[2] && path.resolve(process.argv[2]);
  if (!file || !existsSync(file))
    throw new Trouble(
      `${file ? `${file} is not there` : 'no file was named'}: npm run restore -- FILE, one that npm run backup wrote.`,
    );
  const bin = await ensurePostgres();
  const wanted = path.resolve(process.env.YUNDRO_HOME ?? STATE);
  mkdirSync(wanted, { recursive: true });
  const home = realpathSync(wanted);
  lock = await takeLock(home);
  const given = process.env.DATABASE_URL;
  const cluster = given ? undefined : await startCluster(bin, path.join(home, 'postgres'));
  const url = given ?? cluster.ownerUrl;
  try {
    const check = await run(path.join(bin, 'pg_restore'), ['--list', file], { quiet: true });
    if (check.status !== 0) throw new Trouble(`${file} is no backup of Yundro:\n${check.output}`);
    // all or nothing: a backup that does not fit leaves what is there
    const cleared = 'drop schema if exists drizzle cascade; drop schema if exists public cascade;';
    const script = await run(path.join(bin, 'pg_restore'), ['--no-owner', '--no-acl', '--file=-', file], {
      quiet: true,
    });
    if (script.status !== 0) throw new Trouble(`${file} cannot be read:\n${script.output.slice(-2000)}`);
    refuseNewer(script.output, file);
    if (given) await refuseForeign(path.join(bin, 'psql'), libpq(url));
    const create = /^CREATE SCHEMA public;/mu.test(script.output) ? '' : 'create schema public;';
    const { status, output } = await run(
      path.join(bin, 'psql'),
      ['-X', '-q', '-v', 'ON_ERROR_STOP=1', '--single-transaction', '-f', '-'],
      { quiet: true, env: libpq(url), input: `${cleared}\n${create}\n${script.output}` },
    );
    if (status !== 0) throw new Trouble(`the restore failed, and everything is as it was:\n${output.slice(-2000)}`);
    say(`restored from ${file}; npm start brings it to this release if it is older`);
  } finally {
    if (cluster && !cluster.adopted) await cluster.stop();
  }
} catch (error) {
  fail(error);
} finally {
  await lock?.release();
}
