import { afterAll } from '@jest/globals';
import { spawn, spawnSync, type ChildProcessWithoutNullStreams } from 'node:child_process';
import { existsSync } from 'node:fs';
import path from 'node:path';
import { createInterface } from 'node:readline';

const PYTHON = '/usr/bin/python3';
const LOOKS = 'import importlib.util as u, sys; sys.exit(u.find_spec("scipy") is None)';
export const present = existsSync(PYTHON) && spawnSync(PYTHON, ['-c', LOOKS]).status === 0;

/** One for a test file: loading SciPy takes as long as many a reference. */
let server: ChildProcessWithoutNullStreams | undefined;
let lines: AsyncIterator<string> | undefined;
afterAll(() => {
  server?.stdin.end();
});

/**
 * What a reference script says to a request, one at a time; what it complains of, where it does. Nothing of both: it
 * found no end.
 */
export async function asked(
  script: string,
  request: object,
  seconds = 3600,
): Promise<{ said: unknown; complaint: string }> {
  server ??= spawn(PYTHON, [path.resolve(import.meta.dirname, 'serve.py')]);
  lines ??= createInterface({ input: server.stdout })[Symbol.asyncIterator]();
  const job = { script: path.resolve(import.meta.dirname, script), input: JSON.stringify(request), seconds };
  server.stdin.write(`${JSON.stringify(job)}\n`);
  const answer = await lines.next();
  if (answer.done) throw new Error('The reference’s process ended.');
  const { said, complaint } = JSON.parse(answer.value) as { said: string; complaint: string };
  return { said: complaint === '' && said !== '' ? JSON.parse(said) : undefined, complaint };
}
