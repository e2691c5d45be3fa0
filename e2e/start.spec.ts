import { spawn, type ChildProcess } from 'node:child_process';
import { chmodSync, mkdtempSync, rmSync } from 'node:fs';
import os from 'node:os';
import path from 'node:path';
import { expect, test } from '@playwright/test';

const root = path.resolve(import.meta.dirname, '..');
const scratch = process.env['TEST_SCRATCH'] ?? os.tmpdir();

interface Started {
  child: ChildProcess;
  address: string;
  /** what a program shows: the key in the printed address */
  headers: Record<string, string>;
  said: () => string;
  ended: Promise<number | null>;
}

/** The start command, until it is ready or has ended. */
async function start(home: string): Promise<Started> {
  const { DATABASE_URL: _, ...env } = process.env;
  const child = spawn(process.execPath, ['scripts/start.mjs'], { cwd: root, env: { ...env, YUNDRO_HOME: home } });
  let said = '';
  const ended = new Promise<number | null>((resolve) => child.once('exit', (status) => resolve(status)));
  const address = await new Promise<string>((resolve) => {
    const take = (chunk: Buffer): void => {
      said += chunk.toString();
      const found = /ready at {2}(\S+)/u.exec(said)?.[1];
      if (found !== undefined) resolve(found);
    };
    child.stdout.on('data', take);
    child.stderr.on('data', take);
    void ended.then(() => resolve(''));
  });
  const [, base = '', key = ''] = /^(.*)\/\?token=(.*)$/u.exec(address) ?? [];
  const headers = { Authorization: `Bearer ${key}`, 'Content-Type': 'application/json' };
  return { child, address: base, headers, said: () => said, ended };
}

test('npm start: serves the sample, refuses a second start, survives being killed, stops cleanly', async () => {
  test.setTimeout(120_000);
  const home = mkdtempSync(path.join(scratch, 'home-'));
  chmodSync(home, 0o755);
  try {
    const first = await start(home);
    expect(first.address, first.said()).toMatch(/^http:\/\/127\.0\.0\.1:\d+$/u);
    const { projects } = (await (await fetch(`${first.address}/api/projects`, { headers: first.headers })).json()) as {
      projects: { name: string }[];
    };
    expect(projects.map((project) => project.name)).toEqual(['Tide-pool observatory']);
    const made = await fetch(`${first.address}/api/projects`, {
      method: 'POST',
      headers: first.headers,
      body: JSON.stringify({ name: 'Mine' }),
    });
    expect(made.status).toBe(201);
    expect((await fetch(`${first.address}/api/projects`)).status).toBe(401);

    const second = await start(home);
    expect(await second.ended).toBe(1);
    expect(second.said()).toContain(`already runs from this folder at ${first.address}`);

    first.child.kill('SIGKILL');
    await first.ended;
    const third = await start(home);
    expect(third.address, third.said()).not.toBe('');
    const again = (await (await fetch(`${third.address}/api/projects`, { headers: third.headers })).json()) as {
      projects: { name: string }[];
    };
    expect(again.projects.map((project) => project.name)).toEqual(['Tide-pool observatory', 'Mine']);
    third.child.kill('SIGTERM');
    expect(await third.ended).toBe(0);
    await expect(fetch(third.address)).rejects.toThrow();
  } finally {
    rmSync(home, { recursive: true, force: true });
  }
});
