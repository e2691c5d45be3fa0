import type { Brief, Decisions } from '../design/schema.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { dutyLimits } from '../topology/ofDesign.ts';
import { topologyModel, type TopologyModel } from '../topology/index.ts';
import { coupledRipple, transientFactor } from './coupling.ts';
import {
  estimate,
  losslessConditions,
  pulsedEstimate,
  tellingInputs,
  type Estimate,
  type Setting,
} from './estimate.ts';

/** Part of its lossless reach in duty that a stage may lose to resistances. Our own starting point. */
const LOST_REACH = 0.07;

type Coupled = Pick<Decisions, 'coupling'> & { phases: number };

/** Every telling corner of a design by estimate, with an inductance given (H). */
export function sizingCorners(
  brief: Brief,
  decisions: Pick<CompleteDecisions, 'topology' | 'phases' | 'control' | 'switchingFrequency' | 'coupling'>,
  inductance: number,
  pulsed = false,
): Estimate[] {
  const { topology, phases, control, switchingFrequency } = decisions;
  const model = topologyModel(topology);
  const setting = settingFor(control, phases, switchingFrequency, inductance);
  return tellingInputs(model, brief, phases).flatMap((input) =>
    pulsed
      ? [pulsedEstimate(model, losslessConditions(brief, input, setting))]
      : cornerEstimates(model, brief, input, setting, decisions),
  );
}

/** One input's estimates; a four-switch stage whose losses may carry it into its transition there has that one too. */
function cornerEstimates(
  model: TopologyModel,
  brief: Brief,
  input: number,
  setting: Setting,
  coupled: Coupled,
): Estimate[] {
  const lossless = estimate(model, losslessConditions(brief, input, setting));
  if (lossless.region !== 'buck') return [withCoupling(lossless, coupled)];
  const lossy = { ...setting, largestDuty: setting.largestDuty * (1 - LOST_REACH) };
  const other = estimate(model, losslessConditions(brief, input, lossy));
  return (other.region === 'buck' ? [lossless] : [lossless, other]).map((at) => withCoupling(at, coupled));
}

/** An estimate with what coupled windings do to their own ripple, to its sum, and to what moves together. */
function withCoupling(at: Estimate, { phases, coupling }: Coupled): Estimate {
  const transient = transientFactor({ phases, coupling });
  if (!coupling || transient === 1 || !(at.duty > 0 && at.duty < 1)) return at;
  const { winding } = coupledRipple(phases, coupling, at.duty);
  // a sum that cancels at the lossless duty does not at the real one beside it
  const sums = [0.9, 1, 1.1].map((part) => coupledRipple(phases, coupling, Math.min(0.98, at.duty * part)).sum);
  return {
    ...at,
    inductorRipple: at.inductorRipple * winding,
    summedRipple: at.inductorRipple * Math.max(...sums),
    peak: at.inductorAverage + (at.inductorRipple * winding) / 2,
    rightHalfPlaneZero: at.rightHalfPlaneZero === undefined ? undefined : at.rightHalfPlaneZero / transient,
  };
}

/** The corner whose volt-seconds across the inductor are the largest. */
export function worstRipple(corners: readonly Estimate[]): Estimate {
  return corners.reduce((a, b) => (b.inductorRipple > a.inductorRipple ? b : a));
}

export function settingFor(
  control: CompleteDecisions['control'],
  phases: number,
  switchingFrequency: number,
  inductance: number,
): Setting {
  return { phases, switchingFrequency, inductance, ...dutyLimits(control, switchingFrequency, control.deadTime) };
}
