import { readFile } from 'node:fs/promises';
import { runBench } from './bench.ts';
import { runCommand, type Console } from './run.ts';

/** Runs one command line against the process's own streams. @returns the exit status */
export async function main(argv: string[]): Promise<number> {
  // a reader that stops early (head) is no fault of ours
  process.stdout.on('error', (error: NodeJS.ErrnoException) => {
    if (error.code !== 'EPIPE') throw error;
  });
  const console: Console = {
    out: (text) => process.stdout.write(text),
    error: (text) => process.stderr.write(text),
    read: (file) => (file === '-' ? readStandardInput() : readFile(file, 'utf8')),
    bench: runBench,
  };
  return runCommand(argv, console);
}

async function readStandardInput(): Promise<string> {
  const chunks: Buffer[] = [];
  for await (const chunk of process.stdin) chunks.push(chunk as Buffer);
  return Buffer.concat(chunks).toString('utf8');
}
