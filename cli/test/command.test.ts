import { describe, expect, test } from '@jest/globals';
import { execFile } from 'node:child_process';
import { readFileSync } from 'node:fs';
import path from 'node:path';
import { runCommand } from '../src/run.ts';

const root = path.resolve(import.meta.dirname, '../..');
const sample = path.join(root, 'sample/logic-rail.yundro.json');
const text = readFileSync(sample, 'utf8');

/** The command in this process, with files of its own. */
async function inProcess(argv: string[], files: Record<string, string> = { 'a.json': text }) {
  let out = '';
  let error = '';
  const status = await runCommand(argv, {
    out: (t) => (out += t),
    error: (t) => (error += t),
    read: (file) => {
      const found = files[file];
      return found === undefined
        ? Promise.reject(Object.assign(new Error(), { code: 'ENOENT' }))
        : Promise.resolve(found);
    },
    bench: () => Promise.resolve('figures'),
  });
  return { status, out, error };
}

/** The built command as its own process. */
function asProcess(argv: string[], input = ''): Promise<{ status: number; out: string; error: string }> {
  return new Promise((resolve) => {
    const child = execFile(
      process.execPath,
      [path.join(root, 'cli/bin/yundro.mjs'), ...argv],
      { maxBuffer: 1e8 },
      (fault, out, error) => resolve({ status: fault ? Number(fault.code) : 0, out, error }),
    );
    child.stdin?.on('error', () => undefined);
    child.stdin?.end(input);
  });
}

interface Answer {
  format: string;
  decisions: { inductor: { inductance: number } };
  operatingPoints: { inputVoltage: number; outputCurrent: number; duty: number }[];
  targets: { id: string; verdict: string }[];
}

describe('solve', () => {
  test('as the real command: one JSON document and nothing else, from a file and from standard input', async () => {
    const file = await asProcess(['solve', sample, '--json']);
    expect(file).toMatchObject({ status: 0, error: '' });
    const answer = JSON.parse(file.out) as Answer;
    expect(answer.format).toBe('yundro-result');
    expect(answer.operatingPoints).toHaveLength(6);
    expect(answer.targets.map((t) => t.id)).toContain('outputRipple');
    const piped = await asProcess(['solve', '-', '--json', '--at', 'vin=24,iout=3'], text);
    expect((JSON.parse(piped.out) as Answer).operatingPoints).toMatchObject([{ inputVoltage: 24, outputCurrent: 3 }]);
  });

  test('as the real command: a wrong file is exit 2, its faults on standard error, nothing on standard output', async () => {
    const wrong = await asProcess(['solve', '-', '--json'], text.replace('"min": 18', '"min": -18'));
    expect(wrong).toMatchObject({ status: 2, out: '' });
    expect(wrong.error).toBe('standard input: brief.inputVoltage.min: found -18, expected a number above 0\n');
    const notJson = await asProcess(['solve', '-'], '{"format": ');
    expect(notJson).toMatchObject({ status: 2, out: '' });
    expect(notJson.error).toMatch(/not JSON: .*line 1, column \d+/u);
    const large = await asProcess(['solve', '-'], ' '.repeat(5_000_001));
    expect(large.error).toMatch(/over 5 MB/u);
  });

  test('text for people names decisions, corners, targets and the linear alternative', async () => {
    const { status, out } = await inProcess(['solve', 'a.json']);
    expect(status).toBe(0);
    expect(out).toMatch(/inductance +4\.7 µH +held/u);
    expect(out).toMatch(/output bank .*step rules/u);
    expect(out).toMatch(/\+ Output ripple .* at 32 V, 6 A/u);
    expect(out).toMatch(/Linear regulator instead/u);
  });

  test.each([
    [['solve'], /needs a FILE/u],
    [['solve', 'b.json'], /no such file/u],
    [['solve', 'a.json', 'a.json'], /one too many/u],
    [['solve', 'a.json', '--at', 'vin=x'], /vin: .*expected for example/u],
    [['solve', 'a.json', '--at', 'foo=3'], /expected vin or iout/u],
    [['solve', 'a.json', '--at', 'vin=0'], /above 0/u],
    [['fly'], /not a command/u],
    [['solve', 'a.json', '--wings'], /wings/u],
  ])('%j is refused in words', async (argv, message) => {
    const { status, out, error } = await inProcess(argv);
    expect([status, out]).toEqual([2, '']);
    expect(error).toMatch(message);
    expect(error).not.toMatch(/\n {4}at /u);
  });
});

