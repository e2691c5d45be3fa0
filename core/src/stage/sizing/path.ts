import type { CompleteDecisions } from '../../design/complete.ts';
import { once, type Decide } from '../../design/decide.ts';
import type { Decisions } from '../../design/schema.ts';
import { blindClimb } from '../../control/protection.ts';
import type { SizedSwitch } from '../../estimates/switchLoss.ts';
import { formatQuantity, preferredNearest, preferredUp } from '../../quantity/index.ts';
import { windingFor } from '../../shelf/usual/inductors.ts';
import { diodeClassFor, switchClassFor } from '../../shelf/usual/switches.ts';
import { allowedLoss, WINDING_SHARE } from './banks.ts';
import { wantedSaturation } from './inductor.ts';
import { chooseLightLoad } from './mode.ts';
import { shortestPulse, valleyOf, type Pace } from './pace.ts';
import type { StageShape } from './shape.ts';
import { needsOf, sizeSwitches } from './switches.ts';

/* What the current flows through: winding and switches, and what they do at light load. */

export type Path = Pick<
  CompleteDecisions,
  'lightLoad' | 'inductor' | 'controlSwitch' | 'rectifier' | 'boostLeg' | 'critical'
>;

/** Part by which the estimated peak may lie below the true one: what a stage loses is drawn through the inductor of all but a buck. Held against exact solutions of bare briefs and of those on parts. */
const PEAK_SPARE = { buck: 0.01, others: 0.05 };

/** A, one phase's highest peak at full load by estimate, with what that may lie below the truth; of single pulses at light load, which are whole ramps, where those are higher. */
export function expectedPeak(
  { brief, given, model, rectifier }: StageShape,
  { at, inductance, largestCurrent }: Pace,
  lightLoad: CompleteDecisions['lightLoad'],
): number {
  if (given.conduction === 'critical')
    return 2 * largestCurrent() + valleyOf(brief, given, model, rectifier, inductance);
  return (
    (1 + PEAK_SPARE[model.id === 'buck' ? 'buck' : 'others']) *
    Math.max(...at().map((corner) => Math.max(corner.peak, lightLoad === 'forced-pwm' ? 0 : corner.inductorRipple)))
  );
}

/** The light-load policy and the inductor's own data. */
export function decideWinding(shape: StageShape, pace: Pace, decide: Decide): Pick<Path, 'lightLoad' | 'inductor'> {
  const { brief, given, model, phases, control, pulsed, rectifier } = shape;
  const { switchingFrequency, inductance, at, largestCurrent } = pace;
  const lightLoad = decide('lightLoad', given.lightLoad, () =>
    chooseLightLoad(
      brief,
      given,
      { topology: model.id, rectifier, inductorCurrent: largestCurrent() },
      {
        shortestPulse: () => shortestPulse(shape, switchingFrequency, inductance),
        minimumOnTime: control.minimumOnTime,
      },
    ),
  );
  const critical = given.conduction === 'critical';
  const ripple = (): number =>
    critical
      ? 2 * (largestCurrent() + valleyOf(brief, given, model, rectifier, inductance))
      : Math.max(...at().map((corner) => corner.inductorRipple));
  const peak = (): number => expectedPeak(shape, pace, lightLoad);
  const saturationCurrent = decide('inductor.saturationCurrent', given.inductor?.saturationCurrent, () => ({
    value: preferredUp(
      wantedSaturation(
        pulsed ? peak() : largestCurrent(),
        peak(),
        model.id === 'boost' ? 0 : blindClimb(brief, inductance, control),
      ),
      'E24',
    ),
    rule: '1.35 × load, and above the peak as much as the current limit with its tolerance and a short circuit need, next E24 up',
  }));
  const rms = (): number =>
    pulsed
      ? Math.max(...at().map((corner) => Math.hypot(corner.controlRms, corner.rectifierRms)))
      : Math.hypot(largestCurrent(), ripple() / Math.sqrt(12));
  const resistance = decide('inductor.resistance', given.inductor?.resistance, () => {
    const wound = windingFor(inductance, saturationCurrent, rms(), (WINDING_SHARE * allowedLoss(brief)) / phases);
    const part = `what a part of ${formatQuantity(inductance, 'H')} and ${formatQuantity(saturationCurrent, 'A')}`;
    return {
      value: preferredNearest(wound.resistance, 'E24'),
      rule:
        wound.size > 1.05
          ? `${part} has in ${wound.size.toPrecision(2)} times the usual size, for its heat`
          : `${part} usually has`,
    };
  });
  return { lightLoad, inductor: { ...given.inductor, inductance, resistance, saturationCurrent } };
}

