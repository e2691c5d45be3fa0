import { z } from 'zod';
import { name, object } from '../design/areas/fields.ts';
import { above, either, flag, least, line, oneOf, share, someOf, text, whole } from './fields.ts';

/*
 * The parts of the Shelf. A part's data-sheet values carry the names that the design file has for them, so that choosing
 * a part is copying them; what the file has no name for stays with the part. All values in SI base units, °C, and K/W.
 */

const common = {
  id: name(80, 'id').regex(/^[a-z0-9][a-z0-9.-]*$/u, {
    error: 'expected lower-case letters, figures, dots and dashes',
  }),
  name: name(160, 'name'),
  family: text(80, 'family'),
  package: text(60, 'package'),
  length: above('m', 'length'),
  width: above('m', 'width'),
  height: above('m', 'height'),
  cost: least('', 'cost of one, in your currency'),
  note: text(4000, 'note'),
  /** kept for the designs that use it, offered to none */
  retired: flag('retired'),
  /** an example, not a part that can be bought */
  invented: flag('invented'),
};

const junction = {
  thermalResistance: above('K/W', 'junction or winding to ambient'),
  junctionToCase: above('K/W', 'junction to case'),
  junctionTemperature: either('°C', 'highest junction temperature'),
};

const mosfetShape = {
  ...common,
  kind: z.literal('mosfet'),
  technology: oneOf(['silicon', 'gallium-nitride', 'silicon-carbide'], 'technology'),
  voltageRating: above('V', 'rated voltage, drain to source'),
  currentRating: above('A', 'rated current, continuous'),
  onResistance: least('Ω', 'on-resistance, at 25 °C and the gate voltage named'),
  onResistanceTemperature: either('K⁻¹', 'rise of the resistance, of that at 25 °C'),
  onResistanceCurve: line('V', 'Ω', 'resistance against gate voltage', 'falls'),
  gateVoltage: above('V', 'gate voltage, of the values'),
  gateVoltageMaximum: above('V', 'gate voltage, highest'),
  thresholdVoltage: above('V', 'gate threshold'),
  plateauVoltage: above('V', 'gate plateau'),
  gateCharge: least('C', 'gate charge'),
  gateDrainCharge: least('C', 'gate to drain charge'),
  postThresholdGateCharge: least('C', 'charge from threshold to plateau'),
  gateResistance: least('Ω', 'inner gate resistance'),
  outputCharge: least('C', 'output charge, at the voltage named'),
  outputChargeVoltage: above('V', 'voltage of the output charge'),
  outputChargeCurve: line('V', 'C', 'output charge against voltage', 'rises'),
  reverseRecoveryCharge: least('C', 'reverse recovery charge'),
  reverseRecoveryCurve: line('A', 'C', 'reverse recovery charge against current', 'rises'),
  bodyDiodeVoltage: least('V', 'body diode'),
  ...junction,
};

const diodeShape = {
  ...common,
  kind: z.literal('diode'),
  technology: oneOf(['schottky', 'fast', 'silicon-carbide'], 'technology'),
  voltageRating: above('V', 'rated voltage, reverse'),
  currentRating: above('A', 'rated current, average'),
  forwardVoltage: least('V', 'forward voltage at no current'),
  resistance: least('Ω', 'slope resistance'),
  reverseRecoveryCharge: least('C', 'reverse recovery charge'),
  reverseRecoveryCurve: line('A', 'C', 'reverse recovery charge against current', 'rises'),
  outputCharge: least('C', 'charge of its capacitance'),
  hotLeakage: least('A', 'leakage at rated voltage and 125 °C'),
  ...junction,
};

