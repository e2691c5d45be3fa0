// The server's words, kept in a file that only its owner reads, that cannot grow without bound, and whose loss ends nothing.
import { createWriteStream, renameSync, statSync } from 'node:fs';

const LARGEST = 2_000_000;

export function openLog(file, onTrouble) {
  let stream;
  let size = 0;
  let silent = false;
  const open = () => {
    size = statSync(file, { throwIfNoEntry: false })?.size ?? 0;
    stream = createWriteStream(file, { flags: 'a', mode: 0o600 });
    stream.on('error', (error) => {
      if (!silent) onTrouble(error);
      silent = true;
    });
  };
  open();
  return {
    write(chunk) {
      if (silent) return;
      size += chunk.length;
      stream.write(chunk);
      if (size < LARGEST) return;
      stream.end();
      try {
        renameSync(file, `${file}.1`);
      } catch {
        // the file goes on
      }
      open();
    },
  };
}
