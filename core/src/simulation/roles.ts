import type { Operation, StageConditions, TopologyModel } from '../topology/index.ts';
import type { ControlLaw, RoleChange, Roles } from './modulator.ts';

/*
 * How the legs of a four-switch stage change their roles while it runs: between buck, both and boost by the input and by
 * the output that is asked for, at a clock of phase 1, with the control voltage handed over as it stands, or the duties
 * that a difference equation remembers by as much as the legs' differ.
 */

/** Whether a controller hands over from leg to leg: one whose control voltage, or duty, ends its pulses. */
export const changesRoles = ({ method, critical }: ControlLaw): boolean =>
  !critical &&
  (method === 'voltage-mode' ||
    method === 'voltage-mode-feedforward' ||
    method === 'peak-current-mode' ||
    method === 'average-current-mode' ||
    method === 'digital');

/** Part of the input by which it has to be past a border before roles change. Our own. */
const PAST = 0.005;

/**
 * @param first the operation that a run begins with
 * @param conditionsAt at V of the input and a part of the output
 */
export function roleChangeOf(
  model: TopologyModel,
  modulator: ControlLaw,
  period: number,
  rolesOf: (operation: Operation) => Roles,
  first: { operation: Operation; roles: Roles },
  conditionsAt: (volts: number, part: number) => StageConditions,
): RoleChange {
  const nameOf = ({ region, transition }: Operation): string => `${region}/${transition?.open ?? ''}`;
  const known = new Map([[nameOf(first.operation), first.roles]]);
  const rolesFor = (operation: Operation): Roles => {
    const name = nameOf(operation);
    let roles = known.get(name);
    if (!roles) known.set(name, (roles = rolesOf(operation)));
    return roles;
  };
  const likeliest = (volts: number, part: number): Roles => rolesFor(model.operations(conditionsAt(volts, part))[0]!);
  const endsAt = (roles: Roles, volts: number, part: number): number => {
    const { transition, region } = roles;
    const { forms, conditions } = model.operations(conditionsAt(volts, part)).find((one) => one.region === region)!;
    const duty = transition ? transition[transition.open] : forms.ccmDuty(conditions);
    if (modulator.method === 'digital') return duty;
    if (modulator.method === 'voltage-mode-feedforward') return duty * modulator.rampGain * volts;
    if (modulator.method !== 'peak-current-mode') return duty * modulator.rampAmplitude;
    const peak = forms.inductorAverage(conditions, duty) + forms.inductorRipple(conditions, duty) / 2;
    return modulator.currentSenseGain * peak + modulator.slopeCompensation * duty * period;
  };
  return {
    next: (now, volts, part) => {
      const roles = likeliest(volts * (1 - PAST), part);
      return roles === likeliest(volts * (1 + PAST), part) ? roles : now;
    },
    fall: (now, next, volts, part) => endsAt(now, volts, part) - endsAt(next, volts, part),
  };
}
