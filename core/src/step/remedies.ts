import type { Design } from '../design/schema.ts';
import { formatQuantity } from '../quantity/format.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { predictExcursion, stepAt, withBank, type StepPoint } from './excursion.ts';

/** Factors within which a change is worth naming; how near to what is allowed it brings the step, and looks for it. Our own. */
const MOST = 12;
const NEAR = 0.003;
const ROUNDS = 24;

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
  const beyond = Math.log(worstOf(decisions) / required);
  if (beyond <= 0) return [];
  const { limit } = stepAt(design, decisions, points[0]!.inputVoltage);
  const inductor = (factor: number): CompleteDecisions => ({
    ...decisions,
    inductor: { ...decisions.inductor, inductance: decisions.inductor.inductance / factor },
  });
  const remedies: Remedy[] = [
    {
      words: (factor) =>
        `${(Math.ceil(factor * 10) / 10).toFixed(1)} times the output capacitance, its ESR in proportion`,
      changed: (factor) =>
        withBank(
          design,
          decisions,
          decisions.outputCapacitors.map((bank) => ({
            ...bank,
            capacitance: bank.capacitance * factor,
            esr: bank.esr / factor,
          })),
        ),
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
    const excess = (factor: number): number => Math.log(worstOf(changed(factor)) / required);
    // by a straight line in logarithms, for an excursion is a power of what is changed over most of its range; by halves where it jumps
    let [low, above] = [1, beyond];
    let [high, below] = [MOST, excess(MOST)];
    if (below > 0) return [];
    let side = 0;
    for (let round = 0; round < ROUNDS && below < -NEAR && high / low > 1 + NEAR; round += 1) {
      const halves = Math.abs(side) > 1 || !Number.isFinite(above - below);
      const middle = low * (high / low) ** (halves ? 0.5 : above / (above - below));
      const now = excess(middle);
      if (now <= 0) {
        [high, below] = [middle, now];
        side = side < 0 && side > -2 ? side - 1 : -1;
      } else {
        [low, above] = [middle, now];
        side = side > 0 && side < 2 ? side + 1 : 1;
      }
    }
    return [words(high)];
  });
}

const LIMITS = {
  frequency: 'a tenth of the switching frequency is as fast as its loop can be',
  duty: 'an end of its duty would cut a faster loop’s first answer off',
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
