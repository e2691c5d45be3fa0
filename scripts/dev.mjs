// npm run dev: the same server from source with reload, and Vite with hot reload in front of it.
import { spawn } from 'node:child_process';
import path from 'node:path';
import { startCluster } from './lib/cluster.mjs';
import { fail, say } from './lib/say.mjs';
import { checkNode, ensureModules, ensurePostgres, freePort, ROOT, STATE } from './lib/setup.mjs';

try {
  checkNode();
  const bin = process.env.DATABASE_URL ? undefined : await ensurePostgres();
  await ensureModules();
  const cluster = bin ? await startCluster(bin, path.join(STATE, 'postgres')) : undefined;
  const port = await freePort(4217);
  const env = {
    ...process.env,
    DATABASE_URL: cluster?.url ?? process.env.DATABASE_URL,
    PORT: String(port),
    YUNDRO_API: `http://127.0.0.1:${port}`,
  };
  const children = [
    spawn(process.execPath, ['--watch', '--import', 'tsx', 'server/src/main.ts'], { cwd: ROOT, env, stdio: 'inherit' }),
    spawn(process.execPath, ['node_modules/vite/bin/vite.js', 'web', '--host', '127.0.0.1'], {
      cwd: ROOT,
      env,
      stdio: 'inherit',
    }),
  ];
  let stopping;
  const stop = () => {
    stopping ??= (async () => {
      for (const child of children) child.kill('SIGTERM');
      await cluster?.stop();
      say('stopped');
      process.exit(0);
    })();
  };
  process.on('SIGINT', stop);
  process.on('SIGTERM', stop);
  for (const child of children) child.once('exit', stop);
} catch (error) {
  fail(error);
}
