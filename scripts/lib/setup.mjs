// What a fresh machine needs before anything of Yundro's can run. Node's own modules only.
import { spawn, spawnSync } from 'node:child_process';
import { createHash } from 'node:crypto';
import { existsSync, mkdirSync, readdirSync, readFileSync, statSync, writeFileSync } from 'node:fs';
import net from 'node:net';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { say, Trouble } from './say.mjs';

export const ROOT = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '../..');
export const STATE = path.join(ROOT, '.yundro');

export const isRoot = () => process.getuid?.() === 0;

export function checkNode() {
  const [major, minor] = process.versions.node.split('.').map(Number);
  if (major < 20 || (major === 20 && minor < 19)) {
    throw new Trouble(`Node.js 20.19 or later is needed; this is ${process.version}.`);
  }
}

const running = new Set();

/** Ends what was started and has not ended, with all that it started itself. */
export function endRunning() {
  for (const child of running) {
    try {
      process.kill(-child.pid, 'SIGTERM');
    } catch {
      // ended meanwhile
    }
  }
}

/** Runs a command to its end, in a process group of its own. @returns its exit status and, when captured, what it printed */
export function run(command, args, { capture = false, env = {}, cwd = ROOT, quiet = false, input } = {}) {
  return new Promise((resolve, reject) => {
    const piped = capture || quiet ? 'pipe' : 'inherit';
    const child = spawn(command, args, {
      cwd,
      env: { ...process.env, ...env },
      detached: true,
      stdio: [input === undefined ? 'ignore' : 'pipe', piped, piped],
    });
    running.add(child);
    child.once('exit', () => running.delete(child));
    if (input !== undefined) child.stdin.end(input);
    let output = '';
    child.stdout?.on('data', (chunk) => (output += chunk));
    child.stderr?.on('data', (chunk) => (output += chunk));
    child.on('error', reject);
    child.on('close', (status) => resolve({ status: status ?? 1, output }));
  });
}

/** Installs Debian packages when it may; else says exactly what to type. */
export async function installPackages(packages, what) {
  const sudo = !isRoot() && spawnSync('sudo', ['-n', 'true'], { stdio: 'ignore' }).status === 0;
  const command = `apt-get install -y --no-install-recommends ${packages.join(' ')}`;
  if (!existsSync('/usr/bin/apt-get') || (!isRoot() && !sudo)) {
    throw new Trouble(
      `${what} is missing and cannot be installed from here. Type:\n\n  sudo apt-get update && sudo ${command}\n`,
    );
  }
  say(`installing ${what} (${packages.join(', ')}) from Debian's packages`);
  const prefix = sudo ? ['sudo', '-n'] : [];
  const call = (words) => {
    const all = [...prefix, 'env', 'DEBIAN_FRONTEND=noninteractive', ...words];
    return run(all[0], all.slice(1), { quiet: true, cwd: '/' });
  };
  await call(['apt-get', 'update', '-q']);
  const { status, output } = await call(command.split(' '));
  if (status !== 0) throw new Trouble(`installing ${what} failed:\n${output.split('\n').slice(-15).join('\n')}`);
}

/** Folder of PostgreSQL's server binaries, the newest release installed; undefined when there is none. */
export function findPostgres() {
  const base = '/usr/lib/postgresql';
  if (!existsSync(base)) return undefined;
  return readdirSync(base)
    .sort((a, b) => Number(b) - Number(a))
    .map((release) => path.join(base, release, 'bin'))
    .find((folder) => existsSync(path.join(folder, 'initdb')) && existsSync(path.join(folder, 'postgres')));
}

export async function ensurePostgres() {
  if (!findPostgres()) await installPackages(['postgresql'], 'PostgreSQL');
  const folder = findPostgres();
  if (!folder) throw new Trouble('PostgreSQL was installed but its server binaries are not below /usr/lib/postgresql.');
  return folder;
}

/** The same engine without a browser round it takes a fifth less of the machine; whichever is there will do. */
const CHROMIUMS = ['chromium-headless-shell', 'chromium'];
/** @returns the path of Debian's headless Chromium */
export async function ensureChromium() {
  const found = () => CHROMIUMS.map((name) => `/usr/bin/${name}`).find((file) => existsSync(file));
  if (!found()) await installPackages([CHROMIUMS[0]], 'Chromium');
  return found();
}

