import { along } from '../numbers/along.ts';
import type { CapacitorBank, Decisions } from '../design/schema.ts';
import type { Capacitor, Controller, Converter, Diode, Inductor, Mosfet } from '../shelf/part.ts';

/*
 * What a chosen part writes into the design file: its data-sheet values at the voltages in use there, under the file's
 * own names, so that the design keeps the values it was made with.
 */

type ControlSwitch = NonNullable<Decisions['controlSwitch']>;
type Rectifier = NonNullable<Decisions['rectifier']>;
type InductorValues = NonNullable<Decisions['inductor']>;
type Control = NonNullable<Decisions['control']>;

/** Only what is known. */
function given<T extends object>(values: T): { [K in keyof T]: NonNullable<T[K]> } {
  return Object.fromEntries(Object.entries(values).filter(([, value]) => value !== undefined)) as {
    [K in keyof T]: NonNullable<T[K]>;
  };
}

/** Ω at 25 °C and a gate voltage (V). */
export function resistanceAt(part: Mosfet, gateVoltage: number | undefined): number {
  const named = part.onResistance ?? 0;
  return part.onResistanceCurve && gateVoltage !== undefined ? along(part.onResistanceCurve, gateVoltage) : named;
}

/** C of gate charge at a gate voltage: what comes after the plateau grows with the voltage. */
export function gateChargeAt(part: Mosfet, gateVoltage: number | undefined): number | undefined {
  const { gateCharge, gateVoltage: named } = part;
  if (gateCharge === undefined || named === undefined || gateVoltage === undefined) return gateCharge;
  return (gateCharge * gateVoltage) / named;
}

/** C of output charge at a blocking voltage. */
export function outputChargeAt(part: Mosfet, blocking: number): number | undefined {
  return part.outputChargeCurve ? along(part.outputChargeCurve, blocking) : part.outputCharge;
}

export function mosfetValues(part: Mosfet, at: { gateVoltage?: number | undefined; blocking: number; count: number }) {
  const values: Required<Pick<ControlSwitch, 'onResistance' | 'partId'>> & ControlSwitch = {
    ...given({
      onResistanceTemperature: part.onResistanceTemperature,
      gateCharge: gateChargeAt(part, at.gateVoltage),
      gateDrainCharge: part.gateDrainCharge,
      postThresholdGateCharge: part.postThresholdGateCharge,
      plateauVoltage: part.plateauVoltage,
      gateResistance: part.gateResistance,
      outputCharge: outputChargeAt(part, at.blocking),
      outputChargeCurve: part.outputChargeCurve,
      reverseRecoveryCharge: part.reverseRecoveryCharge,
      reverseRecoveryCurve: part.reverseRecoveryCurve,
      bodyDiodeVoltage: part.bodyDiodeVoltage,
      voltageRating: part.voltageRating,
      thermalResistance: part.thermalResistance,
      junctionToCase: part.junctionToCase,
    }),
    onResistance: resistanceAt(part, at.gateVoltage),
    partId: part.id,
    ...(at.count > 1 ? { count: at.count } : {}),
  };
  return values;
}

/** Leakage at 25 °C over that at 125 °C, as it doubles with each ten kelvin. Common practice, no source. */
const COLD_SHARE = 2 ** -10;

export function diodeValues(part: Diode, count: number): Extract<Rectifier, { kind: 'diode' }> {
  return {
    ...given({
      resistance: part.resistance,
      reverseRecoveryCharge: part.reverseRecoveryCharge,
      reverseRecoveryCurve: part.reverseRecoveryCurve,
      outputCharge: part.outputCharge,
      leakageCurrent: part.hotLeakage === undefined ? undefined : part.hotLeakage * COLD_SHARE,
      voltageRating: part.voltageRating,
      thermalResistance: part.thermalResistance,
      junctionToCase: part.junctionToCase,
    }),
    kind: 'diode',
    forwardVoltage: part.forwardVoltage ?? 0,
    partId: part.id,
    ...(count > 1 ? { count } : {}),
  };
}

