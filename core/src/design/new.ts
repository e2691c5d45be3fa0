import { designSchema, FORMAT, VERSION, type Design } from './schema.ts';

/** A new rail with nothing decided: a brief to start from, everything else free. */
export function newDesign(name: string): Design {
  return designSchema.parse({
    format: FORMAT,
    version: VERSION,
    name,
    brief: {
      inputVoltage: { min: 10.8, nominal: 12, max: 13.2 },
      outputVoltage: 5,
      outputCurrent: { min: 0.2, max: 3 },
    },
  });
}
