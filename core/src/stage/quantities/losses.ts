import { ERICKSON, PRACTICE, type Form, type Quantity } from '../../explain/form.ts';
import { generalisedCoefficient } from '../../losses/core.ts';
import { LOSSES, type Loss, type LossId, type MainLoss } from '../../losses/mechanisms.ts';
import { recoveredCharge } from '../../losses/reverseRecovery.ts';
import type { RectifierValues, SwitchValues } from '../../losses/values.ts';
import { along } from '../../numbers/along.ts';
import type { StageScene } from '../scene.ts';

/*
 * Every loss as a quantity. What the parts' data add to conduction has a form where the corner is one that a form holds
 * for: one leg switching, windings not coupled. Elsewhere the value is measured alone.
 */

type LegName = 'main' | 'boost';

/** A leg's devices and voltage at a point, where it alone switches. */
function legOf(leg: LegName, { result, point }: StageScene) {
  const { controlSwitch, rectifier, boostLeg, coupling } = result.decisions;
  const own = leg === 'main' ? point.region === undefined || point.region === 'buck' : point.region === 'boost';
  if (!own || coupling || point.onTime === 0) return undefined;
  return {
    control: leg === 'main' ? controlSwitch : (boostLeg?.controlSwitch ?? controlSwitch),
    rectifier: leg === 'main' ? rectifier : (boostLeg?.rectifier ?? rectifier),
    blocking: leg === 'main' ? 'controlBlocking' : 'boostControlBlocking',
    volts: leg === 'main' ? point.controlSwitch.blockingVoltage : (point.boostLeg?.controlSwitch.blockingVoltage ?? 0),
    /** whether charge and recovery are lost at turn-on */
    hard: point.conductionMode === 'CCM' && point.inductorCurrent.valley > 0,
    stops: point.conductionMode === 'DCM',
  };
}

const FLOWING = 'Continuous conduction, the current flowing forward as the control switch turns on.';

function overlapForm(leg: LegName): (scene: StageScene) => Form | undefined {
  return (scene) => {
    const at = legOf(leg, scene);
    if (!at || !(at.hard || at.stops)) return undefined;
    const { control } = scene.result.decisions;
    const { gateVoltage, driverPullUpResistance, driverPullDownResistance } = control;
    const { gateDrainCharge, postThresholdGateCharge, plateauVoltage, gateResistance = 0, count = 1 } = at.control;
    if (
      gateVoltage === undefined ||
      driverPullUpResistance === undefined ||
      driverPullDownResistance === undefined ||
      gateDrainCharge === undefined ||
      postThresholdGateCharge === undefined ||
      plateauVoltage === undefined
    )
      return undefined;
    const edges = at.stops ? 'inductorPeak * fall' : '(inductorValley * rise + inductorPeak * fall)';
    return {
      expression: `phases * switchingFrequency * ${at.blocking} / 2 * ${edges}`,
      where: {
        ...(at.stops
          ? {}
          : { rise: { symbol: 't_\\mathrm{on}', expression: 'charge * (pullUp + inner) / (gateVoltage - plateau)' } }),
        fall: { symbol: 't_\\mathrm{off}', expression: 'charge * (pullDown + inner) / plateau' },
      },
      figures: {
        charge: { value: count * (gateDrainCharge + postThresholdGateCharge), unit: 'C' },
        inner: { value: gateResistance / count, unit: 'Ω' },
        pullUp: { value: driverPullUpResistance, unit: 'Ω' },
        pullDown: { value: driverPullDownResistance, unit: 'Ω' },
        gateVoltage: { value: gateVoltage, unit: 'V' },
        plateau: { value: plateauVoltage, unit: 'V' },
      },
      holds: at.stops
        ? 'Discontinuous conduction: it turns on without current. Straight edges, as long as the driver takes through the plateau.'
        : 'Straight edges, as long as the driver takes from the threshold through the plateau.',
      source: PRACTICE,
    };
  };
}

