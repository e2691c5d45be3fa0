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
const LEVELS = 5;
/** Pieces of a mode from which on its quantities keep tables, and its motion exponentials; of stiff ones, which gain most, stretches. */
const OFTEN = 40;
const OFTEN_STIFF = 8;
/** Parts of the longest piece whose exponentials a mode keeps: from them a few terms reach. */
export const PARTS = 128;
/** Norm times a stretch's length beyond which it counts as stiff. */
const STIFFNESS = 1000;
/** Degree of a course over more than the longest piece, and doublings of that at most. */
export const DEGREE = 24;
const MOST_DOUBLINGS = 24;
/** The same of the first piece. */
const MOST_FIRST = 3;
/** Part of a state's whole effect by which such a course may miss it. */
const MISSED = 1e-12;
/** Places of −1…1 that a course is told from, and some between where it is held against the motion. */
export const PLACES: readonly number[] = Array.from({ length: DEGREE + 1 }, (_, j) => Math.cos((Math.PI * j) / DEGREE));
const BETWEEN: readonly number[] = [-0.94, -0.42, 0.22, 0.74];
/** What a value at each place adds to one between: barycentric. */
const WEIGHTS: readonly Vector[] = BETWEEN.map((x) => {
  const own = PLACES.map((place, j) => ((j % 2 === 0 ? 1 : -1) * (j === 0 || j === DEGREE ? 0.5 : 1)) / (x - place));
  const sum = own.reduce((total, weight) => total + weight, 0);
  return own.map((weight) => weight / sum);
});

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
  /** stretches, as long as they are counted, and pieces followed so far */
  private visits = 0;
  /** whether it has come up often enough for tables and exponentials to be kept */
  tabled = false;
  pieces = 0;
  private readonly parts: (Sparse | undefined)[] = [];
  private readonly powers: (Vector | undefined)[] = [];
  private readonly wholes: (Sparse | undefined)[] = [];
  private readonly trials: Vector[][] = [];
  private most: number | undefined;
  private first: number | undefined;
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

  /** Counts a stretch that is followed for so many seconds at most. */
  visit(length: number): void {
    if (this.tabled) return;
    this.visits += 1;
    this.tabled = length > this.farthest ? this.visits > OFTEN_STIFF : this.pieces > OFTEN;
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

  /** The state at the end of the present piece, of the longest length, by those derivatives. */
  endInto(node: Vector, out: Vector): void {
    const series = this.seriesAt(node);
    for (const i of this.moving) {
      let sum = 0;
      for (let k = series.length - 1; k >= 0; k -= 1) sum += series[k]![i]!;
      out[i] = sum;
    }
  }

  /**
   * Doublings of the longest piece that a piece may have which begins at least its own length after its stretch: what is
   * fast has died away by then, and what rings has not turned too often within. Found by trial on every state at once.
   */
  get doublings(): number {
    if (this.most === undefined) {
      this.most = 0;
      while (this.most < MOST_DOUBLINGS && this.isTold(this.most + 1)) this.most += 1;
    }
    return this.most;
  }

  /** The same of a piece that its stretch begins with: what is fast has still to die away in it. */
  get firstDoublings(): number {
    if (this.first === undefined) {
      this.first = 0;
      while (this.first < MOST_FIRST && this.isTold(this.first + 1, true)) this.first += 1;
    }
    return this.first;
  }

  private isTold(doublings: number, fromStart = false): boolean {
    const { size, moving } = this;
    const told = this.nodesAt(doublings);
    const largest = told.reduce(
      (most, phi) => most.map((value, i) => Math.max(value, Math.abs(phi[i]!))),
      zeros(size ** 2),
    );
    const missed = zeros(size ** 2);
    const later = zeros(size ** 2);
    return WEIGHTS.every((weights, at) => {
      const truly = told[PLACES.length + at]!;
      for (let i = 0; i < missed.length; i += 1) {
        let sum = 0;
        for (let j = 0; j <= DEGREE; j += 1) sum += weights[j]! * told[j]![i]!;
        missed[i] = sum - truly[i]!;
      }
      // as what began a whole piece earlier
      const found = fromStart ? missed : multiplyInto(size, missed, told[0]!, later);
      return moving.every((row) =>
        largest
          .slice(row * size, (row + 1) * size)
          .every((most, column) => Math.abs(found[row * size + column]!) <= MISSED * most),
      );
    });
  }

  /** The exponentials over a piece of so many doublings: to each place that a course is told from, then to those between. */
  nodesAt(doublings: number): readonly Vector[] {
    const { size, matrix, norm, span } = this;
    return (this.trials[doublings] ??=
      doublings === 0
        ? [...PLACES, ...BETWEEN].map((place) => transition(size, matrix, (span * (1 + place)) / 2, norm))
        : this.nodesAt(doublings - 1).map((half) => multiplyInto(size, half, half, zeros(size ** 2))));
  }

  /** Halvings of the longest piece in which a time still lies; below zero, doublings. */
  levelOf(time: number): number {
    let level = 0;
    if (time > this.span) return -Math.ceil(Math.log2(time / this.span));
    for (let half = this.span / 2; level < LEVELS - 1 && time <= half; half /= 2) level += 1;
    return level;
  }

  /** The exponential over a piece of so many seconds, the longest or doubled. */
  wholeOf(piece: number): Sparse {
    return this.whole(Math.round(Math.log2(piece / this.span)));
  }

  /** The exponential over so many doublings of the longest piece. */
  whole(doublings: number): Sparse {
    return (this.wholes[doublings] ??= sparseOf(this.size, this.nodesAt(doublings)[0]!, this.moving));
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
