import { PRACTICE, type Form, type Quantity } from '../../explain/form.ts';
import { generalisedCoefficient } from '../../losses/core.ts';
import type { RectifierValues, SwitchValues } from '../../losses/values.ts';
import { along } from '../../numbers/along.ts';
import { formatQuantity } from '../../quantity/index.ts';
import { recoveredCharge } from '../../losses/reverseRecovery.ts';
import { devicesOf, warmedBy, type HeatPlace } from '../operating/heat.ts';
import { heatOf, type Losses } from '../operating/operatingPoint.ts';
import type { StageScene } from '../scene.ts';

/*
 * What the parts' data add to conduction, each with the form that explains it where the corner is one that a form holds
 * for: one leg switching in continuous conduction, windings not coupled. Elsewhere the value is measured alone.
 */

type Leg = 'main' | 'boost';

/** A leg's devices and voltage at a point, where it alone switches. */
function legOf(leg: Leg, { result, point }: StageScene) {
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

function overlapForm(leg: Leg): (scene: StageScene) => Form | undefined {
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

function chargeForm(leg: Leg): (scene: StageScene) => Form | undefined {
  return (scene) => {
    const at = legOf(leg, scene);
    if (!at?.hard) return undefined;
    return {
      expression: `phases * switchingFrequency * ${at.blocking} * (control + rectifier) / 2`,
      figures: {
        control: { value: chargeOf(at.control, at.volts), unit: 'C' },
        rectifier: { value: chargeOf(at.rectifier, at.volts), unit: 'C' },
      },
      holds: `${FLOWING} Charge as that of a constant capacitance; a current that flows back would turn the node over and lose none.`,
      source: PRACTICE,
    };
  };
}

function recoveryForm(leg: Leg): (scene: StageScene) => Form | undefined {
  return (scene) => {
    const at = legOf(leg, scene);
    if (!at?.hard) return undefined;
    const { count = 1, reverseRecoveryCurve } = at.rectifier;
    const recovered = recoveredCharge(at.rectifier, scene.point.inductorCurrent.valley) ?? 0;
    return {
      expression: `phases * switchingFrequency * ${at.blocking} * recovered`,
      figures: { recovered: { value: count * recovered, unit: 'C' } },
      holds: reverseRecoveryCurve ? `${FLOWING} The charge is that at the current relieved.` : FLOWING,
      source: PRACTICE,
    };
  };
}

function gateForm(leg: Leg): (scene: StageScene) => Form | undefined {
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
function leakageForm(leg: Leg): (scene: StageScene) => Form | undefined {
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

type Bank = 'outputCapacitor' | 'inputCapacitor';

/** The capacitor of a bank whose life ends first. */
function shortest(which: Bank, { result, point }: StageScene) {
  const banks = result.decisions[which === 'outputCapacitor' ? 'outputCapacitors' : 'inputCapacitors'];
  return point[which].each
    .map((share, at) => ({ share, bank: banks[at]! }))
    .filter(({ share }) => share.lifetime !== undefined)
    .sort((a, b) => a.share.lifetime! - b.share.lifetime!)[0];
}

/** °C of that capacitor's core. */
function coreTemperature(name: string, symbol: string, which: Bank): Quantity<StageScene> {
  return {
    name,
    symbol,
    unit: '°C',
    kind: 'ratio',
    value: (scene) => shortest(which, scene)?.share.temperature,
    form: (scene) => {
      const found = shortest(which, scene);
      const { losses } = scene.point;
      const whole = which === 'outputCapacitor' ? losses.outputCapacitorEsr : losses.inputCapacitorEsr;
      if (!found || !(whole > 0)) return undefined;
      const { bank, share } = found;
      return {
        expression: `nearby + thermal * part * ${which === 'outputCapacitor' ? 'lossOutputEsr' : 'lossInputEsr'}`,
        figures: {
          nearby: { value: share.temperature! - bank.thermalResistance! * share.loss, unit: '°C' },
          thermal: { value: bank.thermalResistance!, unit: 'K/W' },
          part: { value: share.loss / whole, unit: '%' },
        },
        holds:
          'One capacitor’s part of its bank’s loss, shared out by impedance; nearby is the ambient, warmed by what else stands on the board.',
        source: 'Definition',
      };
    },
  };
}

/** Life of the shortest-lived capacitors of a bank, h. */
function life(name: string, symbol: string, which: Bank): Quantity<StageScene> {
  return {
    name,
    symbol,
    unit: 'h',
    kind: 'time',
    value: (scene) => {
      const found = shortest(which, scene);
      return found && found.share.lifetime! / HOUR;
    },
    form: (scene) => {
      const found = shortest(which, scene);
      if (!found) return undefined;
      const { thermalResistance = 0, rippleCurrentRating = 0, esr } = found.bank;
      return {
        expression: `min(131490, endurance * 2^((rated + tested - ${which === 'outputCapacitor' ? 'outputCapacitorCore' : 'inputCapacitorCore'}) / 10))`,
        figures: {
          endurance: { value: found.bank.lifetime! / HOUR, unit: 'h' },
          rated: { value: found.bank.lifetimeTemperature!, unit: '°C' },
          tested: { value: thermalResistance * rippleCurrentRating ** 2 * esr, unit: '' },
        },
        holds:
          'Twice as long for each ten kelvin that its core stays cooler than in the endurance test, with the rise its rated ripple gives it there; beyond fifteen years its seals end it.',
        source: PRACTICE,
      };
    },
  };
}
const HOUR = 3600;

/** The quantity that tells the temperature of each place. */
export const TEMPERATURE_OF = {
  controlSwitch: 'temperatureControl',
  rectifier: 'temperatureRectifier',
  boostControlSwitch: 'temperatureBoostControl',
  boostRectifier: 'temperatureBoostRectifier',
  inductor: 'temperatureInductor',
} as const satisfies Readonly<Record<HeatPlace, string>>;

/** What heats each place, by the ids of its losses. */
const HEATS: Readonly<Record<HeatPlace, readonly LossId[]>> = {
  controlSwitch: ['lossControl', 'lossOverlap', 'lossOutputCharge', 'lossRecovery'],
  rectifier: ['lossRectifier', 'lossDeadTime', 'lossLeakage'],
  boostControlSwitch: ['lossBoostControl', 'lossBoostOverlap', 'lossBoostOutputCharge', 'lossBoostRecovery'],
  boostRectifier: ['lossBoostRectifier', 'lossBoostLeakage'],
  inductor: ['lossWinding', 'lossCore'],
};
/** Which loss of a point each quantity tells. */
export const LOSS_OF = {
  lossControl: 'controlSwitchConduction',
  lossRectifier: 'rectifierConduction',
  lossDeadTime: 'deadTimeConduction',
  lossWinding: 'windingConduction',
  lossOutputEsr: 'outputCapacitorEsr',
  lossInputEsr: 'inputCapacitorEsr',
  lossBoostControl: 'boostControlSwitchConduction',
  lossBoostRectifier: 'boostRectifierConduction',
  lossFilterWinding: 'outputFilterWinding',
  lossFilterEsr: 'outputFilterEsr',
  lossSource: 'sourceResistance',
  lossPreload: 'preload',
  lossOverlap: 'controlSwitchOverlap',
  lossOutputCharge: 'outputCharge',
  lossRecovery: 'reverseRecovery',
  lossGate: 'gateDrive',
  lossBoostOverlap: 'boostControlSwitchOverlap',
  lossBoostOutputCharge: 'boostOutputCharge',
  lossBoostRecovery: 'boostReverseRecovery',
  lossBoostGate: 'boostGateDrive',
  lossController: 'controller',
  lossCore: 'core',
  lossLeakage: 'diodeLeakage',
  lossBoostLeakage: 'boostDiodeLeakage',
  lossSnubber: 'snubber',
  lossSense: 'currentSense',
  lossLeads: 'outputLeads',
} as const satisfies Readonly<Record<string, keyof Losses>>;
type LossId = keyof typeof LOSS_OF;

/** The quantity that tells a loss of a point. */
export function lossQuantity(name: string): LossId | undefined {
  return (Object.keys(LOSS_OF) as LossId[]).find((id) => LOSS_OF[id] === name);
}

function temperatureForm(place: HeatPlace): (scene: StageScene) => Form | undefined {
  return ({ design, result, point }) => {
    const device = devicesOf(result.decisions)[place];
    // the dead times of a four-switch stage heat both legs' rectifiers, each with its own share
    if (device?.resistance === undefined || (point.region !== undefined && place !== 'inductor')) return undefined;
    const heats = HEATS[place].filter((id) => point.losses[LOSS_OF[id]] !== undefined);
    const { decisions } = result;
    const heat = heatOf(decisions, point.losses, { buck: point.losses.deadTimeConduction ?? 0, boost: 0 });
    const warmed = warmedBy(decisions, heat, place);
    return {
      expression: `ambient + thermal * (${heats.join(' + ')}) / (phases * count)${warmed > 0 ? ' + warmed' : ''}`,
      figures: {
        ...(warmed > 0 ? { warmed: { value: warmed, unit: '' } } : {}),
        ambient: { value: design.brief.ambientTemperature, unit: '°C' },
        thermal: { value: device.resistance, unit: 'K/W' },
        count: { value: device.count, unit: '' },
      },
      holds: `Settled: these losses are those at this very temperature. The way out: ${device.path
        .map(({ to, resistance }) => `to ${to} ${formatQuantity(resistance, 'K/W')}`)
        .join(', ')}.${warmed > 0 ? ' The board is warmed by everything else on it.' : ''}`,
      source: 'Definition',
    };
  };
}

/** A loss that stands where its data are there. */
function known(
  name: string,
  symbol: string,
  of: (losses: Losses) => number | undefined,
  form?: (scene: StageScene) => Form | undefined,
): Quantity<StageScene> {
  return {
    name,
    symbol,
    unit: 'W',
    kind: 'power',
    value: ({ point }) => of(point.losses),
    ...(form ? { form: (scene: StageScene) => (of(scene.point.losses) ? form(scene) : undefined) } : {}),
  };
}

/** °C of one device of a place, where its thermal resistance is given. */
function temperature(name: string, symbol: string, place: HeatPlace): Quantity<StageScene> {
  return {
    name,
    symbol,
    unit: '°C',
    kind: 'ratio',
    value: ({ point }) => point.temperatures?.[place],
    form: temperatureForm(place),
  };
}

export const partLosses = {
  lossOverlap: known(
    'Control switch, overlap',
    'P_\\mathrm{sw}',
    (losses) => losses.controlSwitchOverlap,
    overlapForm('main'),
  ),
  lossOutputCharge: known('Output charge', 'P_\\mathrm{oss}', (losses) => losses.outputCharge, chargeForm('main')),
  lossRecovery: known('Reverse recovery', 'P_\\mathrm{rr}', (losses) => losses.reverseRecovery, recoveryForm('main')),
  lossGate: known('Gate drive', 'P_\\mathrm{g}', (losses) => losses.gateDrive, gateForm('main')),
  lossBoostOverlap: known(
    'Boost leg’s control switch, overlap',
    'P_{\\mathrm{sw}2}',
    (losses) => losses.boostControlSwitchOverlap,
    overlapForm('boost'),
  ),
  lossBoostOutputCharge: known(
    'Boost leg’s output charge',
    'P_{\\mathrm{oss}2}',
    (losses) => losses.boostOutputCharge,
    chargeForm('boost'),
  ),
  lossBoostRecovery: known(
    'Boost leg’s reverse recovery',
    'P_{\\mathrm{rr}2}',
    (losses) => losses.boostReverseRecovery,
    recoveryForm('boost'),
  ),
  lossBoostGate: known(
    'Boost leg’s gate drive',
    'P_{\\mathrm{g}2}',
    (losses) => losses.boostGateDrive,
    gateForm('boost'),
  ),
  lossController: known(
    'Controller',
    'P_\\mathrm{IC}',
    (losses) => losses.controller,
    ({ result }) => ({
      expression: 'quiescent * inputVoltage',
      holds: 'Drawn from the input at every load.',
      source: 'Definition',
      figures: { quiescent: { value: result.decisions.control.quiescentCurrent!, unit: 'A' } },
    }),
  ),
  lossCore: known('Inductor core', 'P_\\mathrm{Fe}', (losses) => losses.core, coreForm),
  lossLeakage: known('Diode leakage', 'P_\\mathrm{lk}', (losses) => losses.diodeLeakage, leakageForm('main')),
  lossBoostLeakage: known('Boost diode, leakage', 'P_{\\mathrm{lk}2}', (losses) => losses.boostDiodeLeakage),
  lossSnubber: known(
    'Snubber',
    'P_\\mathrm{sn}',
    (losses) => losses.snubber,
    (scene) => {
      const at = legOf('main', scene);
      return (
        at && {
          expression: `phases * switchingFrequency * snubber * ${at.blocking}^2`,
          figures: { snubber: { value: scene.result.decisions.snubber!.capacitance, unit: 'F' } },
          holds: 'Edges short against its R·C: half is lost at each, whatever the resistor.',
          source: PRACTICE,
        }
      );
    },
  ),
  lossSense: known(
    'Current sense',
    'P_\\mathrm{sense}',
    (losses) => losses.currentSense,
    ({ result }) => ({
      expression: 'phases * inductorRms^2 * sense',
      figures: { sense: { value: result.decisions.control.senseResistance!, unit: 'Ω' } },
      holds: 'In series with each inductor.',
      source: 'Definition',
    }),
  ),
  lossLeads: known(
    'Output leads',
    'P_\\mathrm{lead}',
    (losses) => losses.outputLeads,
    ({ result }) => ({
      expression: 'outputCurrent^2 * leads',
      figures: { leads: { value: result.decisions.outputLeadResistance!, unit: 'Ω' } },
      holds: 'Beyond the point where the output is sensed: the load gets so much less.',
      source: 'Definition',
    }),
  ),
  outputCapacitorCore: coreTemperature('Output bank, core that ages first', 'T_{C\\mathrm{out}}', 'outputCapacitor'),
  inputCapacitorCore: coreTemperature('Input bank, core that ages first', 'T_{C\\mathrm{in}}', 'inputCapacitor'),
  outputCapacitorLife: life('Output bank, life expected', 'L_{C\\mathrm{out}}', 'outputCapacitor'),
  inputCapacitorLife: life('Input bank, life expected', 'L_{C\\mathrm{in}}', 'inputCapacitor'),
  temperatureControl: temperature('Control switch temperature', 'T_Q', 'controlSwitch'),
  temperatureRectifier: temperature('Rectifier temperature', 'T_R', 'rectifier'),
  temperatureBoostControl: temperature('Boost leg’s control switch temperature', 'T_{Q2}', 'boostControlSwitch'),
  temperatureBoostRectifier: temperature('Boost leg’s rectifier temperature', 'T_{R2}', 'boostRectifier'),
  temperatureInductor: temperature('Inductor temperature', 'T_L', 'inductor'),
} as const satisfies Record<string, Quantity<StageScene>>;
