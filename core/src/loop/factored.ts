import { polynomialRoot } from 'mathjs';
import { roundedTo, type DigitalParts } from '../control/digital.ts';

/*
 * A difference equation by its zeros and poles, so that they can be taken hold of. Those of the continuous prototype that
 * Tustin's transformation carries over: s = (2/T)(z − 1)/(z + 1). Recalled from memory, as any text on sampled control has it.
 */

/** Degree up to which roots are told. */
const MOST = 3;
/** Part of its size by which a root's imaginary part may be rounding: two that stood in one place are told apart so. */
const ONE_PLACE = 0.1;
/** Digits that a moved coefficient keeps: a zero far below the sampling frequency is told by its last ones. */
const DIGITS = 9;

type Root = readonly [real: number, imaginary: number];

/** A zero or pole that can be moved, or two that move together. */
export interface SampledCorner {
  id: string;
  kind: 'zero' | 'pole';
  /** Hz, of the prototype: where its phase has half turned, or two together ring */
  frequency: number;
  /** in the z plane: one real root, or one of two conjugate ones */
  root: Root;
}

export interface Factored {
  digital: DigitalParts;
  /** s */
  period: number;
  corners: SampledCorner[];
}

/** Roots in z of a list by falling powers of z; nothing where they are too many to tell. */
function rootsOf(list: readonly number[]): Root[] {
  const first = list.findIndex((value) => value !== 0);
  const last = list.findLastIndex((value) => value !== 0);
  const inner = list.slice(Math.max(0, first), last + 1);
  if (inner.length < 2 || inner.length > MOST + 1) return [];
  // lowest power first, of the size of one; a root at z = 0 is a mere delay
  const [constant, linear, square, cubic] = inner.map((value) => value / inner[0]!).toReversed() as [
    number,
    number,
    number?,
    number?,
  ];
  const roots =
    square === undefined
      ? polynomialRoot(constant, linear)
      : cubic === undefined
        ? polynomialRoot(constant, linear, square)
        : polynomialRoot(constant, linear, square, cubic);
  const found = roots.map((root): Root => (typeof root === 'number' ? [root, 0] : [root.re, root.im]));
  // a double one is told once
  return found.length === 1 && inner.length === 3 ? [found[0]!, found[0]!] : found;
}

/** s·T/2 of a root. */
function prototypeOf([re, im]: Root): Root {
  const size = (re + 1) ** 2 + im ** 2;
  return [(re * re + im * im - 1) / size, (2 * im) / size];
}

function rootOf([re, im]: Root): Root {
  const size = (1 - re) ** 2 + im ** 2;
  return [(1 - re * re - im * im) / size, (2 * im) / size];
}

const hertz = ([re, im]: Root, period: number): number => Math.hypot(re, im) / (Math.PI * period);

function cornersOf(kind: 'zero' | 'pole', list: readonly number[], period: number): SampledCorner[] {
  return rootsOf(list)
    .flatMap((root): { root: Root; frequency: number }[] => {
      const at = prototypeOf(root);
      const frequency = hertz(at, period);
      // an integrator, and what stands at half the sampling frequency or beyond as it is carried over, is no place to take hold of
      if (!(frequency > 1e-5 / period && frequency < 0.9 / period) || !(at[0] < 0)) return [];
      if (Math.abs(at[1]) < ONE_PLACE * Math.hypot(...at))
        return [{ root: rootOf([-Math.hypot(...at), 0]), frequency }];
      return at[1] > 0 ? [{ root, frequency }] : [];
    })
    .sort((a, b) => a.frequency - b.frequency)
    .map((found, k) => ({ ...found, id: `${kind}-${k}`, kind }));
}

/** @param period s between two samples */
export const factored = (digital: DigitalParts, period: number): Factored => ({
  digital,
  period,
  corners: [...cornersOf('zero', digital.numerator, period), ...cornersOf('pole', digital.denominator, period)],
});

/** A list with a root's factor taken out and another put in. */
function exchanged(list: readonly number[], from: Root, to: Root): number[] {
  const factor = ([re, im]: Root): number[] => (im === 0 ? [1, -re] : [1, -2 * re, re * re + im * im]);
  const out = factor(from);
  const rest: number[] = [];
  const left = list.slice();
  for (let k = 0; k + out.length <= list.length; k += 1) {
    const value = left[k]!;
    rest.push(value);
    out.forEach((one, j) => (left[k + j]! -= value * one));
  }
  const put = factor(to);
  const made = Array.from({ length: list.length }, () => 0);
  rest.forEach((a, k) => put.forEach((b, j) => (made[k + j]! += a * b)));
  return made;
}

/**
 * With one zero or pole moved: a zero turns what lies below it and a pole what lies above, so that the gain about the
 * crossover stays. Damping stays, where two move together.
 * @param frequency Hz, below half the sampling frequency
 */
export function moveSampled(of: Factored, id: string, frequency: number): DigitalParts {
  const corner = of.corners.find((one) => one.id === id);
  if (!corner) return of.digital;
  const { digital, period } = of;
  const [re, im] = prototypeOf(corner.root);
  const by = (frequency * Math.PI * period) / Math.hypot(re, im);
  const to = rootOf([re * by, im * by]);
  const key = corner.kind === 'zero' ? 'numerator' : 'denominator';
  const before = digital[key];
  const after = exchanged(before, corner.root, to);
  const factorAt = (root: Root, z: number): number => (root[1] === 0 ? z - root[0] : (z - root[0]) ** 2 + root[1] ** 2);
  // a zero's factor keeps its size at half the sampling frequency, z = −1, a pole's at nought, z = 1
  const z = corner.kind === 'zero' ? -1 : 1;
  const scale = factorAt(corner.root, z) / factorAt(to, z);
  return corner.kind === 'zero'
    ? {
        ...digital,
        numerator: roundedTo(
          after.map((value) => value * scale),
          DIGITS,
        ),
      }
    : {
        ...digital,
        denominator: roundedTo(after, DIGITS),
        // the denominator begins with 1: what its size asks for is the numerator's
        numerator: roundedTo(
          digital.numerator.map((value) => value / scale),
          DIGITS,
        ),
      };
}