const PYTHON = '/usr/bin/python3';
/** Debian's SciPy, the reference that the operating points are held against. Without it the tests run and say what they leave out. */
export async function ensureScipy() {
  const present = () =>
    existsSync(PYTHON) && spawnSync(PYTHON, ['-c', 'import scipy.integrate'], { stdio: 'ignore' }).status === 0;
  if (present()) return;
  try {
    await installPackages(['python3-scipy'], 'SciPy');
  } catch (error) {
    if (!(error instanceof Trouble)) throw error;
    say(`${error.message}\nWithout it the comparison with an ODE solver is left out.`);
  }
}

/** A digest of the files that decide something: when it is unchanged, the work need not be done again. */
export function digestOf(files) {
  const hash = createHash('sha256');
  for (const file of files) hash.update(`${path.relative(ROOT, file)}\n`).update(readFileSync(file));
  return hash.digest('hex');
}

const SKIPPED = new Set(['node_modules', 'dist', '.tsbuild', 'test-results']);
export function filesBelow(folder) {
  return readdirSync(folder, { withFileTypes: true })
    .filter((entry) => !SKIPPED.has(entry.name))
    .sort((a, b) => (a.name < b.name ? -1 : 1))
    .flatMap((entry) => {
      const full = path.join(folder, entry.name);
      return entry.isDirectory() ? filesBelow(full) : entry.isFile() ? [full] : [];
    });
}

export function readStamp(name) {
  const file = path.join(STATE, name);
  return existsSync(file) ? readFileSync(file, 'utf8') : '';
}
export function writeStamp(name, text) {
  mkdirSync(STATE, { recursive: true });
  writeFileSync(path.join(STATE, name), text);
}

/** Whether what is installed is what the lock file names: a folder that came without our stamp needs no network. */
function modulesMatch() {
  try {
    const read = (file) => JSON.parse(readFileSync(path.join(ROOT, file), 'utf8')).packages;
    const installed = read('node_modules/.package-lock.json');
    return Object.entries(read('package-lock.json')).every(
      ([name, wanted]) =>
        !name.startsWith('node_modules/') || wanted.optional || installed[name]?.version === wanted.version,
    );
  } catch {
    return false;
  }
}

/** `npm ci` when node_modules is absent or was made from another lock file. */
export async function ensureModules() {
  const lock = digestOf([path.join(ROOT, 'package-lock.json')]);
  if (existsSync(path.join(ROOT, 'node_modules')) && readStamp('modules.stamp') === lock) return;
  if (modulesMatch()) {
    writeStamp('modules.stamp', lock);
    return;
  }
  say('installing packages (npm ci); the first time takes a minute or two');
  const { status, output } = await run('npm', ['ci', '--no-audit', '--no-fund'], {
    quiet: true,
    env: { PLAYWRIGHT_SKIP_BROWSER_DOWNLOAD: '1' },
  });
  if (status !== 0) throw new Trouble(`npm ci failed:\n${output.split('\n').slice(-20).join('\n')}`);
  writeStamp('modules.stamp', lock);
}

/** Builds page, server and command when any of their sources changed since the last build. */
export async function ensureBuild() {
  const sources = ['core', 'server', 'web', 'cli'].flatMap((name) => filesBelow(path.join(ROOT, name)));
  const digest = digestOf([...sources, path.join(ROOT, 'scripts/build.mjs'), path.join(ROOT, 'package-lock.json')]);
  const made = ['web/dist/index.html', 'server/dist/main.js', 'cli/dist/main.js'].every((f) =>
    existsSync(path.join(ROOT, f)),
  );
  if (made && readStamp('build.stamp') === digest) return;
  say('building page, server and command');
  const { status, output } = await run(process.execPath, ['scripts/build.mjs'], { quiet: true });
  if (status !== 0) throw new Trouble(`the build failed:\n${output.split('\n').slice(-40).join('\n')}`);
  writeStamp('build.stamp', digest);
}

/** The first free TCP port on loopback from `first` on; any free one when `first` is 0. */
export async function freePort(first) {
  for (let port = first; port < first + 200; port += 1) {
    const found = await new Promise((resolve) => {
      const probe = net.createServer();
      probe.once('error', () => resolve(undefined));
      probe.listen(port, '127.0.0.1', () => {
        const { port: got } = probe.address();
        probe.close(() => resolve(got));
      });
    });
    if (found !== undefined) return found;
  }
  throw new Trouble(`no free port from ${first} on.`);
}

export function isFolder(name) {
  return existsSync(name) && statSync(name).isDirectory();
}