describe('compare', () => {
  const other = readFileSync(path.join(root, 'sample/hydrophone-rail.yundro.json'), 'utf8');
  const files = { 'a.json': text, 'b.json': other };

  test('designs stand side by side, as text and as one JSON document', async () => {
    const { status, out } = await inProcess(['compare', 'a.json', 'b.json'], files);
    expect(status).toBe(0);
    expect(out).toMatch(/Logic rail +Hydrophone array driver/u);
    expect(out).toMatch(/topology +buck +boost/u);
    expect(out).toMatch(/right-half-plane zero +none +\d/u);
    const json = await inProcess(['compare', 'a.json', 'b.json', '--json'], files);
    const { designs } = JSON.parse(json.out) as {
      designs: { name: string; topology: string; duty: { max: number } }[];
    };
    expect(designs.map(({ name, topology }) => [name, topology])).toEqual([
      ['Logic rail', 'buck'],
      ['Hydrophone array driver', 'boost'],
    ]);
    expect(designs[1]!.duty.max).toBeGreaterThan(0.6);
  });

  test.each([
    [['compare'], /FILE/u],
    [['compare', 'a.json', 'c.json'], /c\.json/u],
  ])('%j is refused in words', async (argv, message) => {
    const { status, out, error } = await inProcess(argv, files);
    expect([status, out]).toEqual([2, '']);
    expect(error).toMatch(message);
  });
});

describe('the sample project', () => {
  const rails = JSON.parse(readFileSync(path.join(root, 'sample/project.json'), 'utf8')) as {
    designs: { file: string }[];
  };

  test.each(rails.designs.map(({ file }) => file))('%s is solved at every corner and misses nothing', async (file) => {
    const rail = readFileSync(path.join(root, 'sample', file), 'utf8');
    const { status, out, error } = await inProcess(['solve', 'rail.json', '--json'], { 'rail.json': rail });
    expect([status, error]).toEqual([0, '']);
    const answer = JSON.parse(out) as Answer & { warnings: { id: string }[] };
    expect(answer.operatingPoints).toHaveLength(6);
    expect(answer.targets.filter(({ verdict }) => verdict === 'missed')).toEqual([]);
    // what is known and meant: the inverting stage's controller, the diode stage's light load
    const meant = ['negative-rail', 'discontinuous'];
    expect(answer.warnings.filter(({ id }) => !meant.includes(id))).toEqual([]);
  });
});

test('schema prints the JSON Schema, bench the figures, help the commands', async () => {
  expect(JSON.parse((await inProcess(['schema'])).out)).toMatchObject({ type: 'object' });
  expect((await inProcess(['bench'])).out).toBe('figures');
  expect((await inProcess(['--help'])).status).toBe(0);
});

