import { thinned } from './curve.ts';
import type { PartOf } from './part.ts';

/** Impedance read from a Touchstone file, or where and why it cannot be. */
export type TouchstoneResult =
  | { ok: true; points: { frequency: number; re: number; im: number }[] }
  | { ok: false; line: number; message: string; expected: string };

/** How a two-terminal part stood between the ports of a two-port measurement. */
export type Fixture = 'shunt-through' | 'series-through';

const FACTORS: Readonly<Record<string, number>> = { hz: 1, khz: 1e3, mhz: 1e6, ghz: 1e9 };
const MOST_LINES = 200_000;

interface Complex {
  re: number;
  im: number;
}
const times = (a: Complex, b: Complex): Complex => ({ re: a.re * b.re - a.im * b.im, im: a.re * b.im + a.im * b.re });
const over = (a: Complex, b: Complex): Complex => {
  const size = b.re ** 2 + b.im ** 2;
  return { re: (a.re * b.re + a.im * b.im) / size, im: (a.im * b.re - a.re * b.im) / size };
};

/**
 * Reads a version-1 Touchstone file of one or two ports as the impedance of one part: of one port from S11 (or Z11,
 * Y11); of two ports from S21, the part lying across the line or in it. Source of the format: Touchstone 1.1 file format;
 * Z = Z0/2·S21/(1 − S21) across, Z = 2·Z0·(1 − S21)/S21 in the line; recalled from memory.
 * @param ports 1 or 2, as the file's name says (.s1p, .s2p)
 */
export function readTouchstone(text: string, ports: 1 | 2, fixture: Fixture = 'shunt-through'): TouchstoneResult {
  const lines = text.split(/\r?\n/u);
  const fail = (line: number, message: string, expected: string): TouchstoneResult => ({
    ok: false,
    line,
    message,
    expected,
  });
  if (lines.length > MOST_LINES) return fail(MOST_LINES, 'the file is too long', `at most ${MOST_LINES} lines`);
  let [factor, parameter, format, reference] = [1e9, 's', 'ma', 50];
  const numbers: { value: number; line: number }[] = [];
  let seenOption = false;
  for (const [at, raw] of lines.entries()) {
    const line = raw.split('!')[0]!.trim();
    if (line === '') continue;
    if (line.startsWith('#')) {
      if (seenOption) continue; // only the first counts
      seenOption = true;
      const words = line.slice(1).trim().toLowerCase().split(/\s+/u);
      for (let i = 0; i < words.length; i += 1) {
        const word = words[i]!;
        if (FACTORS[word] !== undefined) factor = FACTORS[word];
        else if (['s', 'z', 'y'].includes(word)) parameter = word;
        else if (['ma', 'db', 'ri'].includes(word)) format = word;
        else if (word === 'r') {
          reference = Number(words[i + 1]);
          i += 1;
          if (!(reference > 0)) return fail(at + 1, 'no reference resistance behind R', 'a number of ohms above 0');
        } else if (word !== '')
          return fail(
            at + 1,
            `"${word}" is not known`,
            'a unit of frequency, S, Z or Y, MA, DB or RI, and R with its ohms',
          );
      }
      continue;
    }
    if (line.startsWith('[')) return fail(at + 1, 'this is a version-2 file', 'a version-1 file (.s1p or .s2p)');
    for (const word of line.split(/\s+/u)) {
      const value = Number(word);
      if (!Number.isFinite(value))
        return fail(at + 1, `"${word.slice(0, 30)}" is no number`, 'numbers alone behind the option line');
      numbers.push({ value, line: at + 1 });
    }
  }
  const width = ports === 1 ? 3 : 9;
  if (numbers.length === 0 || numbers.length % width !== 0)
    return fail(
      lines.length,
      `${numbers.length} numbers`,
      `rows of ${width}: frequency and ${ports === 1 ? 'one pair' : 'four pairs'}`,
    );
  if (ports === 2 && parameter !== 's') return fail(1, 'two ports in Z or Y', 'S parameters of two ports');
  const points = [];
  for (let i = 0; i < numbers.length; i += width) {
    const frequency = numbers[i]!.value * factor;
    if (points.length > 0 && frequency <= points[points.length - 1]!.frequency)
      return fail(numbers[i]!.line, 'the frequency does not rise', 'frequencies that rise');
    // of two ports the order is S11 S21 S12 S22
    const pair = ports === 1 ? 1 : 3;
    const [a, b] = [numbers[i + pair]!.value, numbers[i + pair + 1]!.value];
    const angle = (b * Math.PI) / 180;
    const size = format === 'db' ? 10 ** (a / 20) : a;
    const value: Complex =
      format === 'ri' ? { re: a, im: b } : { re: size * Math.cos(angle), im: size * Math.sin(angle) };
    const left = { re: 1 - value.re, im: -value.im };
    let impedance: Complex;
    if (ports === 2)
      impedance =
        fixture === 'shunt-through'
          ? times({ re: reference / 2, im: 0 }, over(value, left))
          : times({ re: 2 * reference, im: 0 }, over(left, value));
    else if (parameter === 'z') impedance = { re: value.re * reference, im: value.im * reference };
    else if (parameter === 'y') impedance = over({ re: reference, im: 0 }, value);
    else impedance = times({ re: reference, im: 0 }, over({ re: 1 + value.re, im: value.im }, left));
    if (!Number.isFinite(impedance.re) || !Number.isFinite(impedance.im))
      return fail(
        numbers[i]!.line,
        'nothing is measured of the part here: it is open or short to the last digit',
        'a row that a finite impedance follows from',
      );
    points.push({ frequency, ...impedance });
  }
  return { ok: true, points };
}

