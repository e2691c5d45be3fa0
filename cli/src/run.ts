import { parseArgs } from 'node:util';
import {
  chooseParts,
  designJsonSchema,
  MAXIMUM_BYTES,
  parseQuantity,
  readDesignText,
  judge,
  namedParts,
  type Corner,
  type Design,
  type Fault,
  type Part,
  type Verdicts,
} from '@yundro/core';
import { loopCommand } from './loop.ts';
import { partsCommand, Refusal, shelfFrom } from './shelf.ts';
import { simulateCommand } from './simulate.ts';
import { comparisonOf, describeComparison, describeResult } from './text.ts';

/** What a command may touch: the tests give it their own. */
export interface Console {
  out(text: string): void;
  error(text: string): void;
  read(file: string): Promise<string>;
  bench(json: boolean): Promise<string>;
}

const USAGE = `yundro: sizes and checks non-isolated DC-DC stages

  yundro solve FILE [--at vin=24,iout=3] [--json]   decide what is open, compute the corners, judge every target:
        [--quick]                                   stage, loop, load steps, start and short circuit; or the stage alone
        [--shelf demo | --shelf SHELF.json]         fill the places that FILE leaves free with parts
  yundro simulate FILE [--shelf …] --scenario steady-state|load-step|line-step|start-up|short-circuit|open-loop
        [--at vin=24,iout=3] [--duration 2m] [--json | --csv] [--no-waveforms]
        [--duty 0.5] [--release] [--prebias 1] [--resistance 0.01] [--from 1 --to 3 [--slew 1M]]
                                                    the switching circuit, event by event
  yundro loop FILE [--shelf …] [--at vin=24,iout=3] [--frequencies 1k,10k] [--exact] [--json | --csv]
                                                    plant, compensator, loop gain, output and input impedance
        [--search bandwidth | impedance | step]     the network that is best while margins hold at every corner
  yundro compare FILE FILE… [--shelf …] [--quick] [--json]
                                                    judge each and put their figures side by side
  yundro parts [--kind mosfet] [--where 'onResistance < 10m && voltageRating >= 40']
                                                    search the demo shelf, or --shelf SHELF.json
        [--place inductor FILE]                     rank the parts for a place of a design
        [--export csv | json | s1p]                 what was found, as a file; one capacitor's impedance as .s1p
        --import PARTS.csv --kind K                 parts read from a table, as a shelf (.s1p, .s2p: C, ESR, ESL;
                                                    [--fixture series-through] a .s2p of a part in the line)
        --check SHELF.json                          whether a shelf is in order
  yundro schema                                     the JSON Schema of the design file
  yundro speed [--json]                             the speed figures of the core (bench is another name for it)

FILE is a *.yundro.json design; - reads standard input. Exit status: 0 done, 2 the file or the call is wrong.
`;

const WRONG = 2;

/** The options of each command. */
const TAKES: Readonly<Record<string, readonly string[]>> = {
  solve: ['json', 'at', 'shelf', 'quick'],
  simulate: [
    'shelf',
    'json',
    'at',
    'scenario',
    'duration',
    'duty',
    'release',
    'prebias',
    'from',
    'to',
    'slew',
    'resistance',
    'csv',
    'no-waveforms',
    'seed',
  ],
  loop: ['shelf', 'json', 'at', 'frequencies', 'exact', 'csv', 'search'],
  compare: ['shelf', 'json', 'at', 'quick'],
  parts: ['json', 'shelf', 'kind', 'where', 'place', 'import', 'export', 'fixture', 'check'],
  schema: ['json'],
  speed: ['json'],
  bench: ['json'],
};

