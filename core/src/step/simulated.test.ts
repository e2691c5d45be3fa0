import { describe, expect, test } from '@jest/globals';
import type { Design } from '../design/index.ts';
import { simulate } from '../simulation/simulate.ts';
import { solve } from '../solve.ts';
import { bareDesign } from '../testing/designs.ts';
import { predictExcursion } from './excursion.ts';

/*
 * Load steps of bare briefs, by what holds them back: the estimate that the bank is sized by against the simulator.
 */

const stepping = (
  [min, nominal, max]: readonly [number, number, number],
  outputVoltage: number,
  full: number,
  [from, to, deviation]: readonly [number, number, number],
  control: object = {},
  least = full / 20,
): Design =>
  bareDesign(
    {
      inputVoltage: { min, nominal, max },
      outputVoltage,
      outputCurrent: { min: least, max: full },
      load: 'constant-current',
      loadStep: { from, to, slewRate: full * 1e6, deviation },
    },
    { control },
  );

/** V, simulated and estimated, at an input: the worse of the step and its release. */
function excursions(design: Design, inputVoltage: number): { way: string; simulated: number; estimated: number }[] {
  const { decisions, operatingPoints } = solve(design);
  const most = design.brief.outputCurrent.max;
  const point = operatingPoints.find((at) => at.inputVoltage === inputVoltage && at.outputCurrent === most)!;
  const { measurements: m } = simulate(design, {
    scenario: 'load-step',
    at: { inputVoltage },
    release: true,
    waveforms: false,
  });
  return [
    {
      way: 'down',
      simulated: Math.max(m.undershoot!, m.release!.undershoot),
      estimated: predictExcursion('down', design, decisions, point),
    },
    {
      way: 'up',
      simulated: Math.max(m.overshoot!, m.release!.overshoot),
      estimated: predictExcursion('up', design, decisions, point),
    },
  ];
}

describe('a bare brief’s load step holds in simulation, and the estimate says no less', () => {
  test.each<[string, Design]>([
    [
      'two phases at a low ratio, whose shortest pulses hold the current up',
      stepping([50.5, 53, 55.7], 2, 44, [2.2, 42, 0.058]),
    ],
    ['three phases into a volt', stepping([45, 48, 54.4], 1.6, 60, [3, 57, 0.05])],
    ['hardly any volts left to slew up with', stepping([6.57, 6.9, 7.25], 5.9, 9.9, [4.5, 9.4, 0.15])],
    ['out of a current that stops, a diode', stepping([17.1, 18, 18.9], 9.9, 0.42, [0.021, 0.4, 0.34])],
    ['out of a current that stops, more of it', stepping([6.91, 7.6, 8.36], 5.5, 10, [0.5, 9.5, 0.14], {}, 0.1)],
    ['the same of a boost in current mode', stepping([4.82, 5.3, 5.83], 30, 0.089, [0.0044, 0.085, 0.5], {}, 0.00089)],
    [
      'voltage mode out of a current that stops',
      stepping([10, 16, 25.6], 4, 4.6, [0.23, 4.4, 0.17], { method: 'voltage-mode-feedforward' }, 0.046),
    ],
    [
      'a skipping stage let go of in continuous conduction',
      stepping([43.1, 56, 72.8], 6.3, 13, [9.1, 12, 0.13], { method: 'voltage-mode' }, 0.13),
    ],
    [
      'a digital one at its duty’s end',
      stepping([8.46, 11, 14.3], 2.7, 4.5, [0.22, 4.3, 0.072], { method: 'digital' }),
    ],
    ['two digital phases at it', stepping([11.4, 12, 12.6], 1.8, 40, [2, 38, 0.06], { method: 'digital' })],
  ])('%s', (_, design) => {
    const { inputVoltage, loadStep } = design.brief;
    for (const volts of [inputVoltage.min, inputVoltage.max])
      for (const { way, simulated, estimated } of excursions(design, volts)) {
        expect({ volts, way, simulated: simulated <= loadStep!.deviation! }).toEqual({ volts, way, simulated: true });
        // a fifth of the deviation is what sizing keeps
        expect(estimated).toBeGreaterThan(simulated / 1.2);
        expect(estimated).toBeLessThan(loadStep!.deviation!);
      }
  });
});

describe('a load that takes its time moves the output less, and estimate and bank follow', () => {
  const ramped = (slewRate: number, decisions: object = {}): Design =>
    bareDesign(
      {
        inputVoltage: { min: 10.8, nominal: 12, max: 13.2 },
        outputVoltage: 3.3,
        outputCurrent: { min: 0.5, max: 10 },
        load: 'constant-current',
        loadStep: { from: 2, to: 8, slewRate, deviation: 0.1 },
      },
      decisions,
    );
  const bank = [{ capacitance: 47e-6, esr: 3e-3, esl: 0, count: 6 }];

  test.each([1e8, 1e6, 3e5, 1e5, 3e4])(
    '%s A/s: the estimate lies within 0.7 to 1.4 times the simulated step',
    (slew) => {
      const found = excursions(ramped(slew, { outputCapacitors: bank }), 12);
      const [estimated, simulated] = [
        Math.max(...found.map((one) => one.estimated)),
        Math.max(...found.map((one) => one.simulated)),
      ];
      expect(estimated / simulated).toBeGreaterThan(0.7);
      expect(estimated / simulated).toBeLessThan(1.4);
    },
  );

  test('a bank is sized for the load’s own pace', () => {
    const capacitance = (slew: number): number =>
      solve(ramped(slew)).decisions.outputCapacitors.reduce((sum, one) => sum + one.capacitance * one.count, 0);
    expect(capacitance(3e4)).toBeLessThan(0.7 * capacitance(1e8));
  });
});
