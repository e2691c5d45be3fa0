// What the set-up commands say while they work.
const start = Date.now();

export function say(text) {
  process.stdout.write(`yundro  ${((Date.now() - start) / 1000).toFixed(1).padStart(6)} s  ${text}\n`);
}

/** A problem the person can mend: printed without a stack, exit status 1. */
export class Trouble extends Error {}

/** What a file system says that the person can mend. */
const DISK = {
  EROFS: 'can only be read',
  ENOSPC: 'is full',
  EDQUOT: 'is full for this user',
  EACCES: 'may not be written by this user',
  EPERM: 'may not be written by this user',
};

function wordsOf(error) {
  if (error instanceof Trouble) return error.message;
  const disk = DISK[error?.code];
  if (disk === undefined) return error?.stack ?? String(error);
  return `the disk ${disk}${error.path === undefined ? '' : `: ${error.path}`}. Nothing was lost; make room or let it be written, and start again.`;
}

export function fail(error) {
  process.stderr.write(`\nyundro: ${wordsOf(error)}\n`);
  process.exitCode = 1;
}
