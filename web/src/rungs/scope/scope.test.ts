import { describe, expect, test } from '@jest/globals';
import { readDesign, type Design } from '@yundro/core';
import { drive } from '../../workers/long.ts';
import { scopeLongAnswers, type ScopeAnswer, type ScopeAsk } from './answers.ts';
import { readCapture } from './capture.ts';
import { riseOf, rippleThrough, stepEdge } from './measures.ts';

function designOf(brief: object = {}): Design {
  const read = readDesign({
    format: 'yundro-design',
    version: 1,
    name: 'A rail',
    brief: {
      inputVoltage: { min: 18, nominal: 24, max: 32 },
      outputVoltage: 3.3,
      outputCurrent: { min: 0.3, max: 6 },
      loadStep: { from: 1.5, to: 4.5, slewRate: 1e6, deviation: 0.1 },
      ...brief,
    },
    decisions: {},
  });
  if (!read.ok) throw new Error(JSON.stringify(read.faults));
  return read.design;
}

describe('captures', () => {
  test('semicolons, decimal commas, units and a preamble are understood; what is left out is said', () => {
    const text = [
      'Instrument;bench 3',
      'Record length;5',
      'Time [µs];CH1 [mV];CH2 [A]',
      '-1,0;3300,5;1,5',
      '0,0;3300,5;1,5',
      ';;',
      '0,0;3300,5;1,5',
      '1,0;3210,25;4,5',
    ].join('\r\n');
    const { capture } = readCapture(text, 'step.csv');
    expect([...capture!.time]).toEqual([-1e-6, 0, 1e-6].map((time) => expect.closeTo(time, 12)));
    expect(capture!.channels.map(({ name, unit }) => [name, unit])).toEqual([
      ['CH1 [mV]', 'V'],
      ['CH2 [A]', 'A'],
    ]);
    expect(capture!.channels[0]!.values[2]).toBeCloseTo(3.21025, 9);
    expect(capture!.edge).toBeCloseTo(1e-6, 12);
    expect(capture!.remarks.join(' ')).toMatch(/figures in every column were left out: 1.*not rise were left out: 1/u);
  });

  test('units in a line of their own, commas between columns, gaps', () => {
    const rows = Array.from({ length: 60 }, (_, k) => `${k < 30 ? k : k + 4000},${k < 40 ? 1 : 2}`);
    const { capture } = readCapture(['time,volts', 'us,V', ...rows].join('\n'), 'gap.csv');
    expect(capture!.time[1]).toBeCloseTo(1e-6, 12);
    expect(capture!.channels[0]).toMatchObject({ name: 'volts', unit: 'V' });
    expect(capture!.remarks.join(' ')).toMatch(/gap of \d+ times/u);
  });

  test('what is no capture is said in words', () => {
    expect(readCapture('hello', 'a.csv').message).toMatch(/a.csv: no row with two figures/u);
    expect(readCapture('volts,amps\n1,2\n3,4', 'b.csv').message).toMatch(/no column of times among "volts", "amps"/u);
    expect(readCapture('time,V\n1,2\n1,3', 'c.csv').message).toMatch(/fewer than two rows/u);
    expect(readCapture('', 'd.csv').message).toMatch(/d.csv/u);
  });
});

describe('what the bench reads', () => {
  test('a square wave behind one pole has the closed form’s swing', () => {
    // tanh(T/4τ) of the whole, once it repeats
    const [half, tau] = [10e-9, 1 / (2 * Math.PI * 20e6)];
    const time: number[] = [];
    const volts: number[] = [];
    for (let k = 0; k < 400; k += 1) {
      const level = k % 2 === 0 ? 0.5 : -0.5;
      time.push(k * half, (k + 1) * half);
      volts.push(level, level);
    }
    // the first halves are still on their way: from the middle on it repeats
    const late = rippleThrough(time, volts) - 0.5 + 0.5 * Math.tanh(half / 2 / tau);
    expect(late).toBeCloseTo(Math.tanh(half / 2 / tau), 2);
    expect(rippleThrough([0, 1, 2], [0, 1, 0])).toBeCloseTo(1, 6);
  });

  test('rise from 10 to 90 %, and where a step begins', () => {
    const time = Array.from({ length: 101 }, (_, k) => k);
    expect(riseOf(time, time)!.time).toBeCloseTo(80, 9);
    expect(
      riseOf(
        time,
        time.map(() => 3),
      ),
    ).toBeUndefined();
    expect(
      stepEdge(
        time,
        time.map((t) => (t < 40 ? 1 : 0)),
      ),
    ).toBe(40);
    expect(
      stepEdge(
        time,
        time.map(() => 1),
      ),
    ).toBeUndefined();
  });
});

