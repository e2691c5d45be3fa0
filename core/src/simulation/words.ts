import type { Design } from '../design/schema.ts';
import type { Scenario } from './run.ts';

/** What a scenario is called, what is done, and what a bench person sees and why. */
export interface ScenarioWords {
  name: string;
  group: 'ordinary' | 'raw stage' | 'faults';
  does: string;
  /** what it looks like, and why; of the faults and the raw stage */
  looks?: string;
}

export const SCENARIO_WORDS: Readonly<Record<Scenario, ScenarioWords>> = {
  'steady-state': {
    name: 'Steady state',
    group: 'ordinary',
    does: 'the period that repeats, closed by its controller',
  },
  'light-load': {
    name: 'Lightest load',
    group: 'ordinary',
    does: 'what repeats at the brief’s lightest load: pulses in bursts where the policy skips them',
    looks:
      'Forced PWM keeps its frequency and lets the current go below zero. Skipped pulses come alone or in bursts, and the ripple is theirs; held above what is heard, the rectifier takes back what the shortest pulses give too much.',
  },
  'load-step': {
    name: 'Load step',
    group: 'ordinary',
    does: 'a step of the load, from the steady state',
  },
  'step-train': {
    name: 'Step train',
    group: 'ordinary',
    does: 'the load step there and back at the rate that moves the output most, which is sought',
  },
  'line-step': {
    name: 'Line step',
    group: 'ordinary',
    does: 'the brief’s step of the input at full load',
  },
  'start-up': {
    name: 'Start-up',
    group: 'ordinary',
    does: 'everything at rest, the input present, the reference rising',
  },
  overload: {
    name: 'Overload',
    group: 'ordinary',
    does: 'the load rises to 1.6 times its full value at once',
    looks: 'The output sags to what the current limit leaves, or holds where there is none.',
  },
  'short-circuit': {
    name: 'Short circuit',
    group: 'faults',
    does: 'ten milliohms across the output',
    looks:
      'The inductor’s current climbs by the input in each pulse and hardly falls between, for nothing but the drops pulls it down: the shortest on-time decides how far it runs beyond the limit. A boost cannot limit it at all: the input passes through its rectifier.',
  },
  'open-loop': {
    name: 'Open loop',
    group: 'raw stage',
    does: 'a fixed duty and no controller',
  },
  'lighter-load': {
    name: 'Load let go',
    group: 'raw stage',
    does: 'the duty stays, the load falls to a thousandth in eight steps',
    looks:
      'A diode lets the current stop, and each pulse then gives the same charge to an ever lighter load: the output climbs. A synchronous rectifier pulls the surplus back, and the output stays.',
  },
  'duty-ramp': {
    name: 'Duty raised',
    group: 'raw stage',
    does: 'the duty rises steadily to 97 %',
    looks:
      'A boost’s output rises, flattens and collapses: beyond its best duty, resistance takes more than the longer charge gives. A choke whose curve is known shows its saturation as a current that turns upward.',
  },
  'bank-aged': {
    name: 'Aged bank',
    group: 'faults',
    does: 'the load step with half the output capacitance and three times its ESR',
    looks:
      'A sharper first dip, which is the ESR, and a deeper sag: with so little left the loop may ring where it did not.',
  },
  'bank-lost': {
    name: 'Capacitor lost',
    group: 'faults',
    does: 'the load step without the largest output capacitor',
    looks: 'The ripple and the dip grow at once; a bank of several hides it at rest.',
  },
  'phase-lost': {
    name: 'Phase lost',
    group: 'faults',
    does: 'phase 1 gives no more pulses, and neither of its switches conducts',
    looks:
      'With several phases the others take its part, ripple appears at the phases’ own frequency and their heat rises. A single phase is the whole stage: the output falls by the load alone.',
  },
  'switch-shorted': {
    name: 'Switch shorted',
    group: 'faults',
    does: 'the control switch of phase 1 conducts for ever',
    looks:
      'A buck’s output goes to the input, rings past it and stays: what hangs on it is lost unless a crowbar and a fuse stand before it. A boost’s or inverting stage’s input is shorted through the choke, whose current only the source limits.',
  },
  'feedback-lost': {
    name: 'Feedback lost',
    group: 'faults',
    does: 'nothing of the output is sensed: the divider’s top is open, or its tap at return',
    looks:
      'The amplifier sees too little and asks for all: the duty goes to its end and the output to whatever the stage can give. A protection that reads the same divider is blind with it.',
  },
  'divider-open': {
    name: 'Divider open',
    group: 'faults',
    does: 'the divider’s lower resistor is gone: its tap stands at the output',
    looks:
      'The amplifier sees the whole output: pulses stop, the load pulls the output down, and it settles where the reference is. Forced PWM pulls it down itself, back into the input.',
  },
};

/** V above which direct voltage is no longer taken to be safe to touch when dry (common limits; local codes decide). */
const TOUCH = 60;

/** Cautions that go with a scenario, where what it did can hurt. */
export function scenarioCautions(
  scenario: Scenario,
  { brief }: Design,
  { highest, surge }: { highest: number; surge: number },
): string[] {
  const cautions: string[] = [];
  if (highest > TOUCH)
    cautions.push(
      `The output reaches ${Math.round(highest)} V. Above ${TOUCH} V it can hurt to touch, and the bank holds it after the input is gone: discharge it, keep one hand away, and follow local codes and qualified practice.`,
    );
  const fuse = brief.inputFuse;
  const faulty = scenario === 'short-circuit' || scenario === 'switch-shorted';
  if (faulty && brief.source === 'battery')
    cautions.push(
      'A battery gives a fault whatever it asks: a fuse close to its terminals, rated to break that current, stands between it and a fire. Test with a limited supply.',
    );
  if (faulty && fuse !== undefined && surge > fuse)
    cautions.push(`The input’s current passes its ${fuse} A fuse: what follows here is what happens before it opens.`);
  return cautions;
}
