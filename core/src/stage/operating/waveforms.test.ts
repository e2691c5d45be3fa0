import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { anyStage } from '../../testing/designs.ts';
import { runs } from '../../testing/runs.ts';
import { topologyModel } from '../../topology/index.ts';
import { completeDecisions } from '../sizing/complete.ts';
import { bankRippleAt } from './cornerState.ts';
import { solveCorner } from './operatingPoint.ts';
import { viewCorner } from './waveforms.ts';

/** A random stage at a corner, as it is viewed. */
function viewed(design: Parameters<typeof viewCorner>[0], part: number) {
  const { decisions } = completeDecisions(design);
  const { inputVoltage, outputCurrent } = design.brief;
  const corner = { inputVoltage: inputVoltage.nominal, outputCurrent: part * outputCurrent.max };
  return { decisions, corner, model: topologyModel(decisions.topology), ...viewCorner(design, decisions, corner) };
}

const loads = fc.constantFrom(0.1, 0.5, 1);

describe('the waveforms of any stage', () => {
  test('repeat after a period, and every phase does what the first does, later', () => {
    fc.assert(
      fc.property(anyStage, loads, (design, part) => {
        const { decisions, point, waveforms: waves } = viewed(design, part);
        if (!waves || !point) return;
        const { phases } = decisions;
        const { time, inductorCurrent, inductorSum, outputRipple, switchNode, inputCapacitorCurrent } = waves;
        const count = time.length;
        const whole = count / 2;
        const block = whole / phases;
        expect(Number.isInteger(block)).toBe(true);
        expect(time[count - 1]! / waves.period).toBeCloseTo(2, 9);
        const faults = new Set<string>();
        const hold = (holds: boolean, what: string): void => void (holds || faults.add(what));
        for (let k = 1; k < count; k += 1) hold(time[k]! >= time[k - 1]! * (1 - 1e-12), 'time goes on');
        for (let k = 0; k < whole; k += 1) {
          hold(Math.abs(time[whole + k]! - waves.period - time[k]!) < 1e-12 * waves.period, 'a period later');
          for (const trace of [switchNode, outputRipple, inputCapacitorCurrent, ...inductorCurrent])
            hold(trace[whole + k] === trace[k], 'the same again');
          const sum = inductorCurrent.reduce((total, trace) => total + trace[k]!, 0);
          hold(Math.abs(sum - inductorSum[k]!) < 1e-9 * (1 + Math.abs(sum)), 'the sum of the phases');
          // what the first phase does in a part of the period, phase k does k parts later, and the banks in every part
          const [at, of] = [Math.floor(k / block), k % block];
          inductorCurrent.forEach((trace, phase) =>
            hold(trace[k] === inductorCurrent[0]![((at - phase + phases) % phases) * block + of], 'as the first phase'),
          );
          hold(outputRipple[k] === outputRipple[of], 'every part alike at the output');
        }
        expect([...faults]).toEqual([]);
        // told at places between which it may be a little higher
        const peak = Math.max(...inductorCurrent[0]!);
        const { inductorCurrent: measured } = point;
        expect(peak).toBeLessThanOrEqual(measured.peak + 1e-9 * Math.abs(measured.peak));
        expect(peak).toBeGreaterThan(measured.peak - 0.05 * measured.ripple - 1e-12);
      }),
      { numRuns: runs(25) },
    );
  });

  test('the output bank’s ripple alone is the operating point’s', () => {
    let compared = 0;
    fc.assert(
      fc.property(anyStage, loads, (design, part) => {
        const { decisions, model, corner } = viewed(design, part);
        const { point } = solveCorner(model, design.brief, decisions, corner);
        if (!point) return;
        const { ripple } = point.outputCapacitor;
        const alone = bankRippleAt(model, design.brief, decisions, corner);
        // summed without the input bank a stretch may be taken in other pieces
        expect(Math.abs(alone - ripple)).toBeLessThan(1e-6 * ripple + 1e-12 * design.brief.outputVoltage);
        compared += 1;
      }),
      { numRuns: runs(25) },
    );
    expect(compared).toBeGreaterThan(15);
  });
});