const scopeOf = (design: Design, ask: ScopeAsk): ScopeAnswer =>
  drive(scopeLongAnswers.scope(design, undefined, ask), () => undefined);

describe('the Scope’s answer', () => {
  test('one run an input, with figures and traces; what is there so far is told on the way', () => {
    const parts: number[] = [];
    const seen: ScopeAnswer[] = [];
    const answer = drive(
      scopeLongAnswers.scope(designOf(), undefined, { scenario: 'load-step', inputs: [18, 32], duration: 3e-3 }),
      ({ part, soFar }) => {
        parts.push(part);
        seen.push(soFar);
      },
    );
    expect(answer.runs.map(({ inputVoltage }) => inputVoltage)).toEqual([18, 32]);
    expect(parts).toEqual([...parts].sort((a, b) => a - b));
    expect(seen[0]!.runs[0]!.traces.time.length).toBeGreaterThan(100);
    const [run] = answer.runs;
    expect(run!.measurements.undershoot).toBeGreaterThan(0.01);
    expect(Math.min(...run!.traces.outputVoltage)).toBeCloseTo(run!.measurements.outputVoltage.min, 4);
  });

  test('a scenario that cannot be is said, and dangerous ones are cautioned', () => {
    const none = scopeOf(designOf(), { scenario: 'open-loop', inputs: [24] });
    expect(none.runs).toEqual([]);
    expect(none.trouble).toMatchObject({ path: 'duty' });
    const high = designOf({ inputVoltage: { min: 20, nominal: 24, max: 28 }, outputVoltage: 48, source: 'battery' });
    const lost = scopeOf(high, {
      scenario: 'feedback-lost',
      inputs: [24],
      // lightly loaded: at full load the current limit holds it down
      outputCurrent: 0.2,
      duration: 20e-3,
    });
    expect(lost.cautions.join(' ')).toMatch(/Above 60 V/u);
    const shorted = scopeOf(high, { scenario: 'switch-shorted', inputs: [24] });
    expect(shorted.cautions.join(' ')).toMatch(/fuse close to its terminals/u);
  });

  test('a step of the load opens on its event, with what stood before it and what is allowed', () => {
    const answer = drive(
      scopeLongAnswers.scope(designOf(), undefined, { scenario: 'load-step', inputs: [24] }),
      () => undefined,
    );
    const { time, outputVoltage, inductorCurrent } = answer.runs[0]!.traces;
    const { from, to } = answer.event!;
    expect(-from / (to - from)).toBeCloseTo(0.2, 3);
    expect([time[0]! <= from, to < answer.runs[0]!.duration]).toEqual([true, true]);
    // the steady state goes over into the run without a jump
    const zero = time.indexOf(0);
    expect(time.every((at, k) => k === 0 || at >= time[k - 1]! - 1e-15)).toBe(true);
    // but for the step that its series inductance makes of the edge there
    expect(Math.abs(outputVoltage[zero]! - outputVoltage[zero + 1]!)).toBeLessThan(1e-3);
    expect(inductorCurrent[0]![zero]).toBeCloseTo(inductorCurrent[0]![zero + 1]!, 6);
    const before = outputVoltage.slice(0, zero);
    expect(Math.max(...before) - Math.min(...before)).toBeLessThan(0.033);
    expect(answer.allowed!.high - answer.allowed!.low).toBeCloseTo(0.2, 9);
    expect(answer.assumed.join(' ')).toMatch(/no compensator/u);
    expect(answer.warnings).toEqual([]);
    // what is no step has no event
    const start = drive(
      scopeLongAnswers.scope(designOf(), undefined, { scenario: 'open-loop', inputs: [24], duty: 0.14 }),
      () => undefined,
    );
    expect(start.event).toBeUndefined();
  });
});