/**
 * C, ESR and ESL of a measured impedance: ω·Im Z = −1/C + ω²·L is a straight line over ω², fitted with weights that
 * count every decade alike; the ESR is the least real part about the resonance.
 * @returns undefined where the impedance is that of no capacitor
 */
export function fitCapacitor(
  points: readonly { frequency: number; re: number; im: number }[],
): { capacitance: number; esr: number; esl: number } | undefined {
  let [sw, sx, sy, sxx, sxy] = [0, 0, 0, 0, 0];
  for (const { frequency, im } of points) {
    if (!(frequency > 0)) continue;
    const omega = 2 * Math.PI * frequency;
    const [x, y] = [omega ** 2, omega * im];
    // far from resonance one of both terms is all there is: by its own size each place counts alike
    const weight = 1 / (y ** 2 + (omega * 1e-4) ** 2);
    sw += weight;
    sx += weight * x;
    sy += weight * y;
    sxx += weight * x * x;
    sxy += weight * x * y;
  }
  const determinant = sw * sxx - sx * sx;
  if (!(Math.abs(determinant) > 0)) return undefined;
  const inductance = (sw * sxy - sx * sy) / determinant;
  const elastance = -(sxx * sy - sx * sxy) / determinant;
  if (!(elastance > 0)) return undefined;
  const resonance = inductance > 0 ? Math.sqrt(elastance / inductance) / (2 * Math.PI) : Infinity;
  const nearest = [...points].sort(
    (a, b) => Math.abs(Math.log(a.frequency / resonance)) - Math.abs(Math.log(b.frequency / resonance)),
  );
  const about = (Number.isFinite(resonance) ? nearest : [...points].reverse()).slice(0, 3);
  return {
    capacitance: 1 / elastance,
    esr: Math.max(0, Math.min(...about.map(({ re }) => re))),
    esl: Math.max(0, inductance),
  };
}

/** What a measured impedance says of a capacitor: its values, and its curves in as many points as a part keeps; undefined where it is none. */
export function capacitorFrom(points: readonly { frequency: number; re: number; im: number }[]) {
  const fit = fitCapacitor(points);
  if (!fit) return undefined;
  const kept = thinned(points);
  return {
    ...fit,
    impedanceCurve: kept.map(({ frequency, re, im }): [number, number] => [frequency, Math.hypot(re, im)]),
    esrCurve: kept.filter(({ re }) => re > 0).map(({ frequency, re }): [number, number] => [frequency, re]),
  };
}

/** Frequencies, Hz, at which a capacitor without a curve is told: ten to a decade. */
const TOLD = Array.from({ length: 51 }, (_, i) => Number((10 ** (3 + i / 10)).toPrecision(4)));

/**
 * A capacitor's impedance: at the places of its curve, with the resistance told there (its ESR where none is); without a
 * curve, of C, ESR and ESL from 1 kHz to 100 MHz. A curve tells no sign: it is capacitive below its own least, inductive above.
 */
export function impedanceOf(part: PartOf<'capacitor'>): { frequency: number; re: number; im: number }[] {
  const { impedanceCurve, esrCurve, capacitance = 0, esr = 0, esl = 0 } = part;
  if (!impedanceCurve)
    return TOLD.map((frequency) => {
      const omega = 2 * Math.PI * frequency;
      return { frequency, re: esr, im: omega * esl - (capacitance > 0 ? 1 / (omega * capacitance) : 0) };
    });
  const resistances = new Map(esrCurve);
  const told = impedanceCurve.map(([frequency, size]) => {
    const re = Math.min(size, resistances.get(frequency) ?? esr);
    return { frequency, re, size: Math.sqrt(size ** 2 - re ** 2) };
  });
  const least = told.reduce((a, b) => (b.size < a.size ? b : a), told[0]!);
  return told.map(({ frequency, re, size }) => ({ frequency, re, im: frequency <= least.frequency ? -size : size }));
}

/** An impedance as a one-port Touchstone file of Z in ohms. */
export function writeTouchstone(points: readonly { frequency: number; re: number; im: number }[]): string {
  return [
    '! impedance of one part, ohms',
    '# Hz Z RI R 1',
    ...points.map(({ frequency, re, im }) => `${frequency} ${re} ${im}`),
    '',
  ].join('\n');
}
