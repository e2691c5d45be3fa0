// Values that are exported and named by no other file: a room's inside that stands open, or something that nobody needs any
// more. Types are left alone: what a function takes and gives is told with it.
import { execFileSync } from 'node:child_process';
import { readFileSync } from 'node:fs';
import path from 'node:path';
import { ROOT } from './lib/setup.mjs';

const BARREL = 'core/src/index.ts';
const files = execFileSync('git', ['ls-files', '-co', '--exclude-standard', '--', '*.ts', '*.tsx', '*.mjs', '*.cjs'], {
  cwd: ROOT,
  encoding: 'utf8',
})
  .split('\n')
  .filter((file) => file !== '');
const texts = new Map(files.map((file) => [file, readFileSync(path.join(ROOT, file), 'utf8')]));
/** The files that name each word. */
const named = new Map();
for (const [file, text] of texts)
  for (const word of new Set(text.match(/[A-Za-z_$][\w$]*/gu))) {
    const list = named.get(word) ?? [];
    list.push(file);
    named.set(word, list);
  }

const faults = [];
const exported = /^export (?:declare )?(?:default )?(?:async )?(?:const|function\*?|class|enum) ([\w$]+)/gmu;
for (const [file, text] of texts) {
  // the tables of the database are taken as one
  if (!/^(?:core|web|server|cli)\/src\//u.test(file) || /\.test\.ts$|db\/schema\.ts$/u.test(file)) continue;
  for (const [, name] of text.matchAll(exported))
    if (!named.get(name).some((other) => other !== file && other !== BARREL)) faults.push(`${file}: ${name}`);
}
// what the core hands out is for page, server, command and scripts
const outside = (file) => !file.startsWith('core/src/');
for (const [, list] of texts.get(BARREL).matchAll(/^export \{([^}]*)\}/gmu))
  for (const item of list.split(',')) {
    const name = item.trim().split(' as ').at(-1);
    if (name !== '' && !name.startsWith('type ') && !named.get(name).some(outside)) faults.push(`${BARREL}: ${name}`);
  }
for (const fault of faults) process.stdout.write(`${fault} is named by no other file\n`);

// scripts are not compiled: what they take of the core has to be there
const astray = [...texts].flatMap(([file, text]) =>
  file.startsWith('scripts/')
    ? [...text.matchAll(/\bcore\('([^']+)'\)/gu)].flatMap(([, name]) =>
        texts.has(`core/src/${name}`) ? [] : `${file} takes core/src/${name}, which is not there`,
      )
    : [],
);
for (const fault of astray) process.stdout.write(`${fault}\n`);
process.exitCode = faults.length + astray.length > 0 ? 1 : 0;
