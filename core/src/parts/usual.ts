import { hasAmplifier } from '../control/compensator.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import type { Decisions, Design } from '../design/schema.ts';
import { usualBody } from '../shelf/usual/inductors.ts';
import { diodeClassFor, switchClassFor } from '../shelf/usual/switches.ts';
import { blockedBy } from './candidates.ts';
import type { Place } from './places.ts';

/*
 * What stands in a place for which nothing can be had from the shelf: a usual part of its class, of the values that the
 * rules ask for, with all the data that losses need. The products of a class as in shelf/usual; shares and slopes are
 * plausible data-sheet values, common practice, no source.
 */

/** K by which a usual part's rated heat warms it. */
const RISE = 40;
/** K/W, junction to ambient, of a usual package on its board, and of a tab. */
const PACKAGE = 45;
const TAB = 30;
/** V above which a die comes with a tab. */
const TABBED = 250;

function usualSwitch(blocking: number, onResistance: number) {
  const of = switchClassFor(blocking);
  const silicon = of.technology === 'silicon';
  const charge = (product: number): number => product / Math.max(onResistance, 1e-6);
  const gateCharge = charge(of.gateCharge);
  const outputCharge = charge(of.outputCharge);
  return {
    onResistance,
    onResistanceTemperature: silicon ? 0.0042 + 0.006 * Math.min(1, of.rating / 250) : 0.003,
    gateCharge,
    gateDrainCharge: (silicon ? 0.2 : 0.25) * gateCharge,
    postThresholdGateCharge: 0.12 * gateCharge,
    plateauVoltage: silicon ? (of.gateVoltage <= 5 ? 2.6 : 4.4) : 7.5,
    gateResistance: 1,
    outputCharge,
    reverseRecoveryCharge: (silicon ? 1.2 : 0.9) * outputCharge,
    bodyDiodeVoltage: silicon ? 0.8 : 3.6,
    voltageRating: of.rating,
    thermalResistance: of.rating > TABBED ? TAB : PACKAGE,
  };
}

function usualDiode(blocking: number, current: number): Extract<Decisions['rectifier'], { kind: 'diode' }> {
  const of = diodeClassFor(blocking);
  const junction = of.rating > TABBED ? 0.5 : 1.3;
  return {
    kind: 'diode',
    forwardVoltage: of.forwardVoltage,
    resistance: of.slope / Math.max(current, 1e-3),
    reverseRecoveryCharge: 0,
    // a Schottky junction’s capacitance: charge by its area, and so by its current
    outputCharge: junction * 1e-9 * Math.max(current, 0.1) * Math.sqrt(of.rating),
    voltageRating: of.rating,
    thermalResistance: PACKAGE,
  };
}

function usualInductor({
  inductance,
  saturationCurrent,
  resistance,
}: CompleteDecisions['inductor']): NonNullable<Decisions['inductor']> {
  const { area, volume, turns, heat } = usualBody(inductance, saturationCurrent, resistance);
  return {
    inductance,
    saturationCurrent,
    resistance,
    resistanceTemperature: 0.00393,
    acResistance: [
      [1e4, resistance],
      [1e5, 1.8 * resistance],
      [1e6, 6 * resistance],
      [1e7, 22 * resistance],
    ],
    core: { turns, area, volume, steinmetz: { k: 0.9, alpha: 1.55, beta: 2.55 } },
    thermalResistance: RISE / heat,
  };
}

/**
 * What a usual part writes into a place: the values that the rules decide, and what they leave unsaid.
 * @param decisions of the design with the place free
 */
export function usualPart(place: Place, design: Design, decisions: CompleteDecisions): Partial<Decisions> {
  const blocked = blockedBy(design, decisions, []);
  const { control, inductor, phases } = decisions;
  const each = design.brief.outputCurrent.max / phases;
  switch (place) {
    case 'controller': {
      const { partId: _, ...given } = design.decisions.control ?? {};
      return {
        control: {
          ...given,
          method: control.method,
          quiescentCurrent: control.quiescentCurrent ?? 2e-3,
          driverPullUpResistance: control.driverPullUpResistance ?? 2,
          driverPullDownResistance: control.driverPullDownResistance ?? 1,
          deadTime: decisions.rectifier.kind === 'diode' ? 0 : control.deadTime || 20e-9,
          // one without an amplifier would pass for one that its maker describes, and nothing would limit its current
          ...(hasAmplifier(control)
            ? {}
            : {
                softStart: control.softStart,
                currentLimit: control.currentLimit,
                valleyCurrentLimit: control.valleyCurrentLimit,
              }),
        },
      };
    }
    case 'inductor':
      return { inductor: usualInductor(inductor) };
    case 'controlSwitch':
      return { controlSwitch: usualSwitch(blocked.control, decisions.controlSwitch.onResistance) };
    case 'rectifier':
      return {
        rectifier:
          decisions.rectifier.kind === 'diode'
            ? usualDiode(blocked.rectifier, each)
            : { kind: 'synchronous', ...usualSwitch(blocked.rectifier, decisions.rectifier.onResistance ?? 0.01) },
      };
    case 'outputCapacitors':
      return { outputCapacitors: decisions.outputCapacitors };
    case 'inputCapacitors':
      return { inputCapacitors: decisions.inputCapacitors };
  }
}

/** V at the gates that a usual switch of a place’s class is driven with. */
export const usualGateVoltage = (design: Design, decisions: CompleteDecisions): number =>
  switchClassFor(blockedBy(design, decisions, []).control).gateVoltage;
