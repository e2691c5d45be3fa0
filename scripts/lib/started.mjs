// The start command itself on a home of its own, for checks that kill, crowd or outlast it.
import { spawn } from 'node:child_process';
import { chmodSync, mkdtempSync, readFileSync, rmSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { freePort, ROOT } from './setup.mjs';

export const sleep = (ms) => new Promise((resolve) => setTimeout(resolve, ms));

export function newHome() {
  const home = mkdtempSync(path.join(os.tmpdir(), 'yundro-check-'));
  chmodSync(home, 0o755);
  return { home, remove: () => rmSync(home, { recursive: true, force: true }) };
}

/** Starts it and waits until it is ready. */
export async function startIn(home) {
  const env = { ...process.env, PORT: String(await freePort(0)) };
  delete env.DATABASE_URL;
  const child = spawn(process.execPath, ['scripts/start.mjs'], {
    cwd: ROOT,
    env: { ...env, YUNDRO_HOME: home },
    detached: true,
    stdio: ['ignore', 'pipe', 'pipe'],
  });
  let said = '';
  const ended = new Promise((resolve) => child.once('exit', resolve));
  const found = await new Promise((resolve) => {
    const take = (chunk) => {
      said += chunk;
      const match = /ready at {2}(\S+)\/\?token=(\S+)/u.exec(said);
      if (match) resolve(match);
    };
    child.stdout.on('data', take);
    child.stderr.on('data', take);
    void ended.then(() => resolve(undefined));
  });
  if (!found) throw new Error(`it did not start:\n${said}`);
  const [, address, key] = found;
  const headers = { Authorization: `Bearer ${key}`, 'Content-Type': 'application/json' };
  /** @returns status and body; status 0 when there is no answer */
  const call = async (method, at, body, timeout = 10_000) => {
    try {
      const response = await fetch(`${address}${at}`, {
        method,
        headers,
        ...(body === undefined ? {} : { body: typeof body === 'string' ? body : JSON.stringify(body) }),
        signal: AbortSignal.timeout(timeout),
      });
      return { status: response.status, body: await response.json().catch(() => undefined) };
    } catch {
      return { status: 0, body: undefined };
    }
  };
  return {
    child,
    address,
    headers,
    call,
    said: () => said,
    ended,
    stop: async () => {
      child.kill('SIGTERM');
      await ended;
    },
  };
}

/** Every process with the start command's process as an ancestor, and the database's. */
export function processesOf(home, pid) {
  const found = { server: undefined, postmaster: undefined };
  try {
    const children = readFileSync(`/proc/${pid}/task/${pid}/children`, 'utf8').trim().split(' ').filter(Boolean);
    found.server = children
      .map(Number)
      .find((child) => readFileSync(`/proc/${child}/cmdline`, 'utf8').includes('server/dist/main.js'));
  } catch {
    // gone
  }
  try {
    found.postmaster = Number(readFileSync(path.join(home, 'postgres/data/postmaster.pid'), 'utf8').split('\n')[0]);
  } catch {
    // gone
  }
  return found;
}

export function backendsOf(postmaster) {
  try {
    return readFileSync(`/proc/${postmaster}/task/${postmaster}/children`, 'utf8')
      .trim()
      .split(' ')
      .filter(Boolean)
      .map(Number)
      .filter((pid) => readFileSync(`/proc/${pid}/cmdline`, 'utf8').includes('yundro_app'));
  } catch {
    return [];
  }
}
