import { PRACTICE, type Form, type Quantity } from '../../explain/form.ts';
import { MECHANISMS } from '../../losses/mechanisms.ts';
import { formatQuantity } from '../../quantity/index.ts';
import { devicesOf, warmedBy, type HeatPlace } from '../operating/heat.ts';
import { heatOf, heatsOf } from '../operating/operatingPoint.ts';
import type { StageScene } from '../scene.ts';

/* What the losses heat: devices, windings, and the capacitors whose life hangs on it. */

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

function temperatureForm(place: HeatPlace): (scene: StageScene) => Form | undefined {
  return ({ design, result, point }) => {
    const device = devicesOf(result.decisions)[place];
    // the dead times of a four-switch stage heat both legs' rectifiers, each with its own share
    if (device?.resistance === undefined || (point.region !== undefined && place !== 'inductor')) return undefined;
    // dead times heat a rectifier too, shared out between the legs
    const heats = [
      ...heatsOf(place).filter(({ name }) => point.losses[name] !== undefined),
      ...(place === 'rectifier' && point.losses.deadTimeConduction !== undefined
        ? [{ quantity: MECHANISMS.deadTimeConduction.quantity }]
        : []),
    ].map(({ quantity }) => quantity);
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

export const heatQuantities = {
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
