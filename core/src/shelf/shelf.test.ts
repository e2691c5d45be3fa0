import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { demoParts } from './demo/index.ts';
import { PART_KINDS, type Mosfet, type Part } from './part.ts';
import { demoShelf, offered, readPart, readShelfText, writeShelfText } from './shelf.ts';
import { MOST_POINTS, readCurve, writeCurve } from './curve.ts';
import { columnsOf, guarded, readTable, writeTable } from './table.ts';
import { capacitorFrom, fitCapacitor, impedanceOf, readTouchstone, writeTouchstone } from './touchstone.ts';
import { parseWhere } from './where.ts';

const parts = demoParts();

describe('the demo shelf', () => {
  test('is the same each time, of parts in order, each with an id of its own, all marked as invented', () => {
    expect(demoParts()).toEqual(parts);
    expect(demoParts(1)).not.toEqual(parts);
    expect(parts.flatMap((part) => (readPart(part).ok ? [] : [part.id]))).toEqual([]);
    expect(new Set(parts.map(({ id }) => id)).size).toBe(parts.length);
    expect(parts.every(({ invented }) => invented === true)).toBe(true);
    expect(PART_KINDS.filter((kind) => offered(parts, kind).length === 0)).toEqual([]);
  });

  test('a family’s dies trade resistance against charge: their product stays, whatever the area', () => {
    const families = new Map<string, Mosfet[]>();
    for (const part of offered(parts, 'mosfet')) {
      const key = `${part.family ?? ''} ${part.voltageRating ?? 0}`;
      families.set(key, [...(families.get(key) ?? []), part]);
    }
    for (const family of families.values()) {
      // what the package adds is no die
      const products = family.map(
        ({ onResistance = 0, gateCharge = 0, height = 0 }) =>
          (onResistance - (height > 4e-3 ? 1e-3 : height > 1e-3 ? 0.25e-3 : height > 0.8e-3 ? 0.4e-3 : 0.9e-3)) *
          gateCharge,
      );
      expect(Math.max(...products) / Math.min(...products)).toBeLessThan(1.6);
      const costs = family.map(({ cost = 0 }) => cost);
      expect(costs[0]).toBeGreaterThan(costs[costs.length - 1]!);
    }
  });

  test('inductors of one body share out its energy and its copper; ceramics lose what class II loses', () => {
    const bodies = new Map<string, { energy: number; time: number }[]>();
    for (const { package: body = '', family = '', inductance = 0, saturationCurrent = 0, resistance = 0 } of offered(
      parts,
      'inductor',
    )) {
      const at = { energy: (inductance * saturationCurrent ** 2) / 2, time: inductance / (resistance - 0.15e-3) };
      bodies.set(body + family, [...(bodies.get(body + family) ?? []), at]);
    }
    for (const body of bodies.values())
      for (const key of ['energy', 'time'] as const) {
        const values = body.map((at) => at[key]);
        expect(Math.max(...values) / Math.min(...values)).toBeLessThan(1.6);
      }
    for (const { technology, voltageRating = 0, biasCurve } of offered(parts, 'capacitor')) {
      if (technology !== 'ceramic') continue;
      const half = biasCurve!.find(([place]) => Math.abs(place / voltageRating - 0.5) < 0.02)![1];
      expect(half).toBeGreaterThan(0.3);
      expect(half).toBeLessThan(0.85);
    }
  });
});

const fault = (part: object): string => {
  const read = readPart(part);
  return read.ok ? '' : `${read.faults[0]!.path}: expected ${read.faults[0]!.expected}`;
};

test.each<[object, string]>([
  [
    { kind: 'mosfet', id: 'a', name: 'a', voltageRating: 40, onResistance: 0.01, gateCharge: -1 },
    'gateCharge: expected zero or a positive number',
  ],
  [
    { kind: 'mosfet', id: 'a', name: 'a', voltageRating: 40, onResistance: 0.01, thermalResistance: 0 },
    'thermalResistance: expected a number above 0',
  ],
  [
    {
      kind: 'mosfet',
      id: 'a',
      name: 'a',
      voltageRating: 40,
      onResistance: 0.01,
      gateCharge: 1e-8,
      gateDrainCharge: 2e-8,
    },
    'gateDrainCharge: expected with the charge from threshold to plateau, at most the gate charge',
  ],
  [
    {
      kind: 'mosfet',
      id: 'a',
      name: 'a',
      voltageRating: 40,
      onResistance: 0.01,
      outputChargeCurve: [
        [0, 2e-9],
        [10, 1e-9],
      ],
    },
    'outputChargeCurve: expected values that never fall',
  ],
  [
    {
      kind: 'capacitor',
      id: 'a',
      name: 'a',
      capacitance: 1e-6,
      voltageRating: 10,
      biasCurve: [
        [0, 1],
        [0, 0.9],
      ],
    },
    'biasCurve: expected places that rise',
  ],
  [
    { kind: 'inductor', id: 'a', name: 'a', inductance: 1e-6, resistance: 0.01 },
    'saturationCurrent: expected a value: nothing is known of such a part without it',
  ],
  [
    { kind: 'inductor', id: 'A B', name: 'a', inductance: 1e-6, resistance: 0.01, saturationCurrent: 3 },
    'id: expected lower-case letters, figures, dots and dashes',
  ],
  [
    { kind: 'valve', id: 'a' },
    'kind: expected one of mosfet, diode, inductor, capacitor, core, wire, controller, converter, driver',
  ],
])('a part that contradicts itself is named by its key: %j', (part, expected) => {
  expect(fault(part)).toBe(expected);
});

