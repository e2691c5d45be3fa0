export { describeChanges, nameOfEntry, type Change } from './words.ts';
export { listDifferences, type Difference } from './difference.ts';
export { fieldName, fieldOf, fieldRecords, type Field } from './fieldRecords.ts';
export { free, freeAll, hold, isHeld, taken, valueAt, withValue, withoutValue } from './decision.ts';
export { bringForward, type MigrationStep } from './migrate.ts';
export {
  nestedDeeper,
  readDesign,
  readDesignText,
  structureFault,
  writeDesignText,
  type Fault,
  type ReadResult,
} from './read.ts';
export {
  designJsonSchema,
  designSchema,
  FORMAT,
  MAXIMUM_BYTES,
  MAXIMUM_DEPTH,
  RIPPLE_SCHOOLS,
  VERSION,
  type Brief,
  type CapacitorBank,
  type Decisions,
  type Design,
  type Rectifier,
  type RippleSchool,
  type Topology,
} from './schema.ts';
