import type { Brief, Decisions } from '../../design/schema.ts';
import { formatQuantity } from '../../quantity/index.ts';
import type { TopologyModel } from '../../topology/index.ts';
import { bankRms, estimate, losslessConditions, tellingInputs, worstOverDuty } from '../../estimates/estimate.ts';
import { cancellation } from '../../estimates/interleaving.ts';

/** A per phase above which another phase is cheaper than thicker copper. Common practice, no source. */
const PHASE_CURRENT = 25;
/** A RMS in a bank above which another phase is cheaper than more capacitors. Common practice, no source. */
const BANK_CURRENT = 25;
/**
 * W through one phase above which its inductor and the heat of one pair of switches become the trouble: 300 W up to
 * 75 V, growing with the voltage switched. Common practice, no source.
 */
const PHASE_POWER = 300;
const POWER_VOLTAGE = 75;
const MOST = 8;

/**
 * @param limits duties that the controller can give, at the frequency held or usual
 */
export function choosePhases(
  brief: Brief,
  model: TopologyModel,
  given: Pick<Decisions, 'coupling'>,
  limits: { largestDuty: number; smallestBoostDuty: number },
): { value: number; rule: string } {
  const inputs = tellingInputs(model, brief, 1);
  const setting = (phases: number) => ({ phases, switchingFrequency: 1, inductance: 1e9, ...limits });
  const worst = (phases: number) => {
    const at = inputs.map((input) => estimate(model, losslessConditions(brief, input, setting(phases))));
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
  const power = brief.outputVoltage * brief.outputCurrent.max;
  const stress = model.switchStress(brief.inputVoltage.max, brief.outputVoltage);
  const phasePower = PHASE_POWER * Math.max(1, Math.max(stress.control, stress.rectifier) / POWER_VOLTAGE);
  const clamp = (count: number): number => Math.min(MOST, Math.max(1, count));
  const byCurrent = clamp(Math.ceil(one / PHASE_CURRENT));
  const byPower = clamp(Math.ceil((power / phasePower) * (1 - 1e-9)));
  let value = Math.max(byCurrent, byPower);
  while (value < MOST && worst(value).bank > BANK_CURRENT) value += 1;
  const byBank = value;
  // where phases are needed anyway, one more that all but cancels the ripple at nominal input is worth its place
  const { duty } = estimate(model, losslessConditions(brief, brief.inputVoltage.nominal, setting(1)));
  if (value > 1 && value < MOST && cancellation(value + 1, duty) < cancellation(value, duty) / 4) value += 1;
  const { coupling } = given;
  const pairs = coupling && coupling.arrangement !== 'one-core' && value % 2 === 1 ? 1 : 0;
  const rule =
    value > byBank
      ? `one more than needed, since ${value} phases all but cancel the ripple at ${formatQuantity(duty, '%')}`
      : value > Math.max(byCurrent, byPower)
        ? `at most ${BANK_CURRENT} A RMS in a bank`
        : value === 1
          ? `${formatQuantity(one, 'A')} and ${formatQuantity(power, 'W')} need no more`
          : byPower > byCurrent
            ? `at most ${formatQuantity(phasePower, 'W', { digits: 2 })} a phase at this voltage`
            : `at most ${PHASE_CURRENT} A a phase`;
  return { value: value + pairs, rule: pairs ? `${rule}; coupled pairs make it even` : rule };
}
