import { multiplyInto, propagate, transition, zeros, type Vector } from '../numbers/linear.ts';
import { applyRows, sparseOf, wide, type Sparse } from './rows.ts';

/** Norm times the longest piece: the Taylor series that the coefficients come from loses less than three digits over it. */
export const REACH = 8;
/** Derivatives over factorials that leave nothing over it, and so many that leave nothing over less. */
export const DERIVATIVES = 52;
export function derivativesTo(size: number): number {
  let count = 1;
  for (let left = 1; count < DERIVATIVES && left > 1e-18; count += 1) left *= size / count;
  return count;
}
/** Spans in which a quantity's course is told, each half of the one before. */
export const LEVELS = 5;
/** Stretches of a mode from which on its quantities keep tables, and its motion exponentials. */
export const OFTEN = 40;
/** Parts of the longest piece whose exponentials a mode keeps: from them a few terms reach. */
export const PARTS = 128;
/** Norm times a stretch's length beyond which it counts as stiff. */
const STIFFNESS = 1000;

/** The flow of one linear mode. */
export class Motion {
  readonly size: number;
  readonly matrix: Vector;
  /** norm of the matrix with states in their natural units, 1/s */
  readonly norm: number;
  /** s of the longest piece */
  readonly span: number;
  /** states that move, and where each state stands among them; −1 where it stands still */
  readonly moving: number[] = [];
  readonly place: number[] = [];
  /** slopes of the moving states */
  readonly slopes: Sparse;
  /** what they have of moving states alone, by their places; wide where a wide row holds them all */
  readonly dense: Vector | undefined;
  readonly sparse: Sparse;
  /** stretches and pieces followed so far */
  visits = 0;
  pieces = 0;
  private readonly parts: (Sparse | undefined)[] = [];
  private readonly powers: (Vector | undefined)[] = [];
  private series: Vector[] | undefined;
  private seriesOf = -1;
  /** over powers of two of a second, with their integrals; made as they are needed */
  private readonly maps = new Map<number, { phi: Sparse; psi: Sparse }>();

  /** @param longest s of a piece at most */
  constructor(size: number, matrix: Vector, norm: number, longest: number) {
    this.size = size;
    this.matrix = matrix;
    this.norm = norm;
    this.span = Math.min(longest, norm > 0 ? REACH / norm : longest);
    for (let row = 0; row < size; row += 1) {
      let moves = false;
      for (let k = 0; k < size && !moves; k += 1) moves = matrix[row * size + k] !== 0;
      this.place.push(moves ? this.moving.length : -1);
      if (moves) this.moving.push(row);
    }
    const { moving } = this;
    const count = moving.length;
    const own = moving.map((row) => moving.map((column) => matrix[row * size + column]!));
    this.slopes = sparseOf(size, matrix, moving);
    this.sparse = sparseOf(count, own.flat(), [...moving.keys()]);
    this.dense = wide(own, count);
  }

  /** s up to which a stretch is followed piece by piece. */
  get farthest(): number {
    return STIFFNESS / this.norm;
  }

  /** Derivatives over factorials of the state that the present piece begins with, in powers of the longest piece. */
  seriesAt(node: Vector): readonly Vector[] {
    const { size, span, norm, slopes, pieces } = this;
    const series = (this.series ??= Array.from({ length: derivativesTo(norm * span) }, () => zeros(size)));
    if (this.seriesOf === pieces) return series;
    this.seriesOf = pieces;
    for (let i = 0; i < size; i += 1) series[0]![i] = node[i]!;
    for (let k = 1; k < series.length; k += 1) {
      const next = series[k]!;
      // what stands still has no more than itself
      applyRows(slopes, series[k - 1]!, next);
      for (const i of this.moving) next[i]! *= span / k;
    }
    return series;
  }

  /** Halvings of the longest piece in which a time still lies. */
  levelOf(time: number): number {
    let level = 0;
    for (let half = this.span / 2; level < LEVELS - 1 && time <= half; half /= 2) level += 1;
    return level;
  }

  /** The exponential over so many parts of the longest piece. */
  part(number: number): Sparse {
    return (this.parts[number] ??= sparseOf(this.size, this.product(number), this.moving));
  }

  /** The same as a matrix: the product of those over one, two, four… parts that its number is the sum of. */
  private product(number: number): Vector {
    const lowest = number & -number;
    const last = this.power(Math.log2(lowest));
    if (number === lowest) return last;
    return multiplyInto(this.size, this.product(number - lowest), last, zeros(this.size ** 2));
  }

  /** Over 2^exponent parts: each the square of the one before. */
  private power(exponent: number): Vector {
    const { size, matrix, norm, span, powers } = this;
    const half = exponent > 0 && !powers[exponent] ? this.power(exponent - 1) : undefined;
    return (powers[exponent] ??= half
      ? multiplyInto(size, half, half, zeros(size ** 2))
      : transition(size, matrix, span / PARTS, norm));
  }

  /** Over 2^exponent s. */
  map(exponent: number): { phi: Sparse; psi: Sparse } {
    let map = this.maps.get(exponent);
    if (!map) {
      const { size, moving } = this;
      const { phi, psi } = propagate(size, this.matrix, 2 ** exponent, this.norm);
      const every = Array.from({ length: size }, (_, row) => row);
      map = { phi: sparseOf(size, phi, moving), psi: sparseOf(size, psi, every) };
      this.maps.set(exponent, map);
    }
    return map;
  }
}