const inductorShape = {
  ...common,
  kind: z.literal('inductor'),
  inductance: above('H', 'inductance, without current'),
  resistance: least('Ω', 'resistance, of the winding at 25 °C'),
  resistanceTemperature: either('K⁻¹', 'rise of the resistance, of that at 25 °C'),
  acResistance: line('Hz', 'Ω', 'winding resistance against frequency'),
  inductanceCurve: line('A', 'H', 'inductance against current', 'falls'),
  saturation: oneOf(['soft', 'sharp'], 'how it saturates'),
  saturationCurrent: above('A', 'saturation current, where the inductance has fallen by 30 %'),
  ratedCurrent: above('A', 'rated current, RMS for a rise of 40 K'),
  selfResonance: above('Hz', 'self-resonance'),
  shielded: flag('shielded'),
  windings: above('', 'windings alike on one core, where more than one'),
  coupling: share('coupling between its windings, 0 to 1'),
  turns: above('', 'turns'),
  coreArea: above('', 'core area, m²'),
  coreVolume: above('', 'core volume, m³'),
  steinmetzK: above('', 'Steinmetz k, W/m³ at Hz and T'),
  steinmetzAlpha: above('', 'Steinmetz exponent of frequency'),
  steinmetzBeta: above('', 'Steinmetz exponent of flux density'),
  thermalResistance: above('K/W', 'winding to ambient'),
};

const capacitorShape = {
  ...common,
  kind: z.literal('capacitor'),
  technology: oneOf(['ceramic', 'polymer', 'electrolytic', 'tantalum', 'film'], 'technology'),
  dielectric: text(20, 'dielectric'),
  capacitance: above('F', 'nominal capacitance'),
  tolerance: share('tolerance'),
  esr: least('Ω', 'series resistance, at the switching frequency'),
  esl: least('H', 'series inductance'),
  voltageRating: above('V', 'rated voltage'),
  rippleCurrentRating: above('A', 'RMS ripple current'),
  biasCurve: line('V', '', 'capacitance against bias, over nominal', 'falls'),
  temperatureLoss: share('capacitance lost at the ends of its temperature range'),
  ageing: share('loss in each tenfold of hours'),
  impedanceCurve: line('Hz', 'Ω', 'impedance against frequency'),
  esrCurve: line('Hz', 'Ω', 'series resistance against frequency'),
  lifetime: above('s', 'endurance at the temperature named'),
  lifetimeTemperature: either('°C', 'temperature of the endurance'),
  thermalResistance: above('K/W', 'case to ambient'),
};

const coreShape = {
  ...common,
  kind: z.literal('core'),
  material: text(60, 'package'),
  gapped: flag('takes a gap'),
  area: above('', 'effective area, m²'),
  volume: above('', 'effective volume, m³'),
  pathLength: above('m', 'effective path length'),
  windowArea: above('', 'winding window, m²'),
  turnLength: above('m', 'mean length of a turn'),
  permeability: above('', 'relative permeability'),
  inductanceFactor: above('H', 'inductance of one turn'),
  saturationFlux: above('T', 'saturation flux density at 100 °C'),
  steinmetzK: above('', 'Steinmetz k, W/m³ at Hz and T'),
  steinmetzAlpha: above('', 'Steinmetz exponent of frequency'),
  steinmetzBeta: above('', 'Steinmetz exponent of flux density'),
  thermalResistance: above('K/W', 'to ambient'),
};

const wireShape = {
  ...common,
  kind: z.literal('wire'),
  diameter: above('m', 'diameter, of the copper'),
  outerDiameter: above('m', 'outer diameter, with its insulation'),
  strands: whole('strands'),
  resistancePerLength: above('', 'at 20 °C, Ω/m'),
};

const METHODS = [
  'voltage-mode',
  'voltage-mode-feedforward',
  'peak-current-mode',
  'average-current-mode',
  'constant-on-time',
] as const;
const LIGHT_LOADS = ['forced-pwm', 'diode-emulation', 'pulse-skipping', 'ultrasonic'] as const;
const TOPOLOGIES = ['buck', 'boost', 'inverting-buck-boost', 'four-switch-buck-boost'] as const;

