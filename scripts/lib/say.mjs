// What the set-up commands say while they work.
const start = Date.now();

export function say(text) {
  process.stdout.write(`yundro  ${((Date.now() - start) / 1000).toFixed(1).padStart(6)} s  ${text}\n`);
}

/** A problem the person can mend: printed without a stack, exit status 1. */
export class Trouble extends Error {}

export function fail(error) {
  process.stderr.write(
    error instanceof Trouble ? `\nyundro: ${error.message}\n` : `\nyundro: ${error?.stack ?? error}\n`,
  );
  process.exitCode = 1;
}
