import { expect, test } from '@jest/globals';
import { solve } from '../src/solve.ts';
import { waveformsAt } from '../src/stage/operating/waveforms.ts';
import { designWith } from '../src/testing/designs.ts';
import { asked, present } from './python.ts';

// The reference is a phasor computation with SciPy's FFT: core/reference/bank_split.py. docs/sources.md, N-1.

const curve = [
  [1e3, 0.06],
  [1e5, 0.02],
  [5e6, 0.012],
];
const outputCapacitors = [
  { capacitance: 220e-6, esr: 0.018, esl: 3e-9, count: 2, esrCurve: curve },
  { capacitance: 22e-6, esr: 0.004, esl: 0.6e-9, count: 3 },
  { capacitance: 4.7e-6, esr: 0.006, esl: 0.5e-9, count: 1 },
];
const inputCapacitors = [
  { capacitance: 100e-6, esr: 0.05, count: 1, esrCurve: curve },
  { capacitance: 10e-6, esr: 0.004, count: 3 },
];
const stages = {
  buck: designWith({ outputCapacitors, inputCapacitors }, {}),
  'three phases': designWith(
    { phases: 3, outputCapacitors, inputCapacitors, inductor: { inductance: 4.7e-6, resistance: 0.01 } },
    {},
  ),
  boost: designWith(
    {
      topology: 'boost',
      outputCapacitors,
      inputCapacitors,
      inductor: { inductance: 22e-6, resistance: 0.02, saturationCurrent: 20 },
    },
    { inputVoltage: { min: 18, nominal: 24, max: 32 }, outputVoltage: 48 },
  ),
};

(present ? test : test.skip).each(Object.entries(stages))(
  'mixed capacitors share the ripple as phasors say, each with its own current and loss: %s',
  async (_, design) => {
    const { decisions } = solve(design);
    const corner = { inputVoltage: 24, outputCurrent: 6 };
    const waves = waveformsAt(design, decisions, corner, 1)!;
    const point = solve(design, { at: corner }).operatingPoints[0]!;
    for (const [node, banks] of [
      ['outputCapacitor', outputCapacitors],
      ['inputCapacitor', inputCapacitors],
    ] as const) {
      const sum = node === 'outputCapacitor' ? waves.outputCapacitorCurrent : waves.inputCapacitorCurrent;
      const request = {
        time: Array.from(waves.time),
        current: Array.from(sum),
        // the bank's own current is given: the load beside it is out of it already
        conductance: 0,
        banks: banks.map(({ capacitance, esr, count, ...rest }) => ({
          capacitance,
          esr,
          count,
          // the input bank's series inductance is left out
          esl: node === 'outputCapacitor' && 'esl' in rest ? rest.esl : 0,
          ...('esrCurve' in rest ? { curve: rest.esrCurve } : {}),
        })),
      };
      const { said, complaint } = await asked('bank_split.py', request);
      expect(complaint).toBe('');
      const shares = said as { rms: number; loss?: number }[];
      shares.forEach(({ rms, loss }, at) => {
        const own = point[node].each[at]!;
        expect(own.rmsCurrent / rms).toBeCloseTo(1, 3);
        if (loss !== undefined) expect(own.loss / loss).toBeCloseTo(1, 2);
      });
    }
  },
);
