import { describe, expect, test } from '@jest/globals';
import { completeDecisions } from '../stage/sizing/complete.ts';
import { designWith, TYPE_3 } from '../testing/designs.ts';
import { Meter } from './meter.ts';
import { conductanceOf, drawnBy, ready } from './setup.ts';
import { periodicState } from './steady.ts';

/*
 * The derivative of a period's map and the response of the switching circuit, held against differences of the circuit
 * itself: a state moved a little, a drive moved a little, and the run that follows from it. Nothing of the linearisation
 * is used on that side.
 */

const CRITICAL = { inductor: { inductance: 1e-6, resistance: 0.004, saturationCurrent: 40 } };
const current = { method: 'peak-current-mode', currentSenseGain: 0.05, slopeCompensation: 5e4, referenceVoltage: 0.8 };
const TYPE_2 = {
  amplifier: 'op-amp',
  type: 2,
  dividerTop: 10e3,
  dividerBottom: 3200,
  feedbackResistor: 15e3,
  feedbackCapacitor: 2.2e-9,
  shuntCapacitor: 47e-12,
};
const voltage = { method: 'voltage-mode', referenceVoltage: 0.8, rampAmplitude: 1.5 };
const compensator = { amplifier: 'op-amp', ...TYPE_3 };
const diode = { kind: 'diode', forwardVoltage: 0.4, resistance: 0.01 };
const many = { outputCurrent: { min: 2, max: 20 } };

const designs: Readonly<Record<string, [decisions: object, brief?: object]>> = {
  'voltage mode with dead times': [{ control: { ...voltage, deadTime: 30e-9 }, compensator }],
  'a diode, discontinuous': [
    { rectifier: diode, control: voltage, compensator },
    { outputCurrent: { min: 0.1, max: 0.4 } },
  ],
  'peak current, a slow duty': [{ control: current, compensator: TYPE_2 }],
  'three coupled phases in current mode': [
    {
      phases: 3,
      coupling: { coefficient: 0.4, polarity: 'inverse' },
      ...CRITICAL,
      control: current,
      compensator: TYPE_2,
    },
    many,
  ],
  'a bank with series inductance': [
    {
      control: current,
      compensator: TYPE_2,
      outputCapacitors: [
        { capacitance: 22e-6, esr: 0.003, esl: 0.5e-9, count: 4 },
        { capacitance: 220e-6, esr: 0.02, esl: 3e-9 },
      ],
    },
  ],
  'a digital controller, its equation decided': [{ control: { method: 'digital', referenceVoltage: 0.8 } }],
};

function periodOf([decisions, brief]: [object, object?]) {
  const design = designWith(decisions, brief);
  const { decisions: complete } = completeDecisions(design);
  const corner = { inputVoltage: design.brief.inputVoltage.nominal, outputCurrent: design.brief.outputCurrent.max };
  const segment = {
    at: -1,
    conductance: conductanceOf(design.brief, complete, corner.outputCurrent),
    current: drawnBy(design.brief, corner.outputCurrent),
    currentSlope: 0,
    source: corner.inputVoltage,
    sourceSlope: 0,
  };
  const steady = periodicState(ready(design, complete, corner, [segment]));
  if (!steady?.linearized) throw new Error('no period');
  return { ...steady, linearized: steady.linearized, corner };
}

describe.each(Object.entries(designs))('%s', (_, given) => {
  const { simulator, linearized, period, corner, growth } = periodOf(given);
  const { places } = simulator;
  const start = simulator.snapshot();
  const states = linearized.free.filter((at) => at < places.size);
  const after = (state: number[]): number[] => {
    simulator.restore({ ...start, state });
    simulator.run(start.time + period);
    return simulator.state.slice();
  };
  const moved = (at: number, by: number): number[] => start.state.map((value, k) => (k === at ? value + by : value));

  test('the map’s derivative is the difference of two periods begun a little apart', () => {
    const scale = states.map((at) => Math.max(1e-3, Math.abs(start.state[at]!)));
    let compared = 0;
    states.forEach((at, column) => {
      const by = 1e-6 * scale[column]!;
      const [above, below] = [after(moved(at, by)), after(moved(at, -by))];
      const change = new Array<number>(linearized.count).fill(0);
      change[at] = 1;
      linearized.carry(change);
      states.forEach((row, i) => {
        // each in the unit of what it changes
        const difference = ((above[row]! - below[row]!) / (2 * by)) * (scale[column]! / scale[i]!);
        const derivative = change[row]! * (scale[column]! / scale[i]!);
        expect(Math.abs(difference - derivative)).toBeLessThan(1e-4 * Math.max(1, Math.abs(derivative)));
        if (Math.abs(derivative) > 1e-2) compared += 1;
      });
    });
    expect(compared).toBeGreaterThan(3);
  });

  test('a slow sine on source or feedback does what standing a little higher does', () => {
    const drives = [places.source, places.injected];
    // far below everything the stage has: the response is the difference of two steady states
    const told = linearized.responses(drives, 1e-3, period, start.time);
    const averages = (drive: number, by: number): { output: number; input: number } => {
      simulator.restore({ ...start, state: moved(drive, by) });
      simulator.moves = false;
      simulator.run(start.time + Math.ceil(25 / (1 - growth!)) * period);
      const from = simulator.time;
      const meter = new Meter(1, { waveforms: false, controls: false });
      simulator.run(from + 20 * period, meter);
      return { output: meter.output.measured.average, input: meter.input.measured.average };
    };
    drives.forEach((drive, k) => {
      const by = 1e-3 * (drive === places.source ? corner.inputVoltage : 3.3);
      const [above, below] = [averages(drive, by), averages(drive, -by)];
      for (const asked of ['output', 'input'] as const) {
        const difference = (above[asked] - below[asked]) / (2 * by);
        expect(Math.abs(difference - told[k]![asked][0])).toBeLessThan(1e-4 * Math.max(1, Math.abs(difference)));
      }
    });
    // what the loop holds: the output as the feedback has it, and the power that the source gives
    expect(told[1]!.output[0]).toBeCloseTo(-1, 2);
    expect(told[0]!.output[0]).toBeCloseTo(0, 3);
    expect(told[0]!.input[0]).toBeLessThan(0);
  });

  test('the growth is that of a disturbance left to itself', () => {
    expect(growth!).toBeLessThan(1);
    simulator.restore({
      ...start,
      state: start.state.map((value, at) => (states.includes(at) ? 1.001 * value : value)),
    });
    const size = (periods: number): number => {
      simulator.run(simulator.time + periods * period);
      return Math.hypot(...states.map((at) => simulator.state[at]! - start.state[at]!));
    };
    const [early, late] = [size(30), size(60)];
    // what shrinks slowest is left after thirty periods, unless rounding is
    if (late > 1e-8) expect(Math.abs((late / early) ** (1 / 60) / growth! - 1)).toBeLessThan(0.05);
    else expect(growth!).toBeLessThan(0.85);
  });
});