const chargeOf = (device: SwitchValues | RectifierValues, volts: number): number =>
  (device.count ?? 1) *
  (device.outputChargeCurve ? along(device.outputChargeCurve, volts) : (device.outputCharge ?? 0));

function chargeForm(leg: LegName): (scene: StageScene) => Form | undefined {
  return (scene) => {
    const { point, result } = scene;
    const at = legOf(leg, scene);
    if (!at || !(at.hard || at.stops)) return undefined;
    const figures = {
      control: { value: chargeOf(at.control, at.volts), unit: 'C' as const },
      rectifier: { value: chargeOf(at.rectifier, at.volts), unit: 'C' as const },
    };
    if (at.stops) {
      const steps = leg === 'main' && (point.region === 'buck' || result.decisions.topology === 'buck');
      return {
        expression: `phases * switchingFrequency * (control + rectifier) * rested^2 / (2 * ${at.blocking})`,
        where: {
          rested: { symbol: 'v_0', expression: steps ? 'inputVoltage - outputVoltageAverage' : 'inputVoltage' },
        },
        figures,
        holds: 'Discontinuous conduction: the control switch turns on from where the node has come to rest.',
        source: PRACTICE,
      };
    }
    return {
      expression: `phases * switchingFrequency * ${at.blocking} * (control + rectifier) / 2`,
      figures,
      holds: `${FLOWING} Charge as that of a constant capacitance; a current that flows back would turn the node over and lose none.`,
      source: PRACTICE,
    };
  };
}

function recoveryForm(leg: LegName): (scene: StageScene) => Form | undefined {
  return (scene) => {
    const at = legOf(leg, scene);
    if (!at?.hard) return undefined;
    const { count = 1, reverseRecoveryCurve } = at.rectifier;
    const recovered = recoveredCharge(at.rectifier, scene.point.inductorCurrent.valley) ?? 0;
    return {
      expression: `phases * switchingFrequency * ${at.blocking} * recovered`,
      figures: { recovered: { value: count * recovered, unit: 'C' } },
      holds: `${FLOWING}${reverseRecoveryCurve ? ' The charge is that at the current relieved.' : ''} A body diode’s charge by its data sheet usually holds its output charge as well: it then counts twice, on the safe side.`,
      source: PRACTICE,
    };
  };
}

function gateForm(leg: LegName): (scene: StageScene) => Form | undefined {
  return (scene) => {
    const at = legOf(leg, scene);
    const { gateVoltage } = scene.result.decisions.control;
    if (!at || gateVoltage === undefined) return undefined;
    const { rectifier, control } = at;
    const second = rectifier.kind === 'synchronous' ? (rectifier.count ?? 1) * (rectifier.gateCharge ?? 0) : 0;
    return {
      expression: 'phases * switchingFrequency * gateVoltage * (control + rectifier)',
      figures: {
        gateVoltage: { value: gateVoltage, unit: 'V' },
        control: { value: (control.count ?? 1) * (control.gateCharge ?? 0), unit: 'C' },
        rectifier: { value: second, unit: 'C' },
      },
      holds: 'Both gates are charged and discharged once a period; a diode has none.',
      source: PRACTICE,
    };
  };
}

/** The core's loss of a straight-sided triangle, in closed form. */
function coreForm({ result, point }: StageScene): Form | undefined {
  const { inductor, coupling } = result.decisions;
  const { core, inductanceCurve, inductance } = inductor;
  if (!core || inductanceCurve || coupling || point.conductionMode !== 'CCM' || point.region === 'buck-boost')
    return undefined;
  const { k, alpha, beta } = core.steinmetz;
  return {
    expression:
      'phases * volume * coefficient * switchingFrequency^alpha * swing^beta * (on^(1 - alpha) + (1 - on)^(1 - alpha))',
    where: { swing: { symbol: '\\Delta B', expression: 'inductance * inductorRipple / (turns * area)' } },
    figures: {
      volume: { value: core.volume, unit: '' },
      coefficient: { value: generalisedCoefficient({ k, alpha, beta }), unit: '' },
      alpha: { value: alpha, unit: '' },
      beta: { value: beta, unit: '' },
      turns: { value: core.turns, unit: '' },
      area: { value: core.area, unit: '' },
      inductance: { value: inductance, unit: 'H' },
      on: { value: point.onTime * point.switchingFrequency, unit: '%' },
    },
    holds: 'Continuous conduction with straight ramps: the improved generalised Steinmetz equation of a triangle.',
    source: 'Venkatachalam, Sullivan, Abdallah and Tacca, 2002 (recalled from memory)',
  };
}

