// npm start: sets up whatever is missing, then serves Yundro until it is told to stop.
import { fork } from 'node:child_process';
import { randomBytes } from 'node:crypto';
import { existsSync, mkdirSync, readFileSync, realpathSync, writeFileSync } from 'node:fs';
import path from 'node:path';
import { startCluster } from './lib/cluster.mjs';
import { takeLock } from './lib/lock.mjs';
import { openLog } from './lib/log.mjs';
import { fail, say, Trouble } from './lib/say.mjs';
import {
  checkNode,
  endRunning,
  ensureBuild,
  ensureModules,
  ensurePostgres,
  freePort,
  ROOT,
  STATE,
} from './lib/setup.mjs';

const DEFAULT_PORT = 4117;
/** Times within a minute that a server may end by itself before it is left alone. */
const MOST_RESTARTS = 5;
const WATCH = 1000;
/** Status by which the server says that its port was taken since it was looked for. */
const PORT_TAKEN = 98;

// whoever read our words may be gone: that must not keep us from ending in order
for (const stream of [process.stdout, process.stderr]) stream.on('error', () => undefined);

let lock;
let cluster;
let server;
let stopping;
let watching;

function portWanted() {
  const { PORT } = process.env;
  if (PORT === undefined || PORT === '') return DEFAULT_PORT;
  const port = Number(PORT);
  if (!Number.isInteger(port) || port < 1 || port > 65_535)
    throw new Trouble(`PORT is "${PORT}": expected a whole number from 1 to 65535.`);
  return port;
}

/** The key that a browser must show, kept so that its cookie outlives a restart. */
function keyOf(home) {
  const file = path.join(home, 'key');
  if (!existsSync(file)) writeFileSync(file, randomBytes(18).toString('base64url'), { mode: 0o600, flag: 'wx' });
  return readFileSync(file, 'utf8').trim();
}

function stop(reason) {
  stopping ??= (async () => {
    say(`${reason}: stopping`);
    clearInterval(watching);
    endRunning();
    if (server && server.exitCode === null && server.signalCode === null) {
      await new Promise((resolve) => {
        server.once('exit', resolve);
        server.kill('SIGTERM');
      });
    }
    const inOrder = cluster ? await cluster.stop() : true;
    await lock?.release();
    say(
      inOrder
        ? 'stopped; everything is saved'
        : 'stopped; the database did not end in time and was ended at once: what was saved is recovered at the next start',
    );
  })();
  return stopping;
}

for (const signal of ['SIGINT', 'SIGTERM', 'SIGHUP']) {
  process.on(signal, () => void stop(signal).then(() => process.exit(process.exitCode ?? 0)));
}

/** npm does not pass a signal on: when it is gone, so is who started us. */
function watchParent() {
  if (process.env.npm_lifecycle_event === undefined) return;
  const parent = process.ppid;
  setInterval(() => {
    if (process.ppid !== parent) void stop('npm is gone').then(() => process.exit(0));
  }, 500).unref();
}

try {
  checkNode();
  const wanted = portWanted();
  const folder = process.env.YUNDRO_HOME ? path.resolve(process.env.YUNDRO_HOME) : STATE;
  mkdirSync(folder, { recursive: true });
  const home = realpathSync(folder);
  lock = await takeLock(home);
  watchParent();
  const given = process.env.DATABASE_URL;
  const bin = given ? undefined : await ensurePostgres();
  await ensureModules();
  await ensureBuild();
  if (bin && !stopping) {
    say('starting the database');
    cluster = await startCluster(bin, path.join(home, 'postgres'));
  }
  if (!stopping) await serve(home, wanted, bin, given);
} catch (error) {
  if (!stopping) {
    fail(error);
    await cluster?.stop();
    await lock?.release();
    process.exit(1);
  }
}

async function serve(home, wanted, bin, given) {
  let port = await freePort(wanted);
  const key = keyOf(home);
  const log = openLog(path.join(home, 'server.log'), (error) =>
    say(`the log cannot be written (${error.code ?? error.message}); serving goes on without it`),
  );
  const ends = [];
  let ready = false;
  const launch = () => {
    server = fork(path.join(ROOT, 'server/dist/main.js'), [], {
      env: {
        ...process.env,
        DATABASE_URL: given ?? cluster.applicationUrl,
        ...(given ? {} : { YUNDRO_OWNER_URL: cluster.ownerUrl }),
        YUNDRO_TOKEN: key,
        PORT: String(port),
        NODE_ENV: 'production',
      },
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
      if (ready) {
        say('serving again');
        return;
      }
      ready = true;
      const address = `http://127.0.0.1:${port}`;
      lock.tell(address);
      say(`ready at  ${address}/?token=${key}`);
      say('the key in that address is asked for once by each browser; keep it to yourself');
      say('Ctrl-C stops it. The log is server.log beside the database, below .yundro/');
    });
    server.once('exit', (status, signal) => {
      if (stopping) return;
      if (!ready && status === PORT_TAKEN) {
        freePort(port + 1).then(
          (next) => {
            port = next;
            if (!stopping) launch();
          },
          (error) => {
            fail(error);
            void stop('no port is free').then(() => process.exit(1));
          },
        );
        return;
      }
      const now = Date.now();
      ends.push(now);
      const often = ends.filter((at) => now - at < 60_000).length > MOST_RESTARTS;
      if (!ready || often) {
        process.stderr.write(said);
        fail(new Trouble(`the server ended by itself (${signal ?? `status ${status}`}).`));
        void stop('the server ended').then(() => process.exit(1));
        return;
      }
      say(`the server ended by itself (${signal ?? `status ${status}`}); starting it again`);
      setTimeout(() => {
        if (!stopping) launch();
      }, 300);
    });
  };
  launch();
  let mending = false;
  watching = setInterval(() => {
    if (!cluster || mending || stopping || cluster.alive()) return;
    mending = true;
    say('the database ended by itself; starting it again');
    startCluster(bin, path.join(home, 'postgres'), cluster.port).then(
      (next) => {
        cluster = next;
        mending = false;
        if (stopping) void cluster.stop();
      },
      (error) => {
        fail(error);
        mending = false; // tried again at the next look
      },
    );
  }, WATCH);
}
