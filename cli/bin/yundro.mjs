#!/usr/bin/env node
// The built command; `npm run build` (or either set-up command) makes it.
import { existsSync } from 'node:fs';
import { fileURLToPath } from 'node:url';

const built = new URL('../dist/main.js', import.meta.url);
if (!existsSync(fileURLToPath(built))) {
  process.stderr.write('yundro is not built yet: type "npm run build" in the checkout first.\n');
  process.exitCode = 1;
} else {
  const { main } = await import(built.href);
  process.exitCode = await main(process.argv.slice(2));
}
