// The built product on a throw-away database, for scripts that measure or photograph it with nothing but sample data.
import { fork } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { startCluster } from './cluster.mjs';
import { ensureBuild, ensureModules, ensurePostgres, freePort, ROOT } from './setup.mjs';

export async function startProduct() {
  const bin = await ensurePostgres();
  await ensureModules();
  await ensureBuild();
  const scratch = mkdtempSync(path.join(os.tmpdir(), 'yundro-look-'));
  chmodSync(scratch, 0o755);
  const cluster = await startCluster(bin, path.join(scratch, 'postgres'));
  const port = await freePort(0);
  const server = fork(path.join(ROOT, 'server/dist/main.js'), [], {
    env: { ...process.env, DATABASE_URL: cluster.url, PORT: String(port), LOG_LEVEL: 'error' },
  });
  await new Promise((resolve, reject) => {
    server.once('message', resolve);
    server.once('exit', () => reject(new Error('the server ended')));
  });
  return {
    address: `http://127.0.0.1:${port}`,
    stopServer: () =>
      new Promise((resolve) => {
        server.once('exit', resolve);
        server.kill('SIGTERM');
      }),
    stop: async () => {
      if (server.exitCode === null && server.signalCode === null) server.kill('SIGTERM');
      await cluster.kill();
      rmSync(scratch, { recursive: true, force: true });
    },
  };
}

export const SAMPLE_PROJECT = '/projects/0b5e7a1e-0000-4000-8000-000000000001';
export const SAMPLE_DESIGN = '/designs/0b5e7a1e-0000-4000-8000-000000000011';
