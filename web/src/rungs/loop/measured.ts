import { figureTable } from '../../app/figures.ts';

/** A measured loop gain: Hz rising, dB, degrees without jumps. */
export interface MeasuredCurve {
  name: string;
  frequency: number[];
  gain: number[];
  phase: number[];
  /** what was understood or left out, in words */
  remarks: string[];
}

const MOST_ROWS = 20_000;
const MULTIPLES: Readonly<Record<string, number>> = { '': 1, k: 1e3, m: 1e6 };

/** Which column says what, by its head. */
function columnOf(heads: readonly string[], pattern: RegExp): number {
  return heads.findIndex((head) => pattern.test(head));
}

/**
 * A loop gain from a table of text as analysers write it: frequency, gain in dB or as a ratio, phase in degrees or radians.
 * Comments and lines above the heads are passed over; semicolons and decimal commas are understood; a wrapped phase is
 * unwrapped.
 */
export function readMeasured(text: string, name: string): { measured?: MeasuredCurve; message?: string } {
  const wrong = (message: string): { message: string } => ({ message: `${name}: ${message}` });
  const table = figureTable(text);
  if (!table) return wrong('no row with two figures or more, expected columns of frequency, gain and phase');
  const { heads, rows, columns, numberOf } = table;
  if (columns < 3) return wrong(`${columns} columns, expected three: frequency, gain and phase`);
  const names = heads.findLast((head) => head.some((field) => /fre[qk]/iu.test(field))) ?? [];
  const remarks: string[] = [];
  const at = {
    frequency: Math.max(0, columnOf(names, /fre[qk]|^f\b/iu)),
    gain: columnOf(names, /gain|mag|ampl|verst|db|\|/iu),
    phase: columnOf(names, /phase|angle|deg|rad|°/iu),
  };
  if (at.gain < 0 || at.phase < 0) {
    if (names.length > 0)
      return wrong(
        `no column of ${at.gain < 0 ? 'gain' : 'phase'} among ${names.map((head) => `"${head}"`).join(', ')}, expected one named so`,
      );
    [at.frequency, at.gain, at.phase] = [0, 1, 2];
    remarks.push('The columns are not named: frequency, gain and phase are taken, in this order.');
  }
  if (rows.length > MOST_ROWS)
    return wrong(
      `${rows.length} rows, expected at most ${MOST_ROWS}: thin the sweep out, nothing of it is left away here`,
    );
  const unit = /\(?\b([km]?)hz\b/iu.exec(names[at.frequency] ?? '')?.[1]?.toLowerCase() ?? '';
  const found = rows
    .map((row) => [numberOf(row[at.frequency]), numberOf(row[at.gain]), numberOf(row[at.phase])] as const)
    .filter((row) => row.every(Number.isFinite) && row[0] > 0)
    .sort((a, b) => a[0] - b[0])
    .filter((row, k, all) => k === 0 || row[0] > all[k - 1]![0]);
  if (found.length < 2) return wrong('fewer than two rows with a frequency above 0, a gain and a phase');
  const gains = found.map((row) => row[1]);
  const saysDecibels = /db/iu.test(names[at.gain] ?? '');
  const ratio = !saysDecibels && (/ratio|v\/v|abs|lin/iu.test(names[at.gain] ?? '') || gains.every((gain) => gain > 0));
  if (ratio && gains.some((gain) => gain <= 0)) return wrong('a gain of zero or below as a ratio, expected above 0');
  if (!saysDecibels) remarks.push(`The gain’s unit is not said: ${ratio ? 'a ratio' : 'dB'} is taken.`);
  const turns = found.map((row) => row[2]);
  const head = names[at.phase] ?? '';
  const radians =
    /rad/iu.test(head) || (!/deg|°/iu.test(head) && turns.every((angle) => Math.abs(angle) <= Math.PI + 1e-6));
  if (radians && !/rad/iu.test(head))
    remarks.push('The phase stays within ±π and its unit is not said: radians are taken.');
  let before = 0;
  let wrapped = false;
  const phase = turns.map((angle, k) => {
    let degrees = radians ? (angle * 180) / Math.PI : angle;
    // a loop gain begins near −90°: what an analyser calls its phase margin stands 180° above
    if (k > 0) {
      const turn = 360 * Math.round((before - degrees) / 360);
      if (turn !== 0) wrapped = true;
      degrees += turn;
    }
    before = degrees;
    return degrees;
  });
  if (wrapped) remarks.push('The phase was wrapped, and is unwrapped.');
  return {
    measured: {
      name,
      frequency: found.map((row) => row[0] * MULTIPLES[unit]!),
      gain: ratio ? gains.map((gain) => 20 * Math.log10(gain)) : gains,
      phase,
      remarks,
    },
  };
}
