import type { CompleteDecisions, InjectionNetwork } from '../../design/complete.ts';
import { once, type Decide } from '../../design/decide.ts';
import type { CapacitorBank } from '../../design/schema.ts';
import { chooseCompensator, dividerFor, hasAmplifier, hasNetwork } from '../../control/compensator.ts';
import { crossoverLimitOf, modulates } from '../../control/crossoverLimit.ts';
import { sectionOf } from '../../control/secondSection.ts';
import { chooseDigital } from '../../control/digital.ts';
import { chooseInjection, dividerOf, liftUsed } from '../../control/injection.ts';
import { rampAt } from '../../control/placing.ts';
import { transientFactor } from '../../estimates/coupling.ts';
import { sensedByRamp, slowestCritical } from '../../estimates/critical.ts';
import { tellingInputs } from '../../estimates/estimate.ts';
import { lumped, RECOVERS, type Lumped } from '../../estimates/outputBank.ts';
import {
  deliveredSlew,
  lateCurrent,
  latest,
  PROMPT,
  uncutCrossover,
  type Direction,
  type Late,
} from '../../estimates/slew.ts';
import type { BankStock } from '../../shelf/usual/capacitors.ts';
import { bankRippleAt } from '../operating/cornerState.ts';
import { chooseInputBank, chooseOutputBank, type Sized } from './banks.ts';
import type { Pace } from './pace.ts';
import type { StageShape } from './shape.ts';

/* What holds the output: banks, by ripple and by what the loop answers with, and the network that closes it. */

type Banks = Pick<CompleteDecisions, 'outputCapacitors' | 'inputCapacitors'>;

/** What the loop can be held to, as far as the stage before its banks tells. */
export interface Regulation {
  /** H, of all phases together, as the loop sees it */
  inductance: number;
  /** Hz at which pulses come at the slowest */
  slowest: () => number;
  /** V/A of a ramp that in critical conduction ends at a current */
  asSensed: () => number | undefined;
  crossoverLimit: () => ReturnType<typeof crossoverLimitOf>;
}

export function regulationOf(
  { brief, given, model, phases, control }: StageShape,
  pace: Pace,
  stage: CompleteDecisions,
): Regulation {
  const { at, base, switchingFrequency } = pace;
  const inductance = (pace.inductance * transientFactor(base)) / phases;
  const critical = given.conduction === 'critical';
  const slowest = once(() =>
    critical ? slowestCritical(at(), switchingFrequency, stage.critical?.valleyCurrent ?? 0) : switchingFrequency,
  );
  const asSensed = once(() =>
    critical && modulates(control.method)
      ? sensedByRamp(at(), (inputVoltage) => rampAt(stage.control, inputVoltage))
      : undefined,
  );
  const uncut = (): ((bank: Lumped) => number) => {
    const over = tellingInputs(model, brief, phases).map((input) => uncutCrossover(brief, stage, input));
    return (bank) => Math.min(...over.map((of) => of(bank)));
  };
  const crossoverLimit = once(() =>
    crossoverLimitOf(
      asSensed() === undefined ? control.method : 'peak-current-mode',
      { switchingFrequency: slowest(), phases },
      at(),
      inductance,
      sectionOf(given.outputFilter),
      control.method === 'digital' ? uncut() : undefined,
    ),
  );
  return { inductance, slowest, asSensed, crossoverLimit };
}