describe('parts', () => {
  const bare = JSON.stringify({
    format: 'yundro-design',
    version: 1,
    name: 'Bare',
    brief: { inputVoltage: { min: 18, nominal: 24, max: 32 }, outputVoltage: 5, outputCurrent: { min: 0.2, max: 5 } },
  });

  test('without a shelf a file gives the same numbers as ever; with one its free places hold parts, losses and heat', async () => {
    const plain = JSON.parse((await inProcess(['solve', 'b.json', '--json'], { 'b.json': bare })).out) as {
      decisions: { inductor: { partId?: string } };
    };
    expect(plain.decisions.inductor.partId).toBeUndefined();
    const filled = JSON.parse(
      (await inProcess(['solve', 'b.json', '--json', '--shelf', 'demo'], { 'b.json': bare })).out,
    ) as {
      decisions: { inductor: { partId?: string } };
      places: { filled: boolean }[];
      operatingPoints: { losses: object; temperatures: object }[];
    };
    expect(filled.decisions.inductor.partId).toMatch(/u$/u);
    expect(filled.places.every((place) => place.filled)).toBe(true);
    expect(Object.keys(filled.operatingPoints[1]!.losses)).toEqual(
      expect.arrayContaining([
        'controlSwitchOverlap',
        'outputCharge',
        'reverseRecovery',
        'gateDrive',
        'core',
        'controller',
      ]),
    );
    expect(Object.keys(filled.operatingPoints[1]!.temperatures)).toEqual(['controlSwitch', 'rectifier', 'inductor']);
    const { out } = await inProcess(['solve', 'b.json', '--shelf', 'demo'], { 'b.json': bare });
    expect(out).toMatch(/^ {2}temperature of controlSwitch +\d/mu);
  });

  test('loop, simulate and compare stand on the shelf’s parts too; an id that it does not have is named by its place', async () => {
    const files = {
      'b.json': bare,
      'n.json': JSON.stringify({ ...(JSON.parse(bare) as object), decisions: { inductor: { partId: 'no-such' } } }),
    };
    const solved = JSON.parse(
      (await inProcess(['solve', 'b.json', '--json', '--quick', '--shelf', 'demo'], files)).out,
    ) as { decisions: { inductor: object } };
    const compared = async (...more: string[]) =>
      (await inProcess(['compare', 'b.json', 'b.json', '--json', '--quick', ...more], files)).out;
    expect(await compared('--shelf', 'demo')).not.toBe(await compared());
    const plain = JSON.parse((await inProcess(['loop', 'b.json', '--json'], files)).out) as { phaseMargin: number };
    const looped = JSON.parse(
      (await inProcess(['loop', 'b.json', '--json', '--shelf', 'demo'], files)).out,
    ) as typeof plain;
    expect(looped.phaseMargin).not.toBe(plain.phaseMargin);
    expect(solved.decisions.inductor).toHaveProperty('partId');
    for (const command of [['solve'], ['loop'], ['simulate', '--scenario', 'steady-state']])
      expect(await inProcess([...command, 'n.json', '--shelf', 'demo'], files)).toMatchObject({
        status: 2,
        error: expect.stringContaining('decisions.inductor.partId: there is no part "no-such" on the shelf'),
      });
  });

  test('a shelf exported, checked, imported from its own table and used: the same parts', async () => {
    const csv = (await inProcess(['parts', '--kind', 'inductor', '--export', 'csv'])).out;
    const shelf = await inProcess(['parts', '--import', 'i.csv', '--kind', 'inductor'], { 'i.csv': csv });
    expect(shelf).toMatchObject({ status: 0, error: '' });
    const files = { 's.json': shelf.out, 'b.json': bare };
    expect((await inProcess(['parts', '--check', 's.json'], files)).out).toContain(
      `: ${csv.trim().split('\r\n').length - 1} parts,`,
    );
    const again = await inProcess(['parts', '--shelf', 's.json', '--kind', 'inductor', '--export', 'csv'], files);
    expect(again.out).toBe(csv);
    // an impedance goes out as it comes in; which way a two-port part lay is asked for by name
    const one = ['parts', '--where', 'id == ceramic-25v-22u-1210', '--export', 's1p'];
    const impedance = (await inProcess(one)).out;
    const fit = await inProcess(['parts', '--import', 'c.s1p'], { 'c.s1p': impedance });
    expect(JSON.parse(fit.out)).toMatchObject({ capacitance: expect.closeTo(22e-6, 8) });
    expect((await inProcess(['parts', '--export', 's1p'])).error).toMatch(/found \d+ parts, expected one capacitor/u);
    expect((await inProcess(['parts', '--import', 'c.s2p', '--fixture', 'beside'], { 'c.s2p': '' })).error).toMatch(
      /"beside", expected shunt-through or series-through/u,
    );
    const ranked = await inProcess(['parts', '--place', 'inductor', 'b.json'], files);
    expect(ranked.out).toMatch(/^1 × powder-[\d.]+mm-[\d.]+u/mu);
    expect(ranked.out).toMatch(/do not fit; the nearest/u);
    // a figure that is not there is left out
    for (const place of ['inductor', 'rectifier', 'outputCapacitors'])
      expect((await inProcess(['parts', '--place', place, 'b.json', '--json'], files)).out).not.toMatch(/null/u);
  });

  test.each<[string[], Record<string, string>, string]>([
    [['solve', 'b.json', '--where', 'cost < 1'], { 'b.json': bare }, 'solve takes no --where'],
    [['parts', '--kind', 'valve'], {}, 'found "valve", expected one of mosfet'],
    [['parts', '--where', 'height'], {}, '--where: "height" is no comparison'],
    [['parts', '--export', 'csv'], {}, 'needs --kind'],
    [
      ['parts', '--check', 's.json'],
      { 's.json': '{"format":"other"}' },
      's.json: format: found "other", expected "yundro-shelf"',
    ],
    [
      ['parts', '--import', 'p.csv', '--kind', 'wire'],
      { 'p.csv': 'id,name,diameter\na,b,two' },
      'p.csv: row 2, column 3: diameter: "two" does not start with a number',
    ],
    [['parts', '--import', 'p.s1p'], { 'p.s1p': '# Hz S MA R 50\n1 x 2' }, 'p.s1p: line 2: "x" is no number'],
    [['parts', '--place', 'lid', 'b.json'], {}, 'expected one of controller, inductor'],
    [['solve', 'b.json', '--shelf', 'none.json'], { 'b.json': bare }, 'none.json: there is no such file'],
  ])('%j is refused in words, with nothing on standard output', async (argv, files, words) => {
    const { status, out, error } = await inProcess(argv, files);
    expect({ status, out }).toEqual({ status: 2, out: '' });
    expect(error).toContain(words);
  });
});

