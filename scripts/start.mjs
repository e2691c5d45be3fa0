// npm start: sets up whatever is missing, then serves Yundro until it is told to stop.
import { fork } from 'node:child_process';
import { createWriteStream, existsSync, mkdirSync, readFileSync, rmSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { startCluster } from './lib/cluster.mjs';
import { fail, say, Trouble } from './lib/say.mjs';
import { checkNode, ensureBuild, ensureModules, ensurePostgres, freePort, ROOT, STATE } from './lib/setup.mjs';

const DEFAULT_PORT = 4117;
const home = process.env.YUNDRO_HOME ? path.resolve(process.env.YUNDRO_HOME) : STATE;
const lock = path.join(home, 'start.lock');
let cluster;
let server;
let stopping;

/** One start at a time on one database; a lock left by a killed one is taken over. */
function takeLock() {
  mkdirSync(home, { recursive: true });
  if (existsSync(lock)) {
    const [pid, address] = readFileSync(lock, 'utf8').split('\n');
    let command = '';
    try {
      command = readFileSync(`/proc/${Number(pid)}/cmdline`, 'utf8');
    } catch {
      // gone: its lock is stale
    }
    if (command.includes('start.mjs') && Number(pid) !== process.pid) {
      throw new Trouble(`Yundro already runs from this folder${address ? ` at ${address}` : ''} (process ${pid}).`);
    }
  }
  writeFileSync(lock, `${process.pid}\n`);
}

function stop(signal) {
  stopping ??= (async () => {
    say(`${signal}: stopping`);
    if (server && server.exitCode === null && server.signalCode === null) {
      await new Promise((resolve) => {
        server.once('exit', resolve);
        server.kill('SIGTERM');
      });
    }
    await cluster?.stop();
    rmSync(lock, { force: true });
    say('stopped; everything is saved');
  })();
  return stopping;
}

for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) {
  process.on(signal, () => void stop(signal).then(() => process.exit(process.exitCode ?? 0)));
}

try {
  checkNode();
  takeLock();
  let url = process.env.DATABASE_URL;
  const bin = url ? undefined : await ensurePostgres();
  await ensureModules();
  await ensureBuild();
  if (bin) {
    say('starting the database');
    cluster = await startCluster(bin, path.join(home, 'postgres'));
    url = cluster.url;
  }
  if (!stopping) {
    const port = await freePort(Number(process.env.PORT ?? DEFAULT_PORT));
    const log = createWriteStream(path.join(home, 'server.log'), { flags: 'a' });
    server = fork(path.join(ROOT, 'server/dist/main.js'), [], {
      env: { ...process.env, DATABASE_URL: url, PORT: String(port), NODE_ENV: 'production' },
      detached: true,
      stdio: ['ignore', 'pipe', 'pipe', 'ipc'],
    });
    let said = '';
    const keep = (chunk) => {
      said = (said + chunk).slice(-4000);
      log.write(chunk);
    };
    server.stdout.on('data', keep);
    server.stderr.on('data', keep);
    server.once('message', () => {
      const address = `http://127.0.0.1:${port}`;
      writeFileSync(lock, `${process.pid}\n${address}\n`);
      say(`ready at  ${address}`);
      say('Ctrl-C stops it. The log is in server.log beside the database, below .yundro/');
    });
    server.once('exit', (status) => {
      if (stopping) return;
      process.stderr.write(said);
      fail(new Trouble(`the server ended by itself (status ${status ?? 'unknown'}).`));
      void stop('the server ended').then(() => process.exit(1));
    });
  }
} catch (error) {
  fail(error);
  await cluster?.stop();
  rmSync(lock, { force: true });
}
