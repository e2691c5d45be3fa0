import type { Area } from '../area.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { burstsAt } from '../stage/sanity.ts';
import type { StageFound, StageScene } from '../stage/scene.ts';
import { assessTargets } from '../verdict/target.ts';
import { stepWarning } from './remedies.ts';
import { predictExcursion, type StepPoint } from './excursion.ts';
import { stepQuantities, type StepQuantity } from './quantities.ts';

/** The load step by a first estimate, until a loop is designed and the stage simulated: at full load, over the line. */
export const stepArea: Area<
  Pick<StageFound, 'decisions' | 'operatingPoints'>,
  object,
  StageScene,
  CompleteDecisions,
  StepQuantity
> = {
  id: 'step',
  compute: () => ({}),
  quantities: stepQuantities,
  figures: ['loadStepUndershoot', 'loadStepOvershoot'],
  targets: ({ design }, { decisions, operatingPoints }) => {
    // pulses in bursts follow no estimate: the simulated step alone judges them
    if (burstsAt(decisions, operatingPoints).length > 0) return [];
    const most = Math.max(...operatingPoints.map((point) => point.outputCurrent));
    const of = (direction: 'down' | 'up', id: StepQuantity, name: string) => ({
      id,
      name,
      unit: 'V' as const,
      sense: 'below' as const,
      required: design.brief.loadStep?.deviation,
      predict: (point: StepPoint) => predictExcursion(direction, design, decisions, point),
      applies: ({ outputCurrent }: { outputCurrent: number }) => outputCurrent === most,
      estimate: true as const,
      levers: ['outputCapacitors', 'inductor.inductance', 'switchingFrequency'],
      quantity: id,
    });
    return assessTargets(
      design,
      [of('down', 'loadStepUndershoot', 'Load-step undershoot'), of('up', 'loadStepOvershoot', 'Load-step overshoot')],
      operatingPoints,
    );
  },
  warnings: ({ design }, { decisions, operatingPoints }) => {
    if (burstsAt(decisions, operatingPoints).length > 0) return [];
    const most = Math.max(...operatingPoints.map((point) => point.outputCurrent));
    const message = stepWarning(
      design,
      decisions,
      operatingPoints.filter(({ outputCurrent }) => outputCurrent === most),
    );
    return message === undefined ? [] : [{ id: 'load-step', message }];
  },
  cautions: () => [],
  tapes: [],
  moreTapes: [],
};