const controllerFields = {
  topologies: someOf(TOPOLOGIES, 'stages it runs'),
  phases: whole('phases'),
  methods: someOf(METHODS, 'control methods'),
  lightLoads: someOf(LIGHT_LOADS, 'light-load policies'),
  inputVoltageMinimum: above('V', 'lowest input'),
  inputVoltageMaximum: above('V', 'highest input'),
  outputVoltageMinimum: above('V', 'lowest output'),
  outputVoltageMaximum: above('V', 'highest output'),
  accuracy: share('accuracy of the reference over temperature'),
  referenceVoltage: above('V', 'reference'),
  frequencyMinimum: above('Hz', 'lowest frequency'),
  frequencyMaximum: above('Hz', 'highest frequency'),
  frequencySetBy: oneOf(['fixed', 'resistor', 'resistor-capacitor', 'clock'], 'how the frequency is set'),
  synchronisable: flag('follows an outer clock'),
  spreadSpectrum: flag('spread spectrum'),
  quiescentCurrent: least('A', 'own current, from the input while it runs'),
  minimumOnTime: least('s', 'shortest on-time'),
  minimumOffTime: least('s', 'shortest off-time'),
  maximumDuty: share('largest duty'),
  passThrough: flag('100 % duty'),
  deadTime: least('s', 'dead time at each edge'),
  gateVoltage: above('V', 'gate drive'),
  gateSupply: oneOf(['from-input', 'from-output', 'given'], 'what it makes its gate drive from'),
  driverPullUpResistance: least('Ω', 'gate drive, upward'),
  driverPullDownResistance: least('Ω', 'gate drive, downward'),
  currentLimit: above('A', 'current limit of a phase, of inner switches'),
  currentSenseVoltage: above('V', 'across the current sense at the limit'),
  softStart: oneOf(['fixed', 'capacitor'], 'soft start'),
  softStartCurrent: above('A', 'charging the soft-start capacitor'),
  softStartTime: above('s', 'fixed soft start'),
  powerGood: flag('power-good output'),
  externalCompensation: flag('compensated outside'),
  enableThreshold: above('V', 'enable, rising'),
  enableHysteresis: above('V', 'enable, hysteresis'),
  transconductance: above('A/V', 'of a transconductance amplifier'),
  thermalResistance: above('K/W', 'junction to ambient'),
};

const controllerShape = { ...common, kind: z.literal('controller'), ...controllerFields };

const converterShape = {
  ...common,
  kind: z.literal('converter'),
  ...controllerFields,
  outputCurrent: above('A', 'output current, of one phase'),
  controlResistance: above('Ω', 'inner control switch'),
  rectifierResistance: above('Ω', 'inner rectifier; absent: a diode outside'),
};

const driverShape = {
  ...common,
  kind: z.literal('driver'),
  voltageRating: above('V', 'rated voltage, of the high side'),
  gateVoltage: above('V', 'gate drive'),
  gateSupply: oneOf(['from-input', 'from-output', 'given'], 'what it makes its gate drive from'),
  driverPullUpResistance: least('Ω', 'resistance upward'),
  driverPullDownResistance: least('Ω', 'resistance downward'),
  deadTime: least('s', 'dead time at each edge'),
  quiescentCurrent: least('A', 'supply'),
  thermalResistance: above('K/W', 'junction to ambient'),
};

/** What must hold between a part's own values. */
type Check = readonly [path: string, fails: boolean | undefined, expected: string];

function checked<T extends z.ZodRawShape>(shape: T, checks: (part: z.infer<ReturnType<typeof object<T>>>) => Check[]) {
  return object(shape).superRefine((part, context) => {
    for (const [path, fails, expected] of checks(part)) {
      if (fails !== true) continue;
      context.addIssue({
        code: 'custom',
        path: [path],
        input: (part as Record<string, unknown>)[path],
        message: `expected ${expected}`,
      });
    }
  });
}

/** Whether both are given and the first is more than the second. */
const over = (a: number | undefined, b: number | undefined): boolean => a !== undefined && b !== undefined && a > b;
const missing = <T extends object>(part: T, ...keys: (keyof T & string)[]): Check[] =>
  keys.map((key) => [key, part[key] === undefined, 'a value: nothing is known of such a part without it']);