describe('loop', () => {
  const design = JSON.stringify({
    ...(JSON.parse(text) as object),
    brief: {
      inputVoltage: { min: 18, nominal: 24, max: 32 },
      outputVoltage: 3.3,
      outputCurrent: { min: 0.3, max: 6 },
    },
  });
  const files = { 'a.json': design };
  test('one JSON document with the names of the format; a few frequencies, the exact response, a table', async () => {
    const call = ['loop', 'a.json', '--at', 'vin=24,iout=6'];
    const full = await inProcess([...call, '--frequencies', '1k,1e4', '--exact', '--json'], files);
    expect(full).toMatchObject({ status: 0, error: '' });
    const found = JSON.parse(full.out) as Record<string, { frequency: number[]; gain: number[]; phase: number[] }>;
    for (const name of ['response', 'plant', 'compensator', 'exactResponse'] as const)
      expect(found[name]).toMatchObject({ frequency: [1000, 10000], gain: [expect.any(Number), expect.any(Number)] });
    for (const name of ['crossoverFrequency', 'phaseMargin', 'gainMargin', 'outputImpedance'])
      expect(found).toHaveProperty(name);
    // the loop is plant and compensator, in decibels
    expect(found['response']!.gain[1]).toBeCloseTo(found['plant']!.gain[1]! + found['compensator']!.gain[1]!, 9);
    const csv = await inProcess([...call, '--csv'], files);
    expect(csv.out.split('\r\n')).toHaveLength(402);
    expect((await inProcess(call, files)).out).toMatch(/Phase margin {5}\d/u);
  });
  test('a network is searched for, and given back as the file format has it', async () => {
    const found = await inProcess(['loop', 'a.json', '--search', 'impedance', '--json'], files);
    const { compensator, holds, before, value } = JSON.parse(found.out) as Record<string, number | object>;
    expect([holds, compensator]).toMatchObject([true, { type: 3, feedbackResistor: expect.any(Number) }]);
    expect(value).toBeLessThan(before as number);
    expect((await inProcess(['loop', 'a.json', '--search', 'impedance'], files)).out).toMatch(
      /feedback capacitor +\d/u,
    );
  });
  test('what cannot be asked is said, exit status 2', async () => {
    for (const [options, words] of [
      [['--frequencies', '1k,0'], '--frequencies'],
      [['--frequencies', 'often'], '--frequencies'],
      [['--at', 'vin=2'], 'does not reach its output'],
      [['--scenario', 'load-step'], 'loop takes no --scenario'],
      [['--search', 'beauty'], '--search: beauty, expected bandwidth, impedance, step'],
    ] as const) {
      const found = await inProcess(['loop', 'a.json', ...options], files);
      expect(found).toMatchObject({ status: 2, out: '' });
      expect(found.error).toContain(words);
    }
  });
});

