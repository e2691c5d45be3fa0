import { describe, expect, test } from '@jest/globals';
import { readMeasured } from './measured.ts';

describe('measured loops', () => {
  test('comments, semicolons, decimal commas, kilohertz and a wrapped phase are understood', () => {
    const text = [
      '# analyser, board 3',
      'Frequenz (kHz);Verstärkung (dB);Phase (deg)',
      '1,0;20,5;-120',
      '10;3,0;-170',
      '20;-4,5;175,5',
      '40;x;10',
      '',
    ].join('\n');
    const { measured } = readMeasured(text, 'b.csv');
    expect(measured!.frequency).toEqual([1e3, 1e4, 2e4]);
    expect(measured!.gain).toEqual([20.5, 3, -4.5]);
    expect(measured!.phase).toEqual([-120, -170, -184.5]);
    expect(measured!.remarks.join(' ')).toMatch(/unwrapped/u);
  });

  test('ratios and radians are told from their heads, or from their size; columns in any order', () => {
    const named = readMeasured(
      'Phase (rad),Freq [Hz],Gain (V/V)\n-1.5707963,100,10\n-3.1415926,1000,0.5\n',
      'a',
    ).measured!;
    expect(named.gain[0]).toBeCloseTo(20, 6);
    expect(named.phase[1]).toBeCloseTo(-180, 4);
    const bare = readMeasured('100,2,-1.5\n1000,0.5,-2.5\n', 'a').measured!;
    expect(bare.gain[0]).toBeCloseTo(6.02, 2);
    expect(bare.phase[0]).toBeCloseTo(-85.9, 1);
    expect(bare.remarks).toHaveLength(3);
  });

  test('rows in any order, doubled or without figures are put right or left out', () => {
    const { measured } = readMeasured('Hz freq,gain dB,phase deg\n100,1,-90\n50,2,-80\n100,9,-10\n-5,1,1\n', 'a');
    expect(measured!.frequency).toEqual([50, 100]);
    expect(measured!.gain).toEqual([2, 1]);
  });

  test.each([
    ['', /no row with two figures/u],
    ['1,2\n3,4\n', /2 columns, expected three/u],
    ['freq,gain dB,other\n1,2,3\n4,5,6\n', /no column of phase among "freq", "gain dB", "other"/u],
    ['freq,gain dB,phase deg\n-1,2,3\n0,5,6\n', /fewer than two rows/u],
    ['freq,gain ratio,phase deg\n1,2,3\n4,-5,6\n', /zero or below as a ratio/u],
  ])('what is no measurement is said in words: %j', (text, words) => {
    const { measured, message } = readMeasured(text, 'x.csv');
    expect(measured).toBeUndefined();
    expect(message).toMatch(words);
    expect(message).toMatch(/^x\.csv: /u);
  });
});