const controllerChecks = (part: {
  inputVoltageMinimum?: number | undefined;
  inputVoltageMaximum?: number | undefined;
  outputVoltageMinimum?: number | undefined;
  outputVoltageMaximum?: number | undefined;
  frequencyMinimum?: number | undefined;
  frequencyMaximum?: number | undefined;
  enableThreshold?: number | undefined;
  enableHysteresis?: number | undefined;
}): Check[] => [
  ...missing(part, 'inputVoltageMinimum', 'inputVoltageMaximum'),
  ['inputVoltageMinimum', over(part.inputVoltageMinimum, part.inputVoltageMaximum), 'at most the highest input'],
  ['outputVoltageMinimum', over(part.outputVoltageMinimum, part.outputVoltageMaximum), 'at most the highest output'],
  ['frequencyMinimum', over(part.frequencyMinimum, part.frequencyMaximum), 'at most the highest frequency'],
  ['enableHysteresis', over(part.enableHysteresis, part.enableThreshold), 'at most the threshold'],
];

export const partSchemas = {
  mosfet: checked(mosfetShape, (part) => [
    ...missing(part, 'voltageRating', 'onResistance'),
    ['thresholdVoltage', over(part.thresholdVoltage, part.plateauVoltage), 'below the plateau'],
    ['plateauVoltage', over(part.plateauVoltage, part.gateVoltage), 'below the gate voltage of the values'],
    ['gateVoltage', over(part.gateVoltage, part.gateVoltageMaximum), 'at most the highest gate voltage'],
    [
      'gateDrainCharge',
      over((part.gateDrainCharge ?? 0) + (part.postThresholdGateCharge ?? 0), part.gateCharge),
      'with the charge from threshold to plateau, at most the gate charge',
    ],
    ['outputChargeVoltage', over(part.outputChargeVoltage, part.voltageRating), 'at most the voltage rating'],
  ]),
  diode: checked(diodeShape, (part) => missing(part, 'voltageRating', 'forwardVoltage', 'currentRating')),
  inductor: checked(inductorShape, (part) => [
    ...missing(part, 'inductance', 'resistance', 'saturationCurrent'),
    [
      'inductance',
      part.inductance !== undefined &&
        part.inductanceCurve !== undefined &&
        Math.abs(part.inductanceCurve[0]![1] / part.inductance - 1) > 0.3,
      'within 30 % of where its curve begins',
    ],
    [
      'acResistance',
      over(part.resistance, part.acResistance?.at(-1)?.[1]),
      'a curve that ends at or above the resistance',
    ],
  ]),
  capacitor: checked(capacitorShape, (part) => [
    ...missing(part, 'capacitance', 'voltageRating'),
    ['biasCurve', over(part.biasCurve?.[0]?.[1], 1.2), 'a curve that begins at 1, of nominal'],
  ]),
  core: checked(coreShape, (part) => missing(part, 'area', 'volume', 'pathLength')),
  wire: checked(wireShape, (part) => [
    ...missing(part, 'diameter'),
    ['outerDiameter', over(part.diameter, part.outerDiameter), 'at least the copper’s diameter'],
  ]),
  controller: checked(controllerShape, controllerChecks),
  converter: checked(converterShape, (part) => [...controllerChecks(part), ...missing(part, 'controlResistance')]),
  driver: checked(driverShape, (part) => missing(part, 'driverPullUpResistance', 'driverPullDownResistance')),
};

export const partShapes = {
  mosfet: mosfetShape,
  diode: diodeShape,
  inductor: inductorShape,
  capacitor: capacitorShape,
  core: coreShape,
  wire: wireShape,
  controller: controllerShape,
  converter: converterShape,
  driver: driverShape,
};

export const PART_KINDS = [
  'mosfet',
  'diode',
  'inductor',
  'capacitor',
  'core',
  'wire',
  'controller',
  'converter',
  'driver',
] as const satisfies readonly (keyof typeof partSchemas)[];
export type PartKind = (typeof PART_KINDS)[number];
export type PartOf<K extends PartKind> = z.infer<(typeof partSchemas)[K]>;
export type Part = { [K in PartKind]: PartOf<K> }[PartKind];
export type Mosfet = PartOf<'mosfet'>;
export type Diode = PartOf<'diode'>;
export type Inductor = PartOf<'inductor'>;
export type Capacitor = PartOf<'capacitor'>;
export type Controller = PartOf<'controller'>;
export type Converter = PartOf<'converter'>;
