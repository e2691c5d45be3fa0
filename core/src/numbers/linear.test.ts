import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import {
  balanced,
  applyInto,
  GAUSS_FEW,
  GAUSS_NODES,
  propagate,
  scaledNorm,
  solveLinear,
  transition,
  type Vector,
} from './linear.ts';
import { tracerFor } from './trace.ts';

const ones = (n: number): Vector => Array.from({ length: n }, () => 1);

/** z' = A z with the last state constant: a random stable system of three states, rates from slow to stiff. */
const systems = fc
  .record({
    entries: fc.array(fc.double({ min: -1, max: 1, noNaN: true }), { minLength: 12, maxLength: 12 }),
    rate: fc.double({ min: -2, max: 4, noNaN: true }),
    start: fc.array(fc.double({ min: -1, max: 1, noNaN: true }), { minLength: 3, maxLength: 3 }),
  })
  .map(({ entries, rate, start }) => {
    const a = [...entries, 0, 0, 0, 0];
    for (let i = 0; i < 3; i += 1) a[i * 4 + i] = -2 - Math.abs(a[i * 4 + i]!); // by rows more than the rest: it decays
    return { a: a.map((value) => value * 10 ** rate), start: [...start, 1] };
  });

describe('kernels', () => {
  test.each([
    ['eight', 15, GAUSS_NODES],
    ['four', 7, GAUSS_FEW],
  ] as const)('%s nodes integrate every power to degree %d', (_, degree, nodes) => {
    for (let k = 0; k <= degree; k += 1)
      expect(nodes.reduce((sum, { at, weight }) => sum + weight * at ** k, 0)).toBeCloseTo(1 / (k + 1), 14);
  });

  // an undamped resonance: e^(At) is a rotation, and ∫i² over a whole turn is half a turn's
  test('a resonance turns, and its second moment is known', () => {
    const omega = 3;
    const a = [0, -omega, 0, omega, 0, 0, 0, 0, 0];
    for (const t of [1e-3, 0.2, 2, 40]) {
      const phi = transition(3, a, t, omega);
      expect(phi[0]).toBeCloseTo(Math.cos(omega * t), 12);
      expect(phi[3]).toBeCloseTo(Math.sin(omega * t), 12);
      const trace = tracerFor(3);
      trace.follow({ size: 3, matrix: a, norm: omega, rings: true, resonance: 0 }, t, [1, 0, 1]);
      expect(trace.stateSquare(0) / t).toBeCloseTo(0.5 + Math.sin(2 * omega * t) / (4 * omega * t), 12);
      expect(trace.stateIntegral(0, 2) / t).toBeCloseTo(Math.sin(omega * t) / (omega * t), 12);
      // 3cos + 4sin reaches ±5 once it has turned far enough
      const reached = { min: Infinity, max: -Infinity };
      trace.reach([3, 4], reached);
      const turn = Math.atan2(4, 3);
      expect(reached.max).toBeCloseTo(omega * t > turn ? 5 : 5 * Math.cos(omega * t - turn), 12);
      expect(reached.min).toBeCloseTo(
        omega * t > Math.PI + turn ? -5 : Math.min(3, 5 * Math.cos(omega * t - turn)),
        12,
      );
    }
  });

  test('halves make the whole, and the moment is what dense sums give, from slow to stiff', () => {
    fc.assert(
      fc.property(systems, ({ a, start }) => {
        const t = 1;
        const norm = scaledNorm(4, a, ones(4));
        const { phi, psi } = propagate(4, a, t, norm);
        const half = propagate(4, a, t / 2, norm);
        const end = applyInto(4, phi, start, [0, 0, 0, 0]);
        const middle = applyInto(4, half.phi, start, [0, 0, 0, 0]);
        applyInto(4, half.phi, middle, [0, 0, 0, 0]).forEach((value, i) => expect(value).toBeCloseTo(end[i]!, 9));
        const flow = { size: 4, matrix: a, norm, rings: false, resonance: 0 };
        const trace = tracerFor(4);
        trace.carry(flow, t, start).forEach((value, i) => expect(value).toBeCloseTo(end[i]!, 9));
        trace.follow(flow, t, start);
        const { moment } = trace;
        // the first moment, twice over
        const area = applyInto(4, psi, start, [0, 0, 0, 0]);
        for (let i = 0; i < 4; i += 1) expect(moment[i * 4 + 3]).toBeCloseTo(area[i]!, 9);
        // the flow's own balance: z zᵀ at the end less at the start is A M + M Aᵀ
        for (let i = 0; i < 3; i += 1) {
          for (let k = 0; k < 3; k += 1) {
            let flow = 0;
            for (let m = 0; m < 4; m += 1)
              flow += a[i * 4 + m]! * moment[m * 4 + k]! + moment[i * 4 + m]! * a[k * 4 + m]!;
            expect(flow).toBeCloseTo(end[i]! * end[k]! - start[i]! * start[k]!, 8);
          }
        }
      }),
      { numRuns: 200, seed: 12 },
    );
  });

  test('a ring that lasts through a long pause is followed turn by turn, though the samples of a short one would step over it', () => {
    // x'' + 2ζωx' + ω²x = 0 beside a slow and a fast settling, over twenty turns: its turning points are known
    const [omega, damping] = [1, 0.004];
    const a = [0, 1, 0, 0, -(omega ** 2), -2 * damping * omega, 0, 0, 0, 0, -30, 0, 0, 0, 0, 0];
    const norm = scaledNorm(4, a, [1, 1, 1, 1]);
    const t = 40 * Math.PI;
    const trace = tracerFor(4);
    for (const phase of [0.3, 1.1, 2.9]) {
      trace.follow({ size: 4, matrix: a, norm, rings: false, resonance: omega }, t, [
        Math.cos(phase),
        Math.sin(phase),
        1,
        1,
      ]);
      const reached = { min: Infinity, max: -Infinity };
      trace.reach([1, 0, 0, 0], reached);
      // x = e^(−ζωt)·(A cos ωd t + B sin ωd t); x' vanishes where tan ωd t = (ωd B − ζω A)/(ωd A + ζω B)
      const wd = omega * Math.sqrt(1 - damping ** 2);
      const [A, B] = [Math.cos(phase), (Math.sin(phase) + damping * omega * Math.cos(phase)) / wd];
      const first = Math.atan2(wd * B - damping * omega * A, wd * A + damping * omega * B) / wd;
      const turns = Array.from({ length: 50 }, (_, k) => first + (k * Math.PI) / wd).filter((at) => at >= 0 && at <= t);
      const x = (at: number): number =>
        Math.exp(-damping * omega * at) * (A * Math.cos(wd * at) + B * Math.sin(wd * at));
      expect(reached.max).toBeCloseTo(Math.max(x(0), ...turns.map(x)), 10);
      expect(reached.min).toBeCloseTo(Math.min(x(0), ...turns.map(x)), 10);
    }
  });

  // the same flows once with a dense look along them, from a tenth of a natural time to a thousand of them
  test('what a row reaches and gathers along a stretch, from slow to stiff', () => {
    fc.assert(
      fc.property(
        systems,
        fc.array(fc.double({ min: -1, max: 1, noNaN: true }), { minLength: 4, maxLength: 4 }),
        ({ a, start }, row) => {
          const norm = scaledNorm(4, a, ones(4));
          const flow = { size: 4, matrix: a, norm, rings: true, resonance: 0 };
          const trace = tracerFor(4);
          trace.follow(flow, 1, start);
          const reached = { min: Infinity, max: -Infinity };
          trace.reach(row, reached);
          const gathered = trace.integral(row, 3);
          const square = trace.square(row);
          const value = (state: Vector): number => row.reduce((sum, factor, i) => sum + factor * state[i]!, 0);
          // places crowded towards the start, where a stiff flow moves
          const places = Array.from({ length: 400 }, (_, i) => 10 ** (-5 + (5 * i) / 399));
          const values = places.map((t) => value(applyInto(4, transition(4, a, t, norm), start, [0, 0, 0, 0])));
          const scale = Math.max(1e-3, reached.max - reached.min);
          const [most, least] = [Math.max(value(start), ...values), Math.min(value(start), ...values)];
          expect(most).toBeLessThan(reached.max + 1e-9 * scale);
          expect(least).toBeGreaterThan(reached.min - 1e-9 * scale);
          // and nothing beyond what the dense look finds, to its own spacing
          expect(reached.max - most).toBeLessThan(2e-3 * scale);
          expect(least - reached.min).toBeLessThan(2e-3 * scale);
          const area = applyInto(4, propagate(4, a, 1, norm).psi, start, [0, 0, 0, 0]);
          expect(gathered).toBeCloseTo(value(area), 9);
          expect(square).toBeGreaterThanOrEqual(gathered ** 2 * (1 - 1e-9) - 1e-12);
        },
      ),
      { numRuns: 150, seed: 14 },
    );
  });

  test('beyond the arithmetic it says so', () => {
    expect(transition(2, [1e300, 0, 0, 0], 1e300, Infinity).every((value) => Number.isNaN(value))).toBe(true);
    expect(solveLinear(2, [1, 2, 2, 4], [1, 2])).toBeUndefined();
    const x = solveLinear(2, [1e-9, 1, 1, 1], [1, 2])!;
    expect(x[0]! + x[1]!).toBeCloseTo(2, 12);
  });
});

test('units follow what drives a state, and leave alone what does not show beside its own rate', () => {
  const ones = [1, 1];
  // a driven state that drives nothing back: its unit grows until the drive is a thousandth of its rate
  const [slow, fast] = balanced(2, [-1, 0, 100, -1], ones);
  expect(fast! / slow!).toBeGreaterThan(500);
  // two that drive each other alike in other units: 10² apart gives a unit of 10
  const [first, second] = balanced(2, [-1, 0.1, 10, -1], ones);
  expect(second! / first!).toBeCloseTo(10, 6);
  // couplings of a rounding move nothing, either way
  expect(balanced(2, [-9, 1e-12, 5e-324, -9], ones)).toEqual(ones);
});