/** Runs one command. Never throws for a wrong call or file: it says what is wrong and returns 2. */
export async function runCommand(argv: readonly string[], console: Console): Promise<number> {
  const refuse = (text: string): number => {
    console.error(`yundro: ${text}\n`);
    return WRONG;
  };
  let parsed;
  try {
    parsed = parseArgs({
      args: [...argv],
      allowPositionals: true,
      options: {
        json: { type: 'boolean' },
        quick: { type: 'boolean' },
        at: { type: 'string' },
        shelf: { type: 'string' },
        kind: { type: 'string' },
        where: { type: 'string' },
        place: { type: 'string' },
        import: { type: 'string' },
        export: { type: 'string' },
        fixture: { type: 'string' },
        check: { type: 'string' },
        scenario: { type: 'string' },
        duration: { type: 'string' },
        duty: { type: 'string' },
        release: { type: 'boolean' },
        prebias: { type: 'string' },
        resistance: { type: 'string' },
        from: { type: 'string' },
        to: { type: 'string' },
        slew: { type: 'string' },
        csv: { type: 'boolean' },
        'no-waveforms': { type: 'boolean' },
        seed: { type: 'string' },
        frequencies: { type: 'string' },
        search: { type: 'string' },
        exact: { type: 'boolean' },
        help: { type: 'boolean', short: 'h' },
      },
    });
  } catch (error) {
    return refuse(`${(error as Error).message.split('.')[0]}. "yundro --help" lists the options.`);
  }
  const { values, positionals } = parsed;
  const [command, file, ...more] = positionals;
  if (values.help || command === undefined) {
    console.out(USAGE);
    return values.help ? 0 : WRONG;
  }
  const takes = TAKES[command];
  const stray = takes && Object.keys(values).find((name) => name !== 'help' && !takes.includes(name));
  if (stray) return refuse(`${command} takes no --${stray}`);
  if (command === 'schema') {
    console.out(`${JSON.stringify(designJsonSchema(), null, 2)}\n`);
    return 0;
  }
  if (command === 'bench' || command === 'speed') {
    console.out(await console.bench(values.json === true));
    return 0;
  }
  if (!['solve', 'loop', 'simulate', 'compare', 'parts'].includes(command))
    return refuse(`"${command}" is not a command: expected solve, loop, simulate, compare, parts, schema or speed`);
  const readAt = async (name: string): Promise<string> => {
    const text = await textAt(console, name);
    if (typeof text !== 'string') throw new Refusal(`${name}: ${text.why}`);
    return text;
  };
  const refused = (error: unknown): number => {
    if (!(error instanceof Refusal)) throw error;
    for (const line of error.lines) console.error(`yundro: ${line}\n`);
    return WRONG;
  };
  if (command === 'parts') {
    const { shelf, kind, where, place, fixture, export: as, check } = values;
    try {
      const call = {
        shelf,
        kind,
        where,
        place,
        import: values.import,
        export: as,
        fixture,
        check,
        file,
        json: values.json === true,
      };
      console.out(await partsCommand(call, readAt));
      return 0;
    } catch (error) {
      return refused(error);
    }
  }
  const depth = values.quick ? 'stage' : 'whole';
  let parts: readonly Part[] | undefined;
  try {
    parts = values.shelf === undefined ? undefined : (await shelfFrom(values.shelf, readAt)).parts;
  } catch (error) {
    return refused(error);
  }
  if (command === 'compare') {
    if (values.at !== undefined) return refuse('compare weighs all corners and takes no --at');
    if (file === undefined || more.length === 0) return refuse('compare needs two FILEs or more');
    const compared = [];
    for (const name of [file, ...more]) {
      const read = await readFileAt(console, name);
      if (typeof read === 'string') return refuse(read);
      if (!read.ok) return refuseFaults(console, name, read.faults);
      const faults = nameFaults(read.design, parts);
      if (faults.length > 0) return refuseFaults(console, name, faults);
      compared.push({ design: read.design, result: judge(read.design, { remarks: read.remarks, depth, parts }) });
    }
    console.out(values.json ? `${JSON.stringify(comparisonOf(compared), null, 2)}\n` : describeComparison(compared));
    return 0;
  }
  if (file === undefined) return refuse(`${command} needs a FILE, or - for standard input`);
  if (more.length > 0) return refuse(`${command} takes one FILE; "${more[0]!}" is one too many`);

  const at = values.at === undefined ? undefined : parseAt(values.at);
  if (at && 'message' in at) return refuse(`--at: ${at.message}`);
  const read = await readFileAt(console, file);
  if (typeof read === 'string') return refuse(read);
  if (!read.ok) return refuseFaults(console, file, read.faults);
  const faults = nameFaults(read.design, parts);
  if (faults.length > 0) return refuseFaults(console, file, faults);
  const choice = parts && chooseParts(read.design, parts);
  const built = choice?.design ?? read.design;
  if (command === 'simulate') {
    const { scenario, duration, duty, prebias, resistance, from, to, slew, release, csv, json } = values;
    try {
      console.out(
        simulateCommand(built, {
          scenario,
          at,
          duration,
          duty,
          prebias,
          resistance,
          from,
          to,
          slew,
          release: release === true,
          waveforms: values['no-waveforms'] !== true,
          csv: csv === true,
          json: json === true,
        }),
      );
      return 0;
    } catch (error) {
      return refused(error);
    }
  }
  if (command === 'loop') {
    const { frequencies, exact, csv, json, search } = values;
    try {
      console.out(
        loopCommand(built, {
          at,
          frequencies,
          exact: exact === true,
          csv: csv === true,
          json: json === true,
          search,
        }),
      );
      return 0;
    } catch (error) {
      return refused(error);
    }
  }
  let result: Verdicts;
  try {
    result = judge(read.design, { at, remarks: read.remarks, depth, choice });
  } catch (error) {
    return refused(error);
  }
  console.out(values.json ? `${JSON.stringify(result, null, 2)}\n` : describeResult(read.design, result));
  return 0;
}