/** Both banks. @param stage with empty ones @param stock capacitors that can be had, where they are chosen from a shelf */
export function decideBanks(
  { brief, given, model, phases, control, pulsed, rectifier }: StageShape,
  { at, switchingFrequency, inductance }: Pace,
  { crossoverLimit }: Regulation,
  stage: CompleteDecisions,
  stock: { output?: BankStock | undefined; input?: BankStock | undefined } | undefined,
  decide: Decide,
): Banks {
  const { lightLoad } = stage;
  const sized = (): Sized => ({
    at: at(),
    phases,
    frequency: switchingFrequency,
    skips: lightLoad === 'pulse-skipping' || lightLoad === 'ultrasonic',
    section: sectionOf(given.outputFilter),
    crossover: (bank) => crossoverLimit()(bank).slowest,
    recovers: hasAmplifier(control) || control.method === 'digital' ? RECOVERS : 1,
    ...(control.method === 'constant-on-time' && model.id === 'buck' && phases === 1 && !given.control?.rippleInjection
      ? {
          lift: (banks: readonly CapacitorBank[]) =>
            liftUsed(
              brief,
              control,
              switchingFrequency,
              inductance,
              rectifier === 'diode' || lightLoad !== 'forced-pwm',
              banks,
            ),
        }
      : {}),
  });
  const inputCapacitors = decide('inputCapacitors', given.inputCapacitors, () =>
    chooseInputBank(brief, sized(), stock?.input),
  );
  /** V, exact, at the inputs that are the worst by estimate: unlike banks ring with one another as no estimate tells */
  const exactRipple = (outputCapacitors: CapacitorBank[], inputs: readonly number[]): number =>
    Math.max(
      0,
      ...inputs.map((inputVoltage) => {
        const corner = { inputVoltage, outputCurrent: brief.outputCurrent.max };
        return bankRippleAt(model, brief, { ...stage, outputCapacitors, inputCapacitors }, corner);
      }),
    );
  const answer = (): { on: number; off: number; late: Late } => {
    const bare = { ...stage, inputCapacitors };
    const over = <T>(of: (input: number) => T): T[] => tellingInputs(model, brief, phases).map(of);
    const slew = (direction: Direction): number =>
      Math.min(...over((input) => deliveredSlew(brief, bare, input, direction).slew));
    return { on: slew('up'), off: slew('down'), late: latest(over((input) => lateCurrent(brief, bare, input))) };
  };
  const outputCapacitors = decide('outputCapacitors', given.outputCapacitors, () =>
    chooseOutputBank(
      brief,
      sized(),
      // a current that starts from nothing in each period has no inertia
      pulsed ? { on: Infinity, off: Infinity, late: PROMPT } : answer(),
      exactRipple,
      stock?.output,
    ),
  );
  return { inputCapacitors, outputCapacitors };
}

/** What closes the loop, by the control method: a network, ripple that is injected, or a difference equation. @param crossover Hz that is wanted */
export function decideNetwork(
  { brief, given, model, phases, control }: StageShape,
  { at }: Pace,
  regulation: Regulation,
  whole: CompleteDecisions,
  crossover: number | undefined,
  decide: Decide,
): CompleteDecisions {
  const { asSensed, slowest, crossoverLimit, inductance } = regulation;
  let decisions = whole;
  const limit = () => crossoverLimit()(lumped(whole.outputCapacitors));
  if (hasAmplifier(control)) {
    const found = limit();
    const placing = {
      brief,
      decisions: {
        ...decisions,
        switchingFrequency: slowest(),
        ...(asSensed() === undefined
          ? {}
          : { control: { ...decisions.control, method: 'peak-current-mode' as const, currentSenseGain: asSensed() } }),
      },
      corners: at(),
      crossoverLimit: crossover === undefined ? found : { ...found, crossover },
      inductance,
    };
    const network = given.compensator;
    const compensator = {
      // a network without a divider is one for this output
      ...dividerFor(brief, control.referenceVoltage, network),
      ...decide('compensator', hasNetwork(network) ? network : undefined, () => chooseCompensator(placing, network)),
    };
    decisions = { ...decisions, compensator };
  }
  const network = given.control?.rippleInjection;
  if (network || control.method === 'constant-on-time') {
    // a file that gives its bank and no network is taken at its word: its comparator sees what that bank shows it, but
    // for a controller or a bank from the shelf, whose small parts it need not name; and of several phases one node's
    // ripple says nothing of the others
    const fromShelf =
      control.partId !== undefined || given.outputCapacitors?.every(({ partId }) => partId !== undefined) !== false;
    const open = model.id === 'buck' && phases === 1 && fromShelf;
    const chosen = network || open ? chooseInjection(brief, decisions, network !== undefined) : undefined;
    if (chosen) {
      const { value, rule } = chosen;
      const each = (key: keyof InjectionNetwork): number =>
        decide(`control.rippleInjection.${key}`, network?.[key], () => ({ value: value[key], rule }));
      const rippleInjection = { resistor: each('resistor'), capacitor: each('capacitor'), coupling: each('coupling') };
      decisions = { ...decisions, control: { ...decisions.control, rippleInjection } };
    }
    const divided =
      open && !given.compensator ? dividerOf(brief, decisions, decisions.control.rippleInjection) : undefined;
    if (divided) decisions = { ...decisions, compensator: decide('compensator', undefined, () => divided) };
  }
  if (control.method === 'digital') {
    const placing = { brief, decisions, corners: at(), crossoverLimit: limit(), inductance };
    const digital = decide('control.digital', control.digital, () => chooseDigital(placing));
    decisions = { ...decisions, control: { ...decisions.control, digital } };
  }
  return decisions;
}
