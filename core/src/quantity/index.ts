export { digitsApart, formatExact, formatQuantity, splitQuantity, type FormatOptions } from './format.ts';
export { parseQuantity, type Parsed } from './parse.ts';
export {
  preferredDown,
  preferredNearest,
  preferredNext,
  preferredPrevious,
  preferredUp,
  seriesMantissas,
  type Series,
} from './preferred.ts';
export type { Unit } from './prefix.ts';