export function inductorValues(part: Inductor) {
  const { turns, coreArea: area, coreVolume: volume, steinmetzK: k, steinmetzAlpha: alpha, steinmetzBeta: beta } = part;
  const core =
    turns && area && volume && k && alpha && beta ? { turns, area, volume, steinmetz: { k, alpha, beta } } : undefined;
  const values: Required<Pick<InductorValues, 'inductance' | 'resistance' | 'partId'>> & InductorValues = {
    ...given({
      resistanceTemperature: part.resistanceTemperature,
      acResistance: part.acResistance,
      inductanceCurve: part.inductanceCurve,
      core,
      saturationCurrent: part.saturationCurrent,
      thermalResistance: part.thermalResistance,
    }),
    inductance: part.inductance ?? 0,
    resistance: part.resistance ?? 0,
    partId: part.id,
  };
  return values;
}

/** Years of service by which a ceramic's ageing is counted. Common practice, no source. */
const SERVICE_YEARS = 10;
const HOURS_A_YEAR = 8766;

/** Part of its nominal capacitance that is left at a bias (V), at the ends of its temperatures and after ten years. */
export function leftOf(part: Capacitor, bias: number): number {
  const byBias = part.biasCurve ? along(part.biasCurve, bias) : 1;
  const byAge = 1 - (part.ageing ?? 0) * Math.log10(SERVICE_YEARS * HOURS_A_YEAR);
  return byBias * (1 - (part.temperatureLoss ?? 0)) * Math.max(0.1, byAge);
}

/** Size of an impedance over its reactance from which the resistance in it can be told. Our own starting point. */
const TELLS = 1.05;

/** Ω over Hz from a capacitor's impedance curve, where the resistance shows beside the reactance of its C and ESL. */
function seriesResistance({ impedanceCurve, capacitance, esl = 0 }: Capacitor): [number, number][] | undefined {
  if (!impedanceCurve || !capacitance) return undefined;
  const told = impedanceCurve.flatMap(([frequency, size]): [number, number][] => {
    const omega = 2 * Math.PI * frequency;
    const reactance = Math.abs(omega * esl - 1 / (omega * capacitance));
    return size > TELLS * reactance ? [[frequency, Math.sqrt(size ** 2 - reactance ** 2)]] : [];
  });
  return told.length > 0 ? told : undefined;
}

/** One capacitor with the capacitance that is left of it at a bias, V. */
export function capacitorValues(part: Capacitor, bias: number): CapacitorBank {
  return {
    ...given({
      rippleCurrentRating: part.rippleCurrentRating,
      voltageRating: part.voltageRating,
      esrCurve: part.esrCurve ?? seriesResistance(part),
      thermalResistance: part.thermalResistance,
      lifetime: part.lifetime,
      lifetimeTemperature: part.lifetimeTemperature,
    }),
    capacitance: (part.capacitance ?? 0) * leftOf(part, bias),
    esr: part.esr ?? 0,
    esl: part.esl ?? 0,
    count: 1,
    partId: part.id,
  };
}

export function controllerValues(part: Controller | Converter, method: Control['method']): Control {
  return {
    ...given({
      method,
      referenceVoltage: part.referenceVoltage,
      referenceAccuracy: part.accuracy,
      minimumOnTime: part.minimumOnTime,
      minimumOffTime: part.minimumOffTime,
      maximumDuty: part.maximumDuty,
      deadTime: part.deadTime,
      gateVoltage: part.gateVoltage,
      gateSupply: part.gateSupply,
      driverPullUpResistance: part.driverPullUpResistance,
      driverPullDownResistance: part.driverPullDownResistance,
      quiescentCurrent: part.quiescentCurrent,
      softStart: part.softStartTime,
      transconductance: part.transconductance,
    }),
    partId: part.id,
  };
}
