import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { apart, growthOf, runFromRest, type FromRest } from './fromRest.ts';
import { asked, present } from './python.ts';

type Ran = ReturnType<typeof runFromRest>;

/** Growth of a change at the beginning beyond which no two solvers agree for long, and the part of the loops that has to be left. */
const CHAOTIC = 100;
const COMPARED = 0.8;

/**
 * Tests of random loops from rest against a reference script: every state, and the peak of each phase that it tells.
 * @param ask what the script is told of a run, and s that it may take
 */
export function compareLoops(
  title: string,
  loops: fc.Arbitrary<FromRest>,
  {
    count,
    seed,
    script,
    ask,
    also,
  }: {
    count: number;
    seed: number;
    script: string;
    ask: (ran: Ran) => object;
    also?: (ran: Ran, found: unknown) => void;
  },
): void {
  (present ? describe : describe.skip)(title, () => {
    let compared = 0;

    test.each(fc.sample(loops, { numRuns: count, seed }).map((loop, k) => [k + 1, loop] as const))(
      'loop %i',
      async (_, loop) => {
        const ran = runFromRest(loop);
        if (growthOf(loop, ran.states) > CHAOTIC) return;
        const { said, complaint } = await asked(script, ask(ran), 40);
        expect(complaint).toBe('');
        // the reference’s diode finds no end
        if (!said) return;
        compared += 1;
        const found = said as { state: number[]; peak: number | number[] };
        const peaks = [found.peak].flat();
        const scale = Math.max(loop.design.brief.outputVoltage, ...peaks);
        expect(apart(ran.states, found.state, 5e-6 * scale)).toEqual([]);
        peaks.forEach((value, k) => expect(ran.meter.currents[k]!.measured.max / value).toBeCloseTo(1, 3));
        also?.(ran, found);
      },
      60_000,
    );

    test('nearly all of them were compared', () => {
      expect(compared).toBeGreaterThanOrEqual(COMPARED * count);
    });
  });
}
