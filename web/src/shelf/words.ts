import type { PartKind, Place } from '@yundro/core';

/** The places of a stage, as they are called where parts are spoken of. */
export const PLACE_NAMES: Readonly<Record<Place, string>> = {
  controller: 'Controller',
  inductor: 'Inductor',
  controlSwitch: 'Control switch',
  rectifier: 'Rectifier',
  outputCapacitors: 'Output bank',
  inputCapacitors: 'Input bank',
};

export const KINDS: Readonly<Record<PartKind, { many: string; one: string; columns: readonly string[] }>> = {
  mosfet: {
    many: 'MOSFETs',
    one: 'MOSFET',
    columns: [
      'technology',
      'voltageRating',
      'onResistance',
      'gateCharge',
      'outputCharge',
      'gateVoltage',
      'thermalResistance',
      'cost',
    ],
  },
  diode: {
    many: 'Diodes',
    one: 'diode',
    columns: ['technology', 'voltageRating', 'currentRating', 'forwardVoltage', 'resistance', 'outputCharge', 'cost'],
  },
  inductor: {
    many: 'Inductors',
    one: 'inductor',
    columns: [
      'inductance',
      'resistance',
      'saturationCurrent',
      'ratedCurrent',
      'saturation',
      'length',
      'height',
      'cost',
    ],
  },
  capacitor: {
    many: 'Capacitors',
    one: 'capacitor',
    columns: ['technology', 'capacitance', 'voltageRating', 'esr', 'rippleCurrentRating', 'package', 'cost'],
  },
  core: {
    many: 'Cores',
    one: 'core',
    columns: ['material', 'package', 'pathLength', 'permeability', 'inductanceFactor', 'saturationFlux', 'cost'],
  },
  wire: { many: 'Wire', one: 'wire', columns: ['diameter', 'outerDiameter', 'strands', 'resistancePerLength', 'cost'] },
  controller: {
    many: 'Controllers',
    one: 'controller',
    columns: [
      'topologies',
      'methods',
      'inputVoltageMaximum',
      'frequencyMaximum',
      'minimumOnTime',
      'quiescentCurrent',
      'cost',
    ],
  },
  converter: {
    many: 'Converters',
    one: 'converter',
    columns: [
      'topologies',
      'inputVoltageMaximum',
      'outputCurrent',
      'controlResistance',
      'frequencyMaximum',
      'quiescentCurrent',
      'cost',
    ],
  },
  driver: {
    many: 'Drivers',
    one: 'driver',
    columns: ['voltageRating', 'gateVoltage', 'driverPullUpResistance', 'driverPullDownResistance', 'deadTime', 'cost'],
  },
};
