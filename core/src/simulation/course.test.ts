import { describe, expect, test } from '@jest/globals';
import fc from 'fast-check';
import { dot, GAUSS_NODES, propagate, rowTimes, type Vector } from '../numbers/linear.ts';
import { runs } from '../testing/runs.ts';
import { Quantity } from './course.ts';
import { Motion, REACH } from './motion.ts';
import { rowOf } from './rows.ts';
import { Stretcher, type Watch } from './stretch.ts';

const SIZE = 5;
/** As likely anywhere in a range: the library's own numbers are mostly next to zero. */
const even = (min: number, max: number): fc.Arbitrary<number> =>
  fc.integer({ min: 0, max: 1e6 }).map((part) => min + ((max - min) * part) / 1e6);
/** A motion of four states that turn in pairs, and the constant; its states, a row, and whether the mode has come up often. */
const motions = fc.record({
  entries: fc.array(even(-1, 1), { minLength: SIZE * SIZE, maxLength: SIZE * SIZE }),
  state: fc.array(even(-2, 2), { minLength: SIZE, maxLength: SIZE }),
  row: fc.array(even(-1, 1), { minLength: SIZE, maxLength: SIZE }),
  turning: fc.tuple(even(0, 6), even(0, 6)),
  /** norm times the longest piece, and the piece's part of that */
  reach: even(0.1, REACH),
  part: even(0.02, 1),
  often: fc.boolean(),
});
type Drawn = typeof motions extends fc.Arbitrary<infer T> ? T : never;

/** Part of its range by which a course rises above zero. */
const nearTop = even(-0.02, 0.1);

function made({ entries, turning, state, row, reach, part, often }: Drawn) {
  const matrix = entries.map((value, k) => (k >= SIZE * (SIZE - 1) ? 0 : value));
  turning.forEach((speed, pair) => {
    const [one, two] = [2 * pair, 2 * pair + 1];
    matrix[one * SIZE + two] = speed;
    matrix[two * SIZE + one] = -speed;
  });
  const norm = Math.max(
    0.1,
    ...Array.from({ length: SIZE - 1 }, (_, i) =>
      matrix.slice(i * SIZE, (i + 1) * SIZE).reduce((sum, value) => sum + Math.abs(value), 0),
    ),
  );
  const motion = new Motion(SIZE, matrix, norm, reach / norm);
  motion.tabled = often;
  const start = [...state.slice(0, -1), 1];
  const bare = row.slice();
  const exact = (time: number): number => dot(SIZE, bare, carried(matrix, norm, start, time));
  return { matrix, norm, motion, start, row: row.slice(), exact, length: part * motion.span };
}

function carried(matrix: Vector, norm: number, start: Vector, time: number): Vector {
  const { phi } = propagate(SIZE, matrix, time, norm);
  return start.map((_, i) => dot(SIZE, phi.slice(i * SIZE, (i + 1) * SIZE), start));
}

/** How large it becomes, and what it is made of. */
const sizeOf = (exact: (time: number) => number, length: number): number =>
  SIZE + Math.max(...Array.from({ length: 20 }, (_, k) => Math.abs(exact((k * length) / 19))));

const crossingOf = ({ motion, row }: Pick<ReturnType<typeof made>, 'motion' | 'row'>): Watch['crossing'] => {
  const bare = [...row.slice(0, -1), 0];
  return {
    row: rowOf(row),
    slope: rowOf(rowTimes(SIZE, row, motion.matrix)),
    quantity: new Quantity(motion, bare),
    factor: 1,
    offset: row[SIZE - 1]!,
    last: 0,
    hint: 0,
  };
};