test('a shelf’s text comes back as it was; an id that stands twice, a bad part and no JSON are named by place', () => {
  const shelf = demoShelf();
  const back = readShelfText(writeShelfText(shelf));
  expect(back).toEqual({ ok: true, shelf });
  const first = shelf.parts[0]!;
  const twice = readShelfText(writeShelfText({ ...shelf, parts: [first, { ...first, cost: -1 }, first] }));
  expect(twice).toMatchObject({
    ok: false,
    faults: [{ path: 'parts.1.cost' }, { path: 'parts.2.id', message: expect.stringContaining('part 0') }],
  });
  expect(readShelfText('{')).toMatchObject({ ok: false, faults: [{ message: expect.stringContaining('line 1') }] });
});

describe('tables', () => {
  test.each(PART_KINDS)('%s: written and read back, nothing is lost', (kind) => {
    const own = parts.filter((part) => part.kind === kind);
    const table = writeTable(kind, own);
    const read = readTable(
      kind,
      table.map((row) => row.map(guarded)),
    );
    expect('rows' in read && read.rows.map(({ part }) => part)).toEqual(own);
  });

  test('values of any size come back exactly, and text that a spreadsheet would run is not run and not lost', () => {
    fc.assert(
      fc.property(
        fc.double({ min: 1e-15, max: 1e6, noNaN: true }),
        fc.string({ minLength: 1, maxLength: 40 }),
        (value, word) => {
          const note = word.trim();
          fc.pre(note !== '' && !/[\0\p{Surrogate}]/u.test(note));
          const part: Part = { kind: 'wire', id: 'w', name: 'w', note, diameter: value };
          const table = writeTable('wire', [part]).map((row) => row.map(guarded));
          expect(table[1]!.some((cell) => /^[=+\-@]/u.test(cell) && !/^[+-]?[\d.]/u.test(cell))).toBe(false);
          const read = readTable('wire', table);
          expect('rows' in read && read.rows[0]!.part).toEqual(part);
        },
      ),
    );
  });

  test('columns are found by key or words with their unit behind; bad cells are named by row and column', () => {
    const read = readTable('mosfet', [
      ['ID', 'name', 'Rated voltage, drain to source', 'on resistance (mΩ)', 'gateCharge', 'colour'],
      ['a', 'first', '40', '8', '12e-9', 'green'],
      ['b', 'second', '4O', '8 mΩ', 'much', ''],
      ['a', 'third', '40 V', '8m', '', ''],
      ['', '', '', '', '', ''],
    ]);
    if (!('rows' in read)) throw new Error('not read');
    expect(read.keys).toEqual(['id', 'name', 'voltageRating', 'onResistance', 'gateCharge', undefined]);
    expect(read.rows.map(({ part }) => part && 'onResistance' in part && part.onResistance)).toEqual([
      0.008,
      undefined,
      undefined,
    ]);
    expect(read.rows[1]!.faults.map(({ path, column }) => [path, column])).toEqual([
      ['voltageRating', 2],
      ['gateCharge', 4],
    ]);
    expect(read.rows[2]!.faults[0]).toMatchObject({ path: 'id', message: expect.stringContaining('row 1') });
    expect(readTable('mosfet', [['name'], ['a']])).toMatchObject({ fault: { path: 'id' } });
    expect(
      readTable('mosfet', [
        ['id', 'note'],
        ['a', 'x'.repeat(1_000_000)],
      ]),
    ).toMatchObject({ rows: [{ part: undefined }] });
  });
});

