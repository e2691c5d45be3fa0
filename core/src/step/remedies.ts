import type { Design } from '../design/schema.ts';
import { formatQuantity } from '../quantity/format.ts';
import type { CompleteDecisions } from '../stage/operating/stage.ts';
import { predictExcursion, stepAt, type StepPoint } from './excursion.ts';

/** Factors within which a change is worth naming, and halvings to a third of a per cent. Our own. */
const MOST = 12;
const ROUNDS = 10;

/** A change that would make a step hold, by itself. */
interface Remedy {
  words: (factor: number) => string;
  changed: (factor: number) => CompleteDecisions;
}

/**
 * What would make a load step hold that does not, each by itself and by how much, in words; nothing where it holds.
 * @param points full load at the inputs
 */
export function stepRemedies(design: Design, decisions: CompleteDecisions, points: readonly StepPoint[]): string[] {
  const required = design.brief.loadStep?.deviation;
  if (required === undefined || points.length === 0) return [];
  const worstOf = (of: CompleteDecisions): number =>
    Math.max(
      ...points.flatMap((point) => (['down', 'up'] as const).map((way) => predictExcursion(way, design, of, point))),
    );
  if (worstOf(decisions) <= required) return [];
  const { limit } = stepAt(design, decisions, points[0]!.inputVoltage);
  const inductor = (factor: number): CompleteDecisions => ({
    ...decisions,
    inductor: { ...decisions.inductor, inductance: decisions.inductor.inductance / factor },
  });
  const remedies: Remedy[] = [
    {
      words: (factor) => `${factor.toFixed(1)} times the output capacitance, its ESR in proportion`,
      changed: (factor) => ({
        ...decisions,
        outputCapacitors: decisions.outputCapacitors.map((bank) => ({
          ...bank,
          capacitance: bank.capacitance * factor,
          esr: bank.esr / factor,
        })),
      }),
    },
    {
      words: (factor) =>
        `an inductance of ${formatQuantity(decisions.inductor.inductance / factor, 'H', { digits: 2 })}`,
      changed: inductor,
    },
    ...(limit === 'frequency'
      ? [
          {
            words: (factor: number) =>
              `a switching frequency of ${formatQuantity(decisions.switchingFrequency * factor, 'Hz', { digits: 2 })}`,
            changed: (factor: number) => ({
              ...decisions,
              switchingFrequency: decisions.switchingFrequency * factor,
            }),
          },
        ]
      : []),
  ];
  return remedies.flatMap(({ words, changed }) => {
    const holds = (factor: number): boolean => worstOf(changed(factor)) <= required;
    if (!holds(MOST)) return [];
    let [low, high] = [1, MOST];
    for (let round = 0; round < ROUNDS; round += 1) {
      const middle = Math.sqrt(low * high);
      if (holds(middle)) high = middle;
      else low = middle;
    }
    return [words(high)];
  });
}

const LIMITS = {
  frequency: 'a tenth of the switching frequency is as fast as its loop can be',
  zero: 'its right-half-plane zero holds the loop back',
  section: 'the second filter section holds the loop back',
  filter: 'voltage mode cannot pass the output filter’s resonance here',
} as const;

/** The same as one remark. */
export function stepWarning(
  design: Design,
  decisions: CompleteDecisions,
  points: readonly StepPoint[],
): string | undefined {
  const required = design.brief.loadStep?.deviation;
  if (required === undefined || points.length === 0) return undefined;
  const worst = points
    .flatMap((point) =>
      (['down', 'up'] as const).map((way) => ({ point, way, volts: predictExcursion(way, design, decisions, point) })),
    )
    .reduce((a, b) => (b.volts > a.volts ? b : a));
  if (worst.volts <= required) return undefined;
  const { limit } = stepAt(design, decisions, worst.point.inputVoltage);
  const remedies = stepRemedies(design, decisions, points);
  return `The load step is expected to move the output by ${formatQuantity(worst.volts, 'V')} where ${formatQuantity(required, 'V')} are allowed: ${LIMITS[limit]}. ${
    remedies.length > 0
      ? `${remedies.length > 1 ? 'By itself each of these would do' : 'This would do'}: ${remedies.join('; ')}.`
      : 'No single change of bank, inductance or frequency by up to twelve times would do: the step or what is allowed has to change.'
  }`;
}
