// npm run restore -- FILE: what a backup holds, in place of everything that is kept now. Yundro must not be running.
import { existsSync, mkdirSync, realpathSync } from 'node:fs';
import path from 'node:path';
import { startCluster } from './lib/cluster.mjs';
import { takeLock } from './lib/lock.mjs';
import { fail, say, Trouble } from './lib/say.mjs';
import { checkNode, ensurePostgres, run, STATE } from './lib/setup.mjs';

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
    const create = /^CREATE SCHEMA public;/mu.test(script.output) ? '' : 'create schema public;';
    const { status, output } = await run(
      path.join(bin, 'psql'),
      ['-X', '-q', '-v', 'ON_ERROR_STOP=1', '--single-transaction', '-d', url, '-f', '-'],
      { quiet: true, input: `${cleared}\n${create}\n${script.output}` },
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
