import { readdirSync, readFileSync } from 'node:fs';
import path from 'node:path';
import { expect, test } from '@jest/globals';

const ROOT = path.join(import.meta.dirname, '..');
const files = readdirSync(ROOT, { recursive: true, encoding: 'utf8' });
const read = (file: string): string => readFileSync(path.join(ROOT, file), 'utf8');

/** Class names that a style sheet of a folder defines, without those of other packages. */
function defined(sheet: string): Set<string> {
  const own = read(sheet).replace(/\/\*[^]*?\*\/|:global\([^)]*\)|'[^']*'/gu, '');
  return new Set([...own.matchAll(/\.([a-zA-Z][\w-]*)(?=[^{}]*\{)/gu)].map(([, name]) => name!));
}

const sheets = files.filter((file) => file.endsWith('.module.css'));
const uses = new Map(sheets.map((sheet) => [sheet, new Set<string>()]));
const wrong: string[] = [];
for (const file of files.filter((name) => name.endsWith('.tsx'))) {
  const text = read(file);
  for (const [, variable, from] of text.matchAll(/import (\w+) from '([^']+\.module\.css)'/gu)) {
    const sheet = path.join(path.dirname(file), from!);
    const names = defined(sheet);
    for (const [, name] of text.matchAll(new RegExp(`\\b${variable!}\\['([^']+)'\\]`, 'gu'))) {
      if (names.has(name!)) uses.get(sheet)!.add(name!);
      else wrong.push(`${file}: ${name!}`);
    }
  }
}

test('every class a screen names is one of its style sheet, and none stands there unused', () => {
  expect(sheets.length).toBeGreaterThan(5);
  expect(wrong).toEqual([]);
  const unused = sheets.flatMap((sheet) =>
    [...defined(sheet)].filter((name) => !uses.get(sheet)!.has(name)).map((name) => `${sheet}: ${name}`),
  );
  expect(unused).toEqual([]);
});

test('no style of a rung is global: what is written for the whole page are elements, attributes and the packages’ names', () => {
  const foreign =
    /^(?:btn|form-|invalid-|is-invalid|alert|font-monospace|table|dropdown|toast|modal|progress|nav|list-group)/u;
  expect([...defined('app/look.css')].filter((name) => !foreign.test(name))).toEqual([]);
});