describe('a quantity’s course over a piece of a random motion', () => {
  test('is the matrix exponential’s, with its integrals and its turns', () => {
    fc.assert(
      fc.property(motions, (drawn) => {
        const { motion, start, exact, length, row, norm, matrix } = made(drawn);
        const course = new Quantity(motion, row).over(start, length);
        const size = sizeOf(exact, length);
        for (const at of [0, 0.1, 0.37, 0.5, 0.82, 1]) {
          expect(Math.abs(course.at(at * length) - exact(at * length))).toBeLessThan(1e-12 * size);
        }
        const { psi } = propagate(SIZE, matrix, length, norm);
        const integral = dot(
          SIZE,
          row,
          start.map((_, i) => dot(SIZE, psi.slice(i * SIZE, (i + 1) * SIZE), start)),
        );
        expect(Math.abs(course.integral(length) - integral)).toBeLessThan(1e-12 * size * length);
        let square = 0;
        for (let part = 0; part < 4; part += 1)
          for (const { at, weight } of GAUSS_NODES)
            square += (exact(((part + at) * length) / 4) ** 2 * weight * length) / 4;
        expect(Math.abs(course.squared(length) - square)).toBeLessThan(1e-11 * size * size * length);
        // with its turns and ends it is bounded
        const seen = [course.at(0), course.at(length)];
        course.turns(
          length,
          () => true,
          (time) => seen.push(course.at(time)),
        );
        const values = Array.from({ length: 41 }, (_, k) => course.at((k * length) / 40));
        expect(Math.max(...values)).toBeLessThanOrEqual(Math.max(...seen) + 1e-9 * size);
        expect(Math.min(...values)).toBeGreaterThanOrEqual(Math.min(...seen) - 1e-9 * size);
      }),
      { numRuns: runs(150) },
    );
  });

  test('is followed to where it first rises through zero, and not past it', () => {
    let found = 0;
    fc.assert(
      fc.property(motions, even(0, 0.6), nearTop, (drawn, held, over) => {
        const { motion, start, exact: told, length, row, norm, matrix } = made(drawn);
        // zero lies a little below or above the highest that it comes to
        const values = Array.from({ length: 60 }, (_, k) => told((k * length) / 59));
        const shift = Math.max(...values) - over * (Math.max(...values) - Math.min(...values));
        row[SIZE - 1]! -= shift;
        const exact = (time: number): number => told(time) - shift;
        // above zero already it counts from later on
        const from = exact(0) > -1e-3 ? Math.max(0.01, held) * length : 0;
        const watch: Watch = {
          crossing: crossingOf({ motion, row }),
          from,
          c0: 0,
          c1: 0,
          c2: 0,
          tolerance: 0,
          value: 0,
          late: false,
        };
        const stretcher = new Stretcher(SIZE);
        const state = start.slice();
        const which = stretcher.follow(motion, state, length, [watch], 1);
        const { after } = stretcher;
        const size = sizeOf(exact, length);
        const states = carried(matrix, norm, start, after);
        const largest = SIZE + Math.max(...states.map(Math.abs));
        expect(Math.max(...states.map((value, i) => Math.abs(state[i]! - value)))).toBeLessThan(1e-12 * largest);
        if (which < 0) expect(after).toBe(length);
        else if (watch.late) expect(Math.abs(after - from)).toBeLessThan(1e-12 * length);
        else expect(Math.abs(exact(after))).toBeLessThan(1e-12 * size);
        if (which >= 0) found += 1;
        const end = Math.min(after, length);
        const earlier = Array.from({ length: 199 }, (_, k) => from + ((end - from) * (k + 1)) / 200);
        const highest = Math.max(...earlier.filter((at) => at >= from && at < after).map(exact));
        expect(highest).toBeLessThan(1e-10 * size);
      }),
      { numRuns: runs(300) },
    );
    expect(found).toBeGreaterThan(50);
  });

  test.each([false, true])(
    'beside what is over in a thousandth of it, it is followed as exactly; with tables and doubling pieces: %s',
    (tabled) => {
      let found = 0;
      let longer = 0;
      fc.assert(
        fc.property(motions, even(2, 5), even(0.2, 1), nearTop, (drawn, fast, part, over) => {
          const { matrix: slow, row, start, norm: slowly } = made(drawn);
          // one state more that decays fast, and that the others stir and feel
          const size = SIZE + 1;
          const rate = slowly * 10 ** fast;
          const matrix = Array.from({ length: size * size }, (_, k) => {
            const [i, j] = [Math.floor(k / size), k % size];
            if (i === 0 && j === 0) return -rate;
            if (i === 0) return j < SIZE ? drawn.entries[j]! * rate : 0;
            if (j === 0) return i < SIZE ? drawn.entries[i * SIZE]! * slowly : 0;
            return slow[(i - 1) * SIZE + j - 1]!;
          });
          const norm = Math.max(
            ...Array.from({ length: size }, (_, i) =>
              matrix.slice(i * size, (i + 1) * size).reduce((sum, value) => sum + Math.abs(value), 0),
            ),
          );
          const motion = new Motion(size, matrix, norm, 1e9);
          motion.tabled = tabled;
          const length = (part * 8) / slowly;
          const state = [0.5, ...start];
          const full = [0.3, ...row];
          // what adds up to a state, before it cancels, is what rounding is a part of
          let stirred = 0;
          const at = (time: number): number[] => {
            const { phi } = propagate(size, matrix, time, norm);
            return state.map((_, i) => {
              const effects = [0.5, ...start].map((value, j) => phi[i * size + j]! * value);
              stirred = effects.reduce((most, effect) => Math.max(most, Math.abs(effect)), stirred);
              return effects.reduce((sum, effect) => sum + effect, 0);
            });
          };
          const told = Array.from({ length: 41 }, (_, k) => dot(size, full, at(((k + 1) * length) / 41)));
          const shift = Math.max(...told) - over * (Math.max(...told) - Math.min(...told));
          const offset = full[size - 1]! - shift;
          const bare = [...full.slice(0, -1), 0];
          full[size - 1] = offset;
          // it counts once what is fast has gone
          const from = length / 41;
          const crossing = {
            row: rowOf(full),
            slope: rowOf(rowTimes(size, full, matrix)),
            quantity: new Quantity(motion, bare),
            ...{ factor: 1 as const, offset, last: 0, hint: 0 },
          };
          const watch: Watch = { crossing, from, c0: 0, c1: 0, c2: 0, tolerance: 0, value: 0, late: false };
          const stretcher = new Stretcher(size);
          const which = stretcher.follow(motion, state, length, [watch], 1);
          const { after } = stretcher;
          const states = at(after);
          const largest = size + Math.max(stirred, ...states.map(Math.abs), ...told.map(Math.abs));
          // what an exponential by squaring loses of what is slow, in the reference as here
          const lost = (1e-11 + 3e-15 * norm * length) * largest;
          expect(Math.max(...states.map((value, i) => Math.abs(value - state[i]!)))).toBeLessThan(lost);
          if (which < 0) expect(after).toBe(length);
          else if (!watch.late) expect(Math.abs(dot(size, full, states))).toBeLessThan(lost);
          if (which >= 0) found += 1;
          // what goes on after a calm is followed in pieces as long as if nothing had come between
          const third = length / 3;
          if (after > third) {
            const twice = [0.5, ...start];
            stretcher.follow(motion, twice, third, [], 0);
            const later: Watch = { ...watch, from: 0 };
            expect(stretcher.follow(motion, twice, length - third, [later], 1, undefined, third)).toBe(which);
            expect(Math.abs(third + stretcher.after - after)).toBeLessThan(1e-6 * length);
            const there = at(third + stretcher.after);
            expect(Math.max(...there.map((value, i) => Math.abs(value - twice[i]!)))).toBeLessThan(lost);
          }
          // a course over the longest piece that there may be, begun as much later, is the motion's own
          if (tabled) {
            const piece = motion.span * 2 ** motion.doublings;
            motion.pieces += 1;
            const course = new Quantity(motion, bare).over(at(piece), piece);
            const apart = [0.13, 0.55, 0.92].map((place) => {
              const then = at(piece * (1 + place));
              return Math.abs(course.at(piece * place) - dot(size, bare, then)) / Math.max(size, ...then.map(Math.abs));
            });
            if (motion.doublings > 3) longer += 1;
            expect(Math.max(...apart)).toBeLessThan(1e-11 + 3e-15 * norm * piece);
          }
          const before = told.filter((_, k) => k > 0 && ((k + 1) * length) / 41 < after).map((value) => value - shift);
          expect(Math.max(...before, -1)).toBeLessThan(lost);
        }),
        { numRuns: runs(60) },
      );
      expect(found).toBeGreaterThan(10);
      if (tabled) expect(longer).toBeGreaterThan(20);
    },
  );

  test.each([false, true])(
    'where it is stiff, what is held back is met as soon as it counts, and told from what rises later; with tables: %s',
    (tabled) => {
      // 1 − 2e^(−t) beside what is over within a ten-thousandth of it
      const matrix = [0, 0, 0, 0, 0].flatMap((_, i) =>
        [0, 0, 0, 0, 0].map((__, k) => (i === k ? [-1, -1e4, 0, 0, 0][i]! : 0)),
      );
      const row = [-2, -1e-9, 0, 0, 1];
      for (const from of [0, 0.2, 0.9, 2.5]) {
        const motion = new Motion(SIZE, matrix, 1e4, 1);
        motion.tabled = tabled;
        const watch: Watch = {
          crossing: crossingOf({ motion, row }),
          ...{ from, c0: 0, c1: 0, c2: 0, tolerance: 0, value: 0, late: false },
        };
        const stretcher = new Stretcher(SIZE);
        const state = [1, 1, 0, 0, 1];
        expect(3).toBeGreaterThan(motion.farthest);
        expect(stretcher.follow(motion, state, 3, [watch], 1)).toBe(0);
        expect(stretcher.after).toBeCloseTo(Math.max(from, Math.LN2), 9);
        expect(state[0]).toBeCloseTo(Math.exp(-stretcher.after), 9);
        expect(watch.late).toBe(from > Math.LN2);
      }
    },
  );
});
