import { describe, expect, test } from '@jest/globals';
import { spawnSync } from 'node:child_process';
import { existsSync } from 'node:fs';
import path from 'node:path';
import { loop } from '../src/loop/loop.ts';
import { solve } from '../src/solve.ts';
import { designWith, TYPE_3 } from '../src/testing/designs.ts';

// The reference is scipy.signal on equations written down anew: core/reference/loop_scipy.py. docs/sources.md, N-3.
const PYTHON = '/usr/bin/python3';
const present = existsSync(PYTHON) && spawnSync(PYTHON, ['-c', 'import scipy.signal']).status === 0;
const script = path.resolve(import.meta.dirname, 'loop_scipy.py');

const type3 = {
  amplifier: 'op-amp',
  ...TYPE_3,
};
const type2 = {
  amplifier: 'ota',
  type: 2,
  transconductance: 1e-3,
  dividerTop: 10000,
  dividerBottom: 714,
  feedbackResistor: 3000,
  feedbackCapacitor: 47e-9,
  shuntCapacitor: 1e-9,
};
const boost = { inputVoltage: { min: 5, nominal: 5, max: 5 }, outputVoltage: 12, outputCurrent: { min: 0.2, max: 2 } };
const cases: Record<string, { decisions: object; brief?: object; c: typeof type3 | typeof type2; extra?: object }> = {
  'buck, type 3': { decisions: {}, c: type3 },
  'buck, an amplifier of finite bandwidth': {
    decisions: {},
    c: type3,
    extra: { gainBandwidth: 3e6, openLoopGain: 1e4 },
  },
  'boost, transconductance amplifier': {
    decisions: { topology: 'boost', inductor: { inductance: 10e-6, resistance: 0.01, saturationCurrent: 20 } },
    brief: boost,
    c: type2,
  },
};

(present ? describe : describe.skip)('averaged loops against scipy.signal', () => {
  test.each(Object.entries(cases))('%s', (_, { decisions, brief, c, extra }) => {
    const design = designWith(
      {
        outputCapacitors: [{ capacitance: 47e-6, esr: 0.008, count: 2 }],
        control: { method: 'voltage-mode', referenceVoltage: 0.8, rampAmplitude: 1.5, deadTime: 0 },
        compensator: { ...c, ...extra },
        ...decisions,
      },
      brief,
    );
    const frequencies = [10, 1e3, 5e3, 2e4, 1e5];
    const { response } = loop(design, { frequencies });
    const result = solve(design);
    const { inductor, controlSwitch, rectifier, topology } = result.decisions;
    const corner = { inputVoltage: design.brief.inputVoltage.nominal, outputCurrent: design.brief.outputCurrent.max };
    const point = solve(design, { at: corner }).operatingPoints[0]!;
    const { stdout, stderr } = spawnSync(PYTHON, [script], {
      input: JSON.stringify({
        frequencies,
        plant: {
          topology,
          D: point.duty,
          vin: corner.inputVoltage,
          L: inductor.inductance,
          C: 94e-6,
          esr: 0.004,
          R: design.brief.outputVoltage / corner.outputCurrent,
          rl: inductor.resistance,
          rc: controlSwitch.onResistance,
          rr: rectifier.kind === 'synchronous' ? rectifier.onResistance : 0,
          ramp: 1.5,
        },
        compensator: {
          amplifier: c.amplifier,
          rt: c.dividerTop,
          rb: c.dividerBottom,
          rf: c.feedbackResistor,
          cf: c.feedbackCapacitor,
          cs: c.shuntCapacitor,
          ...('inputResistor' in c ? { ri: c.inputResistor, ci: c.inputCapacitor } : { gm: c.transconductance }),
          ...(extra ? { gbw: 3e6, a0: 1e4 } : {}),
        },
      }),
      encoding: 'utf8',
      timeout: 60_000,
    });
    expect(stderr).toBe('');
    const { re, im } = JSON.parse(stdout) as { re: number[]; im: number[] };
    frequencies.forEach((_f, k) => {
      expect(response.gain[k]!).toBeCloseTo(20 * Math.log10(Math.hypot(re[k]!, im[k]!)), 5);
      const apart = (response.phase[k]! - (Math.atan2(im[k]!, re[k]!) * 180) / Math.PI) % 360;
      expect(Math.min(Math.abs(apart), 360 - Math.abs(apart))).toBeLessThan(1e-4);
    });
  });
});
