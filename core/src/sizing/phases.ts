import type { Brief, Decisions } from '../design/schema.ts';
import { formatQuantity } from '../quantity/index.ts';
import type { TopologyModel } from '../topology/index.ts';
import { bankRms, estimate, losslessConditions, tellingInputs, worstOverDuty } from './estimate.ts';
import { cancellation } from './interleaving.ts';

/** A per phase above which another phase is cheaper than thicker copper. Common practice, no source. */
const PHASE_CURRENT = 25;
/** A RMS in a bank above which another phase is cheaper than more capacitors. Common practice, no source. */
const BANK_CURRENT = 25;

export function choosePhases(
  brief: Brief,
  model: TopologyModel,
  coupling: Decisions['coupling'],
): { value: number; rule: string } {
  const inputs = tellingInputs(model, brief, 1);
  const worst = (phases: number) => {
    const setting = { phases, switchingFrequency: 1, inductance: 1e9, largestDuty: 0.95, smallestBoostDuty: 0.05 };
    const at = inputs.map((input) => estimate(model, losslessConditions(brief, input, setting)));
    return {
      current: Math.max(...at.map((corner) => corner.inductorAverage)),
      bank: Math.max(
        ...at.flatMap((c) =>
          [c.input, c.output].map((side) => worstOverDuty(side, phases, (at) => bankRms(at, c, phases))),
        ),
      ),
    };
  };
  const one = worst(1).current;
  const byCurrent = Math.min(8, Math.max(1, Math.ceil(one / PHASE_CURRENT)));
  let value = byCurrent;
  while (value < 8 && worst(value).bank > BANK_CURRENT) value += 1;
  const byBank = value;
  // where phases are needed anyway, one more that all but cancels the ripple at nominal input is worth its place
  const setting = { phases: 1, switchingFrequency: 1, inductance: 1e9, largestDuty: 0.95, smallestBoostDuty: 0.05 };
  const { duty } = estimate(model, losslessConditions(brief, brief.inputVoltage.nominal, setting));
  if (value > 1 && value < 8 && cancellation(value + 1, duty) < cancellation(value, duty) / 4) value += 1;
  const pairs = coupling && coupling.arrangement !== 'one-core' && value % 2 === 1 ? 1 : 0;
  const rule =
    value > byBank
      ? `one more than needed, since ${value} phases all but cancel the ripple at ${formatQuantity(duty, '%')}`
      : value > byCurrent
        ? `at most ${BANK_CURRENT} A RMS in a bank`
        : value === 1
          ? `${formatQuantity(one, 'A')} needs no more`
          : `at most ${PHASE_CURRENT} A a phase`;
  return { value: value + pairs, rule: pairs ? `${rule}; coupled pairs make it even` : rule };
}