describe('curves of two columns', () => {
  const meta = columnsOf('capacitor').find(({ key }) => key === 'esrCurve')!.meta!;
  const inductance = columnsOf('inductor').find(({ key }) => key === 'inductanceCurve')!.meta!;

  test('are read with or without a head, by its units, with prefixes and decimal commas, in order of place', () => {
    const read = (table: string[][], of = meta) => {
      const found = readCurve(of, table);
      if (!found.ok) throw new Error(found.message);
      return found.points;
    };
    expect(read([['f (kHz)', 'ESR (typ) (mΩ)'], ['200', '4,5'], ['100', '6'], ['']])).toEqual([
      [100e3, 6e-3],
      [200e3, 4.5e-3],
    ]);
    expect(
      read(
        [
          ['0', '4u7'],
          ['3.5', '4,1 µH'],
        ],
        inductance,
      ),
    ).toEqual([
      [0, 4.7e-6],
      [3.5, 4.1e-6],
    ]);
    // of a long measurement both ends and every so many between
    const long = read(Array.from({ length: 5000 }, (_, k) => [String(1e3 + k), '1']));
    expect(long).toHaveLength(MOST_POINTS);
    expect([long[0]![0], long.at(-1)![0]]).toEqual([1000, 5999]);
  });

  test('what cannot be read is named by row and column', () => {
    expect(
      readCurve(meta, [
        ['100k', '5m'],
        ['200k', 'five'],
      ]),
    ).toMatchObject({ ok: false, row: 1, column: 1 });
    expect(readCurve(meta, [['100k'], ['200k']])).toMatchObject({ ok: false, row: 0, message: 'has 1 column' });
    expect(
      readCurve(meta, [
        ['100k', '5m'],
        ['100k', '6m'],
      ]),
    ).toMatchObject({ ok: false, row: 1 });
    expect(readCurve(meta, [['f', 'ESR']])).toMatchObject({ ok: false, message: 'holds 0 points' });
  });

  test('come back exactly as they went', () => {
    for (const part of demoParts())
      for (const { key, meta: of } of columnsOf(part.kind)) {
        const points = (part as unknown as Record<string, [number, number][] | undefined>)[key];
        if (of?.kind === 'curve' && points) expect(readCurve(of, writeCurve(of, points))).toEqual({ ok: true, points });
      }
  });
});

describe('a search', () => {
  test('joins comparisons of values with prefixes, words and lists', () => {
    const count = (text: string, kind?: 'mosfet' | 'controller'): number => {
      const where = parseWhere(text, kind);
      if (!where.ok) throw new Error(where.message);
      return parts.filter((part) => (!kind || part.kind === kind) && where.matches(part)).length;
    };
    const mosfets = offered(parts, 'mosfet');
    expect(count('onResistance < 10m && voltageRating >= 60', 'mosfet')).toBe(
      mosfets.filter((part) => part.onResistance! < 0.01 && part.voltageRating! >= 60).length,
    );
    expect(count('technology == silicon || technology == "gallium-nitride"', 'mosfet')).toBe(
      mosfets.filter(({ technology }) => technology !== 'silicon-carbide').length,
    );
    expect(count('methods == constant-on-time', 'controller')).toBe(1);
    expect(count('passThrough == true', 'controller')).toBe(
      offered(parts, 'controller').filter(({ passThrough }) => passThrough).length,
    );
  });
  test.each([
    ['height', '"height" is no comparison'],
    ['colour == red', '"colour" is no value of any part'],
    ['onResistance < 5 V', 'onResistance: "V" is V, and this is in Ω'],
    ['biasCurve > 1', '"biasCurve" is a curve'],
  ])('%s is refused with the place', (text, message) => {
    expect(parseWhere(text)).toMatchObject({ ok: false, message });
  });
});

