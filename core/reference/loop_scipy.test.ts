import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { loop } from '../src/loop/loop.ts';
import { solve } from '../src/solve.ts';
import { designWith, TYPE_3 } from '../src/testing/designs.ts';
import { runs } from '../src/testing/runs.ts';
import { OTA } from './fromRest.ts';
import { asked, present } from './python.ts';
import { stageOf, stageParts } from './randomStage.ts';

// The reference is scipy.signal on equations written down anew: core/reference/loop_scipy.py. docs/sources.md, N-3.

const AMPLIFIERS = {
  ideal: { amplifier: 'op-amp' },
  real: { amplifier: 'op-amp', gainBandwidth: 3e6, openLoopGain: 1e4 },
  ota: { amplifier: 'ota', transconductance: OTA.transconductance },
} as const;

/** Stages in continuous conduction with a network of any type around any amplifier. */
const loops = fc.record({
  ...stageParts,
  amplifier: fc.constantFrom('ideal', 'real', 'ota'),
  type: fc.constantFrom(1, 2, 3),
  feedforward: fc.boolean(),
  constant: fc.boolean(),
});

const FREQUENCIES = [10, 1e3, 5e3, 2e4, 1e5];

const cases = fc.sample(loops, { numRuns: runs(24), seed: 20261126 }).map((x) => {
  const { topology, type, amplifier, vin, load } = x;
  const stage = stageOf(x);
  const { vout, reference } = stage;
  const { inductor, controlSwitch, rectifier, outputCapacitors } = stage.decisions;
  const dividerBottom = stage.dividerBottom(TYPE_3.dividerTop);
  const { feedbackResistor, feedbackCapacitor, shuntCapacitor, inputResistor, inputCapacitor } = TYPE_3;
  const compensator = {
    ...AMPLIFIERS[amplifier],
    type,
    dividerTop: TYPE_3.dividerTop,
    dividerBottom,
    feedbackCapacitor,
    ...(type > 1 ? { feedbackResistor, shuntCapacitor } : {}),
    ...(type > 2 ? { inputResistor, inputCapacitor } : {}),
  };
  const design = designWith(
    {
      ...stage.decisions,
      control: {
        referenceVoltage: reference,
        deadTime: 0,
        ...(x.feedforward
          ? { method: 'voltage-mode-feedforward', rampGain: 1.5 / vin }
          : { method: 'voltage-mode', rampAmplitude: 1.5 }),
      },
      compensator,
    },
    { ...stage.brief, load: x.constant ? 'constant-current' : 'resistive' },
  );
  const at = { inputVoltage: vin, outputCurrent: load };
  const point = solve(design, { at }).operatingPoints[0]!;
  const request = {
    frequencies: FREQUENCIES,
    plant: {
      topology,
      D: point.duty,
      vin,
      L: inductor.inductance,
      banks: outputCapacitors.flatMap(({ count, ...bank }) =>
        Array.from({ length: count }, () => ({ C: bank.capacitance, esr: bank.esr })),
      ),
      conductance: x.constant ? 0 : load / vout,
      current: x.constant ? load : 0,
      rl: inductor.resistance,
      rc: controlSwitch.onResistance,
      rr: rectifier.resistance ?? rectifier.onResistance,
      vf: rectifier.forwardVoltage ?? 0,
      ramp: 1.5,
    },
    compensator: {
      amplifier: compensator.amplifier,
      rt: TYPE_3.dividerTop,
      rb: dividerBottom,
      cf: feedbackCapacitor,
      ...(type > 1 ? { rf: feedbackResistor, cs: shuntCapacitor } : {}),
      ...(type > 2 ? { ri: inputResistor, ci: inputCapacitor } : {}),
      ...(amplifier === 'ota' ? { gm: OTA.transconductance } : {}),
      ...(amplifier === 'real' ? { gbw: 3e6, a0: 1e4 } : {}),
    },
  };
  return { design, at, mode: point.conductionMode, request };
});

interface Answer {
  re: number[];
  im: number[];
}

(present ? describe : describe.skip)('averaged loops against scipy.signal', () => {
  let answers: Answer[] = [];

  test('the reference runs', async () => {
    const { said, complaint } = await asked(
      'loop_scipy.py',
      cases.map(({ request }) => request),
    );
    expect(complaint).toBe('');
    answers = said as Answer[];
  });

  test.each(cases.map((one, k) => [k, one.request.plant.topology, one.request.compensator.amplifier, one] as const))(
    'loop %i: %s, %s',
    (k, _topology, _amplifier, { design, at, mode }) => {
      expect(mode).toBe('CCM');
      const { response } = loop(design, { frequencies: FREQUENCIES, at });
      const { re, im } = answers[k]!;
      FREQUENCIES.forEach((_f, n) => {
        expect(response.gain[n]!).toBeCloseTo(20 * Math.log10(Math.hypot(re[n]!, im[n]!)), 4);
        const apart = (response.phase[n]! - (Math.atan2(im[n]!, re[n]!) * 180) / Math.PI) % 360;
        expect(Math.min(Math.abs(apart), 360 - Math.abs(apart))).toBeLessThan(1e-3);
      });
    },
  );
});