/** A diode's leakage while it blocks, at its settled temperature. */
function leakageForm(leg: LegName): (scene: StageScene) => Form | undefined {
  return (scene) => {
    const { point } = scene;
    const at = legOf(leg, scene);
    // in dead times a leg's diode may carry the other's current
    if (at?.rectifier.kind !== 'diode') return undefined;
    const { count = 1, leakageCurrent = 0, leakageDoubling = 10 } = at.rectifier;
    const temperature = point.temperatures?.[leg === 'main' ? 'rectifier' : 'boostRectifier'] ?? 25;
    const stress = leg === 'main' ? point.rectifier : point.boostLeg?.rectifier;
    if (leg === 'boost' || !stress) return undefined;
    return {
      expression: 'phases * (1 - rectifierDuty) * blocked * cold * 2^((hot - 25) / doubling)',
      figures: {
        blocked: { value: stress.blockingVoltage, unit: 'V' },
        cold: { value: count * leakageCurrent, unit: 'A' },
        hot: { value: temperature, unit: '°C' },
        doubling: { value: leakageDoubling, unit: '' },
      },
      holds: 'While it does not conduct, at its highest reverse voltage; doubles with each so many kelvin.',
      source: PRACTICE,
    };
  };
}

/** What the gates' linear supply takes beyond what the gates do. */
function supplyForm(leg: LegName): (scene: StageScene) => Form | undefined {
  return (scene) => {
    const at = legOf(leg, scene);
    const { gateVoltage, gateSupply } = scene.result.decisions.control;
    if (!at || !gateVoltage || gateSupply === undefined || gateSupply === 'given') return undefined;
    const from = gateSupply === 'from-input' ? 'inputVoltage' : 'outputVoltageAverage';
    return {
      expression: `${leg === 'main' ? 'lossGate' : 'lossBoostGate'} * (${from} - gateVoltage) / gateVoltage`,
      figures: { gateVoltage: { value: gateVoltage, unit: 'V' } },
      holds: `A linear supply of the gate voltage from the ${gateSupply === 'from-input' ? 'input' : 'output'}: the same charge falls through the rest.`,
      source: PRACTICE,
    };
  };
}

const conduction = (name: string, current: string, resistance: string, extra = ''): Form => ({
  expression: `phases * (${current}^2 * ${resistance}${extra})`,
  holds: `${name}: RMS current through resistance, over all phases, at the temperature the resistance was given for.`,
  source: ERICKSON('ch. 3'),
});
const ofBank = (which: 'output' | 'input'): Form => ({
  expression: `${which}CapacitorRms^2 * ${which}Esr`,
  holds: 'Banks lumped; exact for one bank.',
  source: ERICKSON('ch. 3'),
});