describe('impedance files', () => {
  const truth = { capacitance: 9.3e-6, esr: 3.4e-3, esl: 0.62e-9 };
  const points = Array.from({ length: 200 }, (_, i) => {
    const frequency = 10 ** (3 + (i * 5) / 199);
    const omega = 2 * Math.PI * frequency;
    return { frequency, re: truth.esr, im: omega * truth.esl - 1 / (omega * truth.capacitance) };
  });
  test('one port in Z, written and read back, gives its C, ESR and ESL', () => {
    const read = readTouchstone(writeTouchstone(points), 1);
    expect(read).toEqual({ ok: true, points });
    const fit = fitCapacitor(points)!;
    for (const key of ['capacitance', 'esr', 'esl'] as const) expect(fit[key] / truth[key]).toBeCloseTo(1, 3);
  });
  test('a capacitor’s own impedance goes out as a file and comes back with nothing lost, by its curve or by its values', () => {
    const measured = {
      kind: 'capacitor',
      id: 'own',
      name: 'own',
      ...truth,
      impedanceCurve: points.map(({ frequency, re, im }): [number, number] => [frequency, Math.hypot(re, im)]),
      esrCurve: points.map(({ frequency, re }): [number, number] => [frequency, re]),
    } as const;
    const { impedanceCurve, esrCurve, ...plain } = measured;
    // the curves are those that the page takes from a file; a long one is thinned with its ends kept
    expect(capacitorFrom(points)).toMatchObject({ impedanceCurve, esrCurve });
    const long = Array.from({ length: 1001 }, (_, i) => ({ frequency: 1e3 + i, re: truth.esr, im: -1 / (1 + i) }));
    const kept = capacitorFrom(long)!.impedanceCurve.map(([frequency]) => frequency);
    expect([kept.length, kept[0], kept.at(-1)]).toEqual([MOST_POINTS, 1e3, 2e3]);
    const back = (part: Extract<Part, { kind: 'capacitor' }>) => {
      const read = readTouchstone(writeTouchstone(impedanceOf(part)), 1);
      if (!read.ok) throw new Error(read.message);
      return read.points;
    };
    back(measured).forEach(({ frequency, re, im }, i) => {
      expect(frequency).toBe(points[i]!.frequency);
      expect(re).toBe(points[i]!.re);
      expect(im - points[i]!.im).toBeCloseTo(0, 6);
    });
    const fit = fitCapacitor(back(plain))!;
    for (const key of ['capacitance', 'esr', 'esl'] as const) expect(fit[key] / truth[key]).toBeCloseTo(1, 6);
  });
  // S21 of an impedance across or in a line of Z0 at both ends: 2Z/(2Z + Z0) and 2·Z0/(2·Z0 + Z); Pozar, recalled from memory
  test.each(['shunt-through', 'series-through'] as const)('two ports, %s', (fixture) => {
    const lines = points.map(({ frequency, re, im }) => {
      const [top, bottom] =
        fixture === 'shunt-through'
          ? [
              [2 * re, 2 * im],
              [2 * re + 50, 2 * im],
            ]
          : [
              [100, 0],
              [100 + re, im],
            ];
      const size = bottom[0]! ** 2 + bottom[1]! ** 2;
      const s = [
        (top[0]! * bottom[0]! + top[1]! * bottom[1]!) / size,
        (top[1]! * bottom[0]! - top[0]! * bottom[1]!) / size,
      ];
      return `${frequency / 1e6} 0 0 ${20 * Math.log10(Math.hypot(...(s as [number, number])))} ${(Math.atan2(s[1]!, s[0]!) * 180) / Math.PI} 0 0 0 0`;
    });
    const read = readTouchstone(['! a capacitor', '# MHz S dB R 50', ...lines].join('\n'), 2, fixture);
    if (!read.ok) throw new Error(read.message);
    const fit = fitCapacitor(read.points)!;
    for (const key of ['capacitance', 'esl'] as const) expect(fit[key] / truth[key]).toBeCloseTo(1, 2);
    expect(Math.abs(fit.esr / truth.esr - 1)).toBeLessThan(fixture === 'shunt-through' ? 0.01 : 0.2);
  });
  test.each([
    ['# GHz S MA R 50\n1 0.5 ten', 2, '"ten" is no number'],
    ['# GHz S MA R 50\n1 0.5 10 3', 4, undefined],
    ['# GHz S MA R 50\n2 0.5 10\n1 0.5 10', 3, 'the frequency does not rise'],
    [
      '# MHz S RI R 50\n1 0.5 0\n2 1 0',
      3,
      'nothing is measured of the part here: it is open or short to the last digit',
    ],
    ['[Version] 2.0', 1, 'this is a version-2 file'],
    ['# GHz H MA R 50', 1, '"h" is not known'],
  ])('what cannot be read is named by its line: %j', (text, line, message) => {
    const read = readTouchstone(text, 1);
    expect(read).toMatchObject(message === undefined ? { ok: false } : { ok: false, line, message });
  });
});

// ASTM B258 and IEC 60028 as handbooks tabulate them: mm and mΩ/m at 20 °C (recalled from memory)
test('wire on the demo shelf is that of the handbooks', () => {
  const wires = demoParts().flatMap((part) => (part.kind === 'wire' && part.strands === 1 ? [part] : []));
  for (const [millimetres, milliohms] of [
    [2.588, 3.277],
    [1.024, 20.95],
    [0.8128, 33.31],
    [0.5106, 84.22],
    [0.2546, 338.6],
  ] as const) {
    const wire = wires.find(({ diameter }) => Math.abs(diameter! * 1e3 - millimetres) < 0.004 * millimetres)!;
    expect((1e3 * wire.resistancePerLength!) / milliohms).toBeCloseTo(1, 2);
  }
});
