import type { Design } from '../design/schema.ts';
import { allowedLoss } from '../stage/sizing/banks.ts';
import { intermediateVoltage } from '../estimates/ratio.ts';

/** Part of itself by which a rail between two stages moves: its first stage’s accuracy and ripple. Common practice, no source. */
const MOVES = 0.03;

/** Characters that a source’s name may have, and what names the first stage. */
const SOURCE_NAME = 80;
const FIRST = ', first stage';

/** A step that asks too much of one stage, as two rails: the first from the brief’s source, the second from the first’s output. */
export interface Pair {
  /** V between them */
  voltage: number;
  first: Design;
  second: Design;
}

/**
 * The two rails that a far step is built as, or undefined where one stage does it. What the load asks (ripple, step, limits)
 * stays with the second; the first is free but for what the second draws at most and at least.
 */
export function pairOf(design: Design): Pair | undefined {
  const { brief, name } = design;
  const voltage = intermediateVoltage(brief);
  if (voltage === undefined) return undefined;
  // a source’s name is shorter than a rail’s
  const between = `${name.slice(0, SOURCE_NAME - FIRST.length)}${FIRST}`;
  const { outputCurrent, outputVoltage } = brief;
  // what the second draws of it, its usual loss with it
  const share = 1 + allowedLoss(brief) / (outputVoltage * outputCurrent.max);
  const drawn = (current: number): number => Number(((current * outputVoltage * share) / voltage).toPrecision(3));
  const {
    inputVoltage,
    sourceName,
    source,
    sourceResistance,
    sourceInductance,
    inputFuse,
    batteryEnergy,
    inputRipple,
    lineStep,
    ambientTemperature,
    junctionTemperature,
    keepClear,
    efficiency,
  } = brief;
  const from = {
    sourceName,
    source,
    sourceResistance,
    sourceInductance,
    inputFuse,
    batteryEnergy,
    inputRipple,
    lineStep,
  };
  const kept = Object.fromEntries(Object.entries(from).filter(([, value]) => value !== undefined));
  const rest = Object.fromEntries(Object.entries(brief).filter(([key]) => !(key in from)));
  // each may lose half of what one stage might
  const each = efficiency === undefined ? {} : { efficiency: Number(Math.sqrt(efficiency).toPrecision(3)) };
  return {
    voltage,
    first: {
      ...design,
      name: between,
      brief: {
        ...kept,
        inputVoltage,
        outputVoltage: voltage,
        outputCurrent: { min: drawn(outputCurrent.min), max: drawn(outputCurrent.max) },
        load: 'constant-power',
        ambientTemperature,
        junctionTemperature,
        ...(keepClear ? { keepClear } : {}),
        ...each,
      },
      decisions: {},
    },
    second: {
      ...design,
      brief: {
        ...(rest as Design['brief']),
        inputVoltage: {
          min: Number((voltage * (1 - MOVES)).toPrecision(4)),
          nominal: voltage,
          max: Number((voltage * (1 + MOVES)).toPrecision(4)),
        },
        sourceName: between,
        ...each,
      },
      decisions: {},
    },
  };
}
