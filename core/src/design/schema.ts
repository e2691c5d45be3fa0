import { z } from 'zod';
import { briefSchema } from './areas/brief.ts';
import { controlShape } from './areas/control.ts';
import { name, object } from './areas/fields.ts';
import { partsShape } from './areas/parts.ts';
import { stageShape, type capacitorBankSchema, type rectifierSchema, type RIPPLE_SCHOOLS } from './areas/stage.ts';

export { LARGEST, SMALLEST } from './areas/fields.ts';
export { MAXIMUM_BANKS, RIPPLE_SCHOOLS } from './areas/stage.ts';

/**
 * The design file. One schema for the file, the API, the database's JSON column and the published JSON Schema.
 * Each area's part stands in a file of its own under `areas/`. All values are SI base units; temperatures in °C. An absent decision is *free* (Yundro decides it), a present one *held*.
 * Objects keep keys they do not know, so that a file written by a later release loses nothing on its way through.
 */

export const MAXIMUM_DEPTH = 64;
export const MAXIMUM_BYTES = 5_000_000;
export const FORMAT = 'yundro-design';
export const VERSION = 1;

const decisionsSchema = object({ ...stageShape, ...controlShape, ...partsShape }).superRefine(
  ({ control, controlSwitch, boostLeg }, context) => {
    const gateVoltage = control?.gateVoltage;
    if (gateVoltage === undefined) return;
    const plateaus = [controlSwitch?.plateauVoltage, boostLeg?.controlSwitch?.plateauVoltage];
    const highest = Math.max(0, ...plateaus.map((plateau) => plateau ?? 0));
    if (highest < gateVoltage) return;
    context.addIssue({
      code: 'custom',
      path: ['control', 'gateVoltage'],
      input: gateVoltage,
      message: `expected above the control switch's plateau voltage, ${highest} V`,
    });
  },
);

export const designSchema = object({
  format: z.literal(FORMAT, { error: `expected "${FORMAT}"` }),
  version: z.literal(VERSION, { error: `expected ${VERSION}, the only version this release reads` }),
  name: name(200, 'Name').default('Untitled'),
  notes: name(20_000, 'Notes').optional(),
  brief: briefSchema,
  decisions: decisionsSchema.default({}),
});

export type Design = z.infer<typeof designSchema>;
export type Brief = Design['brief'];
export type Decisions = Design['decisions'];
export type CapacitorBank = z.infer<typeof capacitorBankSchema>;
export type Rectifier = z.infer<typeof rectifierSchema>;
export type Topology = NonNullable<Decisions['topology']>;
export type RippleSchool = (typeof RIPPLE_SCHOOLS)[number];

/** The JSON Schema (draft 2020-12) of the design file, as `yundro schema` prints it. */
export function designJsonSchema(): object {
  return z.toJSONSchema(designSchema, { io: 'input' });
}
