// One start at a time on one database: a name in the kernel, taken by listening on it, which no crash leaves behind.
import { createHash } from 'node:crypto';
import net from 'node:net';
import { Trouble } from './say.mjs';

const nameOf = (home) => `\0yundro-${createHash('sha256').update(home).digest('hex').slice(0, 24)}`;

/** What whoever holds the name says of itself; undefined when it says nothing. */
function ask(name) {
  return new Promise((resolve) => {
    const socket = net.connect(name);
    let said = '';
    const done = () => {
      socket.destroy();
      resolve(said);
    };
    socket.setTimeout(2000, done);
    socket.on('data', (chunk) => (said += chunk));
    socket.on('end', done);
    socket.on('error', () => resolve(undefined));
  });
}

/**
 * Takes the name of a home, or says who has it.
 * @returns `tell(address)`, for those who come later, and `release()`
 * @throws Trouble when another start has it
 */
export async function takeLock(home) {
  const name = nameOf(home);
  for (let attempt = 0; attempt < 20; attempt += 1) {
    let address = '';
    const server = net.createServer((socket) => {
      socket.on('error', () => undefined);
      socket.end(`${process.pid}\n${address}\n`);
    });
    const taken = await new Promise((resolve) => {
      server.once('error', () => resolve(false));
      server.listen(name, () => resolve(true));
    });
    if (taken) {
      server.unref();
      return {
        tell: (known) => (address = known),
        release: () => new Promise((resolve) => server.close(resolve)),
      };
    }
    const said = await ask(name);
    if (said !== undefined) {
      const [pid, where] = said.split('\n');
      throw new Trouble(`Yundro already runs from this folder${where ? ` at ${where}` : ''} (process ${pid}).`);
    }
    await new Promise((resolve) => setTimeout(resolve, 100)); // it let go just now
  }
  throw new Trouble('another start of Yundro from this folder does not answer.');
}