/** The switches of both legs. @param silicon m² of die that all share, where stages are compared */
export function decideSwitches(
  { brief, given, model, phases, pulsed, rectifier: kind }: StageShape,
  { switchingFrequency, at }: Pace,
  silicon: number | undefined,
  decide: Decide,
): Pick<Path, 'controlSwitch' | 'rectifier' | 'boostLeg'> {
  const needs = once(() => needsOf(brief, model.id, at()));
  const sized = once(() => sizeSwitches(needs(), switchingFrequency, phases, kind === 'synchronous', silicon));
  const shared = silicon !== undefined;
  const controlSwitch = {
    ...given.controlSwitch,
    onResistance: decide('controlSwitch.onResistance', given.controlSwitch?.onResistance, () => ({
      value: stockResistance(sized().control.resistance, shared),
      rule: switchRule(sized().control, shared),
    })),
    voltageRating: decide('controlSwitch.voltageRating', given.controlSwitch?.voltageRating, () =>
      ratingOf(needs().control.blocked),
    ),
  };
  const rectifier = completeRectifier(given, kind, decide, {
    blocked: () => needs().rectifier.blocked,
    average: () => (pulsed ? needs().rectifier.rms : brief.outputCurrent.max / phases),
    sized: () => sized().rectifier,
    silicon: shared,
  });
  const { boostLeg } = given;
  if (!boostLeg) return { controlSwitch, rectifier };
  return {
    controlSwitch,
    rectifier,
    boostLeg: {
      ...boostLeg,
      controlSwitch: boostLeg.controlSwitch
        ? { onResistance: controlSwitch.onResistance, ...boostLeg.controlSwitch }
        : controlSwitch,
      rectifier: boostLeg.rectifier
        ? boostLeg.rectifier.kind === 'diode'
          ? { forwardVoltage: 0.45, resistance: 0, ...boostLeg.rectifier }
          : { onResistance: controlSwitch.onResistance, ...boostLeg.rectifier }
        : rectifier,
    },
  };
}

/** How far below zero the current of critical conduction goes, where the node is to be swung over. */
export function decideValley(
  { brief, given, model }: StageShape,
  { inductance }: Pace,
  rectifier: Path['rectifier'],
  decide: Decide,
): Path['critical'] {
  const { critical } = given;
  const { nodeCapacitance } = critical ?? {};
  if (given.conduction !== 'critical' || nodeCapacitance === undefined || rectifier.kind !== 'synchronous')
    return critical;
  const { inputVoltage } = brief;
  return {
    ...critical,
    valleyCurrent: decide('critical.valleyCurrent', critical?.valleyCurrent, () => ({
      value: valleyOf(brief, given, model, 'synchronous', inductance),
      rule: `what swings the node over at ${formatQuantity(inputVoltage.max, 'V')}`,
    })),
  };
}

/** The next stock value; where silicon is shared out to compare, the very share. */
function stockResistance(value: number, exact: boolean): number {
  return exact ? value : preferredUp(value, 'E24');
}

function switchRule(sized: SizedSwitch, silicon: boolean): string {
  const of = `${formatQuantity(sized.class.rating, 'V')} ${sized.class.technology === 'silicon' ? 'silicon' : 'wide-bandgap'}`;
  return silicon
    ? `its share of the silicon compared, in ${of}`
    : `${of}: half as much again as the resistance at which conduction and switching lose least`;
}

function ratingOf(blocked: number): { value: number; rule: string } {
  const { rating } = switchClassFor(blocked);
  return { value: rating, rule: `the class above ${formatQuantity(blocked, 'V')} and what rings on top of it` };
}

function completeRectifier(
  given: Decisions,
  kind: 'synchronous' | 'diode',
  decide: Decide,
  need: { blocked: () => number; average: () => number; sized: () => SizedSwitch; silicon: boolean },
): CompleteDecisions['rectifier'] {
  const { rectifier } = given;
  if (kind === 'synchronous') {
    const held = rectifier?.kind === 'synchronous' ? rectifier : undefined;
    return {
      ...held,
      kind: 'synchronous',
      onResistance: decide('rectifier.onResistance', held?.onResistance, () => ({
        value: stockResistance(need.sized().resistance, need.silicon),
        rule: switchRule(need.sized(), need.silicon),
      })),
      voltageRating: decide('rectifier.voltageRating', held?.voltageRating, () => ratingOf(need.blocked())),
    };
  }
  const held = rectifier?.kind === 'diode' ? rectifier : undefined;
  const of = once(() => diodeClassFor(need.blocked()));
  return {
    ...held,
    kind: 'diode',
    forwardVoltage: decide('rectifier.forwardVoltage', held?.forwardVoltage, () => ({
      value: of().forwardVoltage,
      rule: `${of().kind} of ${formatQuantity(of().rating, 'V')}`,
    })),
    resistance: decide('rectifier.resistance', held?.resistance, () =>
      held?.forwardVoltage === undefined
        ? {
            value: preferredNearest(Math.max(1e-4, of().slope / need.average()), 'E12'),
            rule: `usual for a die made for ${formatQuantity(need.average(), 'A')}`,
          }
        : { value: 0, rule: 'flat drop, as its forward voltage was given alone' },
    ),
    voltageRating: decide('rectifier.voltageRating', held?.voltageRating, () => ({
      value: of().rating,
      rule: `the class above ${formatQuantity(need.blocked(), 'V')} and what rings on top of it`,
    })),
  };
}
