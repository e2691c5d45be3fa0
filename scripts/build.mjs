// npm run build: the page (Vite), the server and the command (esbuild).
import { build as bundle } from 'esbuild';
import { readdir, readFile, writeFile } from 'node:fs/promises';
import path from 'node:path';
import { fileURLToPath } from 'node:url';
import { promisify } from 'node:util';
import { brotliCompress, constants, gzip } from 'node:zlib';
import { build as buildPage } from 'vite';

const root = path.resolve(path.dirname(fileURLToPath(import.meta.url)), '..');
const node = {
  bundle: true,
  platform: 'node',
  target: 'node20',
  format: 'esm',
  sourcemap: 'linked',
  logLevel: 'warning',
  absWorkingDir: root,
  alias: { '@yundro/core': path.join(root, 'core/src/index.ts') },
  // the JSON locator ships a loader-based build first, which does not bundle
  mainFields: ['module', 'main'],
};

await Promise.all([
  bundle({ ...node, entryPoints: ['server/src/main.ts'], outdir: 'server/dist', packages: 'external' }),
  // the command is bundled whole and minified: it starts as a process each time
  bundle({ ...node, entryPoints: ['cli/src/main.ts'], outdir: 'cli/dist', minify: true, sourcemap: false }),
  buildPage({ root: path.join(root, 'web'), logLevel: 'warn' }),
]);

// each text of the page stands compressed beside itself: the server hands over what the browser takes
const dist = path.join(root, 'web/dist');
const brotli = { params: { [constants.BROTLI_PARAM_QUALITY]: 9 } };
const files = (await readdir(dist, { recursive: true })).filter((name) => /\.(?:js|css|svg|html)$/u.test(name));
await Promise.all(
  files.map(async (name) => {
    const file = path.join(dist, name);
    const text = await readFile(file);
    await writeFile(`${file}.br`, await promisify(brotliCompress)(text, brotli));
    await writeFile(`${file}.gz`, await promisify(gzip)(text));
  }),
);
