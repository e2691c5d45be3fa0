// npm run backup [-- FILE]: everything that is kept, as one file of PostgreSQL's own format. Yundro may go on running.
import { chmodSync, mkdirSync, realpathSync } from 'node:fs';
import path from 'node:path';
import { startCluster } from './lib/cluster.mjs';
import { libpq } from './lib/libpq.mjs';
import { fail, say, Trouble } from './lib/say.mjs';
import { checkNode, ensurePostgres, run, STATE } from './lib/setup.mjs';

try {
  checkNode();
  const bin = await ensurePostgres();
  const home = path.resolve(process.env.YUNDRO_HOME ?? STATE);
  mkdirSync(home, { recursive: true });
  const stamp = new Date().toISOString().slice(0, 19).replace(/[:T]/gu, '-');
  const file = path.resolve(process.argv[2] ?? path.join(home, 'backups', `yundro-${stamp}.dump`));
  mkdirSync(path.dirname(file), { recursive: true });
  const given = process.env.DATABASE_URL;
  const cluster = given ? undefined : await startCluster(bin, path.join(realpathSync(home), 'postgres'));
  try {
    const { status, output } = await run(
      path.join(bin, 'pg_dump'),
      ['--format=custom', '--no-owner', '--no-acl', '--schema=public', '--schema=drizzle', `--file=${file}`],
      { quiet: true, env: libpq(given ?? cluster.url) },
    );
    if (status !== 0) throw new Trouble(`the backup failed:\n${output}`);
    chmodSync(file, 0o600);
    say(`backup written to ${file}`);
  } finally {
    if (cluster && !cluster.adopted) await cluster.stop();
  }
} catch (error) {
  fail(error);
}