/** Parts that a file names alone and that the shelf does not have. */
const nameFaults = (design: Design, parts: readonly Part[] | undefined): Fault[] =>
  parts ? namedParts(design, parts).faults : [];

/** A design file read, or what keeps it from being read. */
async function readFileAt(console: Console, file: string): Promise<ReturnType<typeof readDesignText> | string> {
  const text = await textAt(console, file);
  if (typeof text !== 'string') return `${file}: ${text.why}`;
  if (Buffer.byteLength(text) > MAXIMUM_BYTES) {
    return {
      ok: false,
      faults: [{ path: '', message: 'the file is over 5 MB', expected: 'a design file of at most 5 MB' }],
    };
  }
  return readDesignText(text);
}

/** A file's text, or why there is none. */
async function textAt(console: Console, file: string): Promise<string | { why: string }> {
  try {
    return await console.read(file);
  } catch (error) {
    const { code } = error as NodeJS.ErrnoException;
    const why =
      code === 'ENOENT'
        ? 'there is no such file'
        : code === 'EISDIR'
          ? 'that is a folder'
          : `cannot be read (${code ?? 'unknown'})`;
    return { why };
  }
}

function refuseFaults(console: Console, file: string, faults: readonly Fault[]): number {
  const name = file === '-' ? 'standard input' : file;
  for (const { path, message, expected } of faults) {
    console.error(`${name}: ${path === '' ? '' : `${path}: `}${message}, expected ${expected}\n`);
  }
  return WRONG;
}

const AT_KEYS = { vin: { key: 'inputVoltage', unit: 'V' }, iout: { key: 'outputCurrent', unit: 'A' } } as const;

function parseAt(text: string): Partial<Corner> | { message: string } {
  const at: Partial<Corner> = {};
  for (const part of text.split(',')) {
    const [name = '', value = ''] = part.split('=');
    const known = Object.hasOwn(AT_KEYS, name.trim()) ? AT_KEYS[name.trim() as keyof typeof AT_KEYS] : undefined;
    if (!known) return { message: `"${name}" is not known, expected vin or iout, as in --at vin=24,iout=3` };
    const parsed = parseQuantity(value, known.unit);
    if (!parsed.ok) return { message: `${name}: ${parsed.message}, expected ${parsed.expected}` };
    const lowest = known.key === 'inputVoltage' ? Number.MIN_VALUE : 0;
    if (parsed.value < lowest || parsed.value > 1e18) {
      return { message: `${name}: found ${value}, expected ${lowest > 0 ? 'above' : 'at least'} 0` };
    }
    at[known.key] = parsed.value;
  }
  return at;
}