describe('simulate', () => {
  const design = JSON.stringify({
    ...(JSON.parse(text) as object),
    brief: {
      inputVoltage: { min: 18, nominal: 24, max: 32 },
      outputVoltage: 3.3,
      outputCurrent: { min: 0.3, max: 6 },
      loadStep: { from: 1.5, to: 4.5, slewRate: 1e6 },
    },
  });
  const files = { 'a.json': design };
  test('one JSON document, with the names of the format; without waveforms where none are wanted', async () => {
    const call = ['simulate', 'a.json', '--scenario', 'load-step', '--duration', '100u', '--json'];
    const full = await inProcess(call, files);
    expect(full).toMatchObject({ status: 0, error: '' });
    const run = JSON.parse(full.out) as {
      scenario: string;
      duration: number;
      cycles: number;
      measurements: Record<string, unknown>;
      waveforms: { time: number[]; outputVoltage: number[]; inductorCurrent: number[][] };
    };
    expect(run).toMatchObject({ scenario: 'load-step', duration: 1e-4, cycles: 40 });
    expect(Object.keys(run.measurements)).toEqual(
      expect.arrayContaining(['outputVoltage', 'inductorCurrent', 'undershoot', 'overshoot', 'settlingTime']),
    );
    expect(run.waveforms.inductorCurrent[0]).toHaveLength(run.waveforms.time.length);
    const bare = await inProcess([...call, '--no-waveforms'], files);
    expect(bare.out).not.toContain('waveforms');
    const other = await inProcess([...call, '--no-waveforms', '--from', '4.5', '--to', '1.5'], files);
    const { measurements } = JSON.parse(other.out) as { measurements: { overshoot: number; undershoot: number } };
    expect(measurements.overshoot).toBeGreaterThan(measurements.undershoot);
    const csv = await inProcess([...call.slice(0, -1), '--csv'], files);
    expect(csv.out.split('\r\n')[0]).toBe(
      'time (s),outputVoltage (V),inductorCurrent1 (A),switchNode1 (V),inputCurrent (A),controlVoltage (V)',
    );
  });
  test('what cannot be run is said with its place, exit status 2, nothing on standard output', async () => {
    for (const [options, words] of [
      [[], '--scenario: absent, expected one of steady-state'],
      [['--scenario', 'dance'], '"dance" is not known'],
      [['--scenario', 'open-loop'], 'duty: expected a part of the period'],
      [['--scenario', 'line-step'], 'brief.lineStep: absent'],
      [['--scenario', 'load-step', '--duration', '-1'], 'duration'],
      [['--scenario', 'load-step', '--from', '1'], '--to: absent, expected the load that is stepped to'],
      [['--scenario', 'load-step', '--slew', '1M'], '--slew: belongs to a step of its own'],
      [['--scenario', 'load-step', '--from', '2', '--to', '2'], 'step.to: 2, expected another load'],
      [['--scenario', 'steady-state', '--place', 'inductor'], 'simulate takes no --place'],
    ] as const) {
      const found = await inProcess(['simulate', 'a.json', ...options], files);
      expect(found).toMatchObject({ status: 2, out: '' });
      expect(found.error).toContain(words);
    }
    const open = await inProcess(['simulate', 'a.json', '--scenario', 'open-loop', '--duty', '0.15'], files);
    expect(open.out).toMatch(/Output {11}3\.[3-7]/u);
  });
});
