import type { Brief, Decisions, Topology } from '../../design/schema.ts';
import { diodeClassFor } from '../../shelf/usual/switches.ts';
import { formatQuantity } from '../../quantity/index.ts';
import { topologyModel } from '../../topology/index.ts';

/** Part of the output power that a diode may lose, and W in one, before a switch is worth its place. Common practice, no source. */
const DIODE_SHARE = 0.02;
const DIODE_HEAT = 1.5;
/** The same share where the diode blocks so much that a switch's own body diode would be the trouble. V. */
const HIGH_SHARE = 0.01;
const HIGH_BLOCKING = 250;
/** Part of full load below which the stage spends its time at light load. Common practice, no source. */
const LIGHT = 0.05;
/** Times the controller’s minimum on-time that a pulse keeps. Our own starting point. */
const PULSE_SPARE = 1.2;
/** W of output and A of inductor current below which what a stage draws at light load is what counts. Common practice, no source. */
const SMALL_POWER = 5;
export const SMALL_CURRENT = 0.2;

/** Whether the stage's own parts are given: then it runs as such stages do by default, and no rule turns it into another. */
export function partsGiven({ inductor, outputCapacitors }: Decisions): boolean {
  // parts from a shelf were chosen for what the rules decided
  return inductor?.inductance !== undefined && inductor.partId === undefined && outputCapacitors !== undefined;
}

/** A diode where its drop costs next to nothing, else a switch. */
export function chooseRectifier(
  brief: Brief,
  given: Decisions,
  topology: Topology,
  phases: number,
  pulsed: boolean,
): { value: { kind: 'synchronous' | 'diode' }; rule: string } {
  if (pulsed)
    return {
      value: { kind: 'diode' },
      rule: 'the current stops in each period, and at this output a diode’s drop is next to nothing',
    };
  const { inputVoltage, outputVoltage, outputCurrent } = brief;
  const model = topologyModel(topology);
  const free =
    given.lightLoad === undefined &&
    given.conduction !== 'critical' &&
    !given.coupling &&
    phases === 1 &&
    !partsGiven(given);
  if (free && model.switches === 2) {
    const { rectifier: blocked } = model.switchStress(inputVoltage.max, outputVoltage);
    const { forwardVoltage, kind } = diodeClassFor(blocked);
    const share = topology === 'buck' ? Math.max(0, 1 - outputVoltage / inputVoltage.max) : 1;
    const heat = forwardVoltage * outputCurrent.max * share;
    const part = heat / (outputVoltage * outputCurrent.max);
    if (blocked > HIGH_BLOCKING ? part <= HIGH_SHARE : part <= DIODE_SHARE && heat <= DIODE_HEAT)
      return {
        value: { kind: 'diode' },
        rule: `a ${kind} diode costs ${formatQuantity(part, '%', { digits: 2 })} of the output here, and needs no driver`,
      };
  }
  return { value: { kind: 'synchronous' }, rule: 'a switch loses less than a diode’s drop' };
}

type LightLoad = NonNullable<Decisions['lightLoad']>;

/** What a light-load policy is chosen by, beside the brief. */
export interface LightLoadNeed {
  topology: Topology;
  rectifier: 'synchronous' | 'diode';
  /** A, of one phase at full load */
  inductorCurrent: number;
}

/** With a diode; whether pulses are left out too is another question. */
const BY_ITSELF = {
  value: 'diode-emulation',
  rule: 'a diode lets the current stop by itself at light load',
} as const;

/** What the stage does as the load falls, as far as the load and what minds it decide that; undefined where its pulses do. */
export function lightLoadByNeed(
  brief: Brief,
  given: Decisions,
  { topology, rectifier, inductorCurrent }: LightLoadNeed,
): { value: LightLoad; rule: string } | undefined {
  const { min, max } = brief.outputCurrent;
  const forced = (rule: string): { value: LightLoad; rule: string } =>
    rectifier === 'diode' ? BY_ITSELF : { value: 'forced-pwm', rule };
  if (partsGiven(given)) return forced('the parts are given: fixed frequency at every load until a policy is chosen');
  if (given.conduction === 'critical') return forced('critical conduction has its own frequency at every load');
  if (given.coupling) return forced('coupled windings stay in step while none of them rests');
  if (brief.keepClear && brief.keepClear.length > 0)
    return forced('fixed frequency at every load, for the bands to keep clear');
  if (rectifier === 'diode') return undefined;
  if (inductorCurrent < SMALL_CURRENT)
    return { value: 'pulse-skipping', rule: 'a stage this small gives pulses of one size, as many as the load takes' };
  if (given.control?.method === 'digital' || given.control?.digital)
    return forced(
      'fixed frequency: where the current stops, an equation made for one that flows on keeps little phase',
    );
  if (topology === 'four-switch-buck-boost')
    return forced('fixed frequency: which legs a resting four-switch stage wakes is its controller’s affair');
  if (min >= LIGHT * max * (1 - 1e-9))
    return forced(`fixed frequency: the load stays above ${LIGHT * 100} % of full load`);
  if (brief.loadStep && Math.min(brief.loadStep.from, brief.loadStep.to) < LIGHT * max)
    return forced('the load step starts from light load, where a stage whose current stops answers late');
  const power = brief.outputVoltage * max;
  if (power < SMALL_POWER || brief.source === 'battery')
    return {
      value: 'pulse-skipping',
      rule:
        brief.source === 'battery'
          ? 'a battery lasts by what is drawn at light load'
          : 'the load falls far, and little power leaves no room for switching that brings nothing',
    };
  return undefined;
}

/** The policy by the need, else by the pulses: s, the shortest of diode emulation, and the shortest that the controller gives. */
export function chooseLightLoad(
  brief: Brief,
  given: Decisions,
  need: LightLoadNeed,
  { shortestPulse, minimumOnTime }: { shortestPulse: () => number; minimumOnTime: number },
): { value: LightLoad; rule: string } {
  const byNeed = lightLoadByNeed(brief, given, need);
  if (byNeed) return byNeed;
  if (shortestPulse() < PULSE_SPARE * minimumOnTime)
    return {
      value: 'pulse-skipping',
      rule: `the load falls so far that pulses at every period would be shorter than the controller’s ${formatQuantity(minimumOnTime, 's')}`,
    };
  return need.rectifier === 'diode'
    ? BY_ITSELF
    : { value: 'diode-emulation', rule: 'the load falls far: negative current would only circulate' };
}