/** How a loss is explained; of a boost leg where it has none of its own. */
const FORMS: { [K in MainLoss]?: (leg: LegName) => (scene: StageScene) => Form | undefined } = {
  controlSwitchConduction: ofMain(() => conduction('Control switch', 'controlRms', 'controlResistance')),
  rectifierConduction: ofMain(() =>
    conduction('Rectifier', 'rectifierRms', 'rectifierResistance', ' + rectifierAverage * rectifierDrop'),
  ),
  deadTimeConduction: ofMain(({ point }) =>
    point.conductionMode === 'DCM' || point.onTime === 0
      ? undefined
      : {
          expression: '2 * phases * bodyDiodeDrop * abs(inductorAverage) * deadTime * switchingFrequency',
          holds: 'Continuous conduction with positive current; two dead times a period.',
          source: PRACTICE,
        },
  ),
  windingConduction: ofMain(({ result }) => {
    const { senseResistance: sense } = result.decisions.control;
    if (!sense) return conduction('Winding', 'inductorRms', 'windingResistance');
    // the current sense in series with it has a loss of its own
    return {
      ...conduction('Winding', 'inductorRms', '(windingResistance - sense)'),
      figures: { sense: { value: sense, unit: 'Ω' } },
    };
  }),
  outputCapacitorEsr: ofMain(() => ofBank('output')),
  inputCapacitorEsr: ofMain(() => ofBank('input')),
  controlSwitchOverlap: overlapForm,
  outputCharge: chargeForm,
  reverseRecovery: recoveryForm,
  gateDrive: gateForm,
  gateSupply: supplyForm,
  diodeLeakage: leakageForm,
  snubber: ofMain((scene) => {
    const at = legOf('main', scene);
    return (
      at && {
        expression: `phases * switchingFrequency * snubber * ${at.blocking}^2`,
        figures: { snubber: { value: scene.result.decisions.snubber!.capacitance, unit: 'F' } },
        holds: 'Edges short against its R·C: half is lost at each, whatever the resistor.',
        source: PRACTICE,
      }
    );
  }),
  currentSense: ofMain(({ result }) => ({
    expression: 'phases * inductorRms^2 * sense',
    figures: { sense: { value: result.decisions.control.senseResistance!, unit: 'Ω' } },
    holds: 'In series with each inductor.',
    source: 'Definition',
  })),
  outputLeads: ofMain(({ result }) => ({
    expression: 'outputCurrent^2 * leads',
    figures: { leads: { value: result.decisions.outputLeadResistance!, unit: 'Ω' } },
    holds: 'Beyond the point where the output is sensed: the load gets so much less.',
    source: 'Definition',
  })),
  divider: ofMain(({ result, design }) => ({
    expression: 'wanted^2 / (top + bottom)',
    figures: {
      wanted: { value: design.brief.outputVoltage, unit: 'V' },
      top: { value: result.decisions.compensator!.dividerTop!, unit: 'Ω' },
      bottom: { value: result.decisions.compensator!.dividerBottom!, unit: 'Ω' },
    },
    holds: 'Across the output that is held, at every load.',
    source: 'Definition',
  })),
  controller: ofMain(({ result }) => ({
    expression: 'quiescent * inputVoltage',
    holds: 'Drawn from the input at every load.',
    source: 'Definition',
    figures: { quiescent: { value: result.decisions.control.quiescentCurrent!, unit: 'A' } },
  })),
  core: ofMain(coreForm),
};

/** A form of the main leg or of the whole stage. */
function ofMain(form: (scene: StageScene) => Form | undefined) {
  return (leg: LegName) => (leg === 'main' ? form : () => undefined);
}

/** Losses that a bare design has: found on the waveforms themselves, whatever a form leaves out. */
const OF_CIRCUIT: ReadonlySet<MainLoss> = new Set([
  'controlSwitchConduction',
  'rectifierConduction',
  'deadTimeConduction',
  'windingConduction',
  'outputCapacitorEsr',
  'inputCapacitorEsr',
]);

function quantityOf({ words, symbol, name, of, leg }: Loss): Quantity<StageScene> {
  const form = FORMS[of]?.(leg);
  return {
    name: words,
    symbol,
    unit: 'W',
    kind: 'power',
    value: ({ point }) => point.losses[name],
    ...(OF_CIRCUIT.has(of) && leg === 'main' ? { exact: true } : {}),
    // what is nothing is not explained, but for what a bare design has
    ...(form ? { form: (scene) => (OF_CIRCUIT.has(of) || scene.point.losses[name] ? form(scene) : undefined) } : {}),
  };
}

/** Every loss of the table as a quantity. */
export const lossQuantities = Object.fromEntries(LOSSES.map((loss) => [loss.quantity, quantityOf(loss)])) as Readonly<
  Record<LossId, Quantity<StageScene>>
>;
