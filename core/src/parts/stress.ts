import type { Corner } from '../design/corner.ts';
import { cornersOf } from '../design/corner.ts';
import type { Design } from '../design/schema.ts';
import { gateSource } from '../losses/gateDrive.ts';
import { chargeVoltage, edgesOf } from '../stage/operating/mechanisms.ts';
import { heldVoltage, solveCorner, type OperatingPoint } from '../stage/operating/operatingPoint.ts';
import type { CompleteDecisions } from '../design/complete.ts';
import { switchData } from '../topology/ofDesign.ts';
import { topologyModel, type LegData } from '../topology/index.ts';
import { loadProfile } from './profile.ts';

/** What one leg's switches go through at a load: A, V, of one phase. */
export interface LegStress {
  controlRms: number;
  rectifierRms: number;
  rectifierAverage: number;
  /** A as the control switch turns on and off */
  on: number;
  off: number;
  blocking: number;
  /** V of it that the rectifier's body diode drops in the dead time; 0 where none carries the current */
  bodyDrop: number;
  /** V across the rectifier while it is off */
  rectifierBlocking: number;
  /** whether recovery is lost at turn-on */
  hard: boolean;
  /** V that, times half the output charges, is what a turn-on loses of them */
  charged: number;
  /** V that the gates' charge is drawn from; undefined where nothing says */
  gateFrom: number | undefined;
  /** whether the leg switches at all */
  switches: boolean;
}

/** One operating point as parts see it. */
export interface StressAt {
  corner: Corner;
  /** part of the time; 0 for a corner outside the profile */
  share: number;
  point: OperatingPoint;
  legs: LegStress[];
}

/** What the parts of a design go through: at its load profile at nominal input, and at every corner. */
export interface Stresses {
  profile: StressAt[];
  corners: StressAt[];
  /** nominal input and full load, alone */
  full: StressAt[];
}

/** Solves a complete design at its profile and its corners, and keeps what parts are chosen by. */
export function stressesAt(design: Design, decisions: CompleteDecisions): Stresses {
  const { brief } = design;
  const model = topologyModel(decisions.topology);
  const { boostLeg, ...buckLeg } = switchData(decisions);
  const bodyDropOf = (leg: LegData, off: number | undefined): number =>
    decisions.control.deadTime > 0 && !leg.diode && (off ?? 0) > 0 ? leg.bodyDiodeDrop : 0;
  const at = (corner: Corner, share: number): StressAt[] => {
    const { point, state } = solveCorner(model, brief, decisions, corner);
    if (!point) return [];
    const edges = state && edgesOf(state.periodic, 'control');
    const volts = { inputVoltage: point.inputVoltage, outputVoltage: heldVoltage(point) };
    const gateFrom = gateSource(decisions.control, volts);
    const charged = (which: 'main' | 'boost', on: number, blocking: number): number =>
      chargeVoltage(decisions, which, { mode: point.conductionMode, ...volts, on, blocking });
    const legs: LegStress[] = [
      {
        controlRms: point.controlSwitch.rmsCurrent,
        rectifierRms: point.rectifier.rmsCurrent,
        rectifierAverage: point.rectifier.averageCurrent,
        on: edges?.on ?? 0,
        off: edges?.off ?? 0,
        blocking: point.controlSwitch.blockingVoltage,
        bodyDrop: bodyDropOf(buckLeg, edges?.off),
        rectifierBlocking: point.rectifier.blockingVoltage,
        hard: point.conductionMode === 'CCM' && (edges?.on ?? 0) > 0,
        charged: charged('main', edges?.on ?? 0, point.controlSwitch.blockingVoltage),
        gateFrom,
        switches: edges !== undefined,
      },
    ];
    if (point.boostLeg) {
      const second = state && edgesOf(state.periodic, 'boostControl');
      const { controlSwitch, rectifier } = point.boostLeg;
      legs.push({
        controlRms: controlSwitch.rmsCurrent,
        rectifierRms: rectifier.rmsCurrent,
        rectifierAverage: rectifier.averageCurrent,
        on: second?.on ?? 0,
        off: second?.off ?? 0,
        blocking: controlSwitch.blockingVoltage,
        bodyDrop: bodyDropOf(boostLeg, second?.off),
        rectifierBlocking: rectifier.blockingVoltage,
        hard: point.conductionMode === 'CCM' && (second?.on ?? 0) > 0,
        charged: charged('boost', second?.on ?? 0, controlSwitch.blockingVoltage),
        gateFrom,
        switches: second !== undefined,
      });
    }
    return [{ corner, share, point, legs }];
  };
  return {
    profile: loadProfile(brief).profile.flatMap(({ current, share }) =>
      at({ inputVoltage: brief.inputVoltage.nominal, outputCurrent: current }, share),
    ),
    full: at({ inputVoltage: brief.inputVoltage.nominal, outputCurrent: brief.outputCurrent.max }, 1),
    corners: cornersOf(design).flatMap((corner) => at(corner, 0)),
  };
}

/** The operating points at the corners. */
export const pointsOf = ({ corners }: Stresses): OperatingPoint[] => corners.map(({ point }) => point);

/** The largest of a figure over all corners. */
export function most(stresses: readonly StressAt[], of: (stress: StressAt) => number): number {
  return stresses.reduce((largest, stress) => Math.max(largest, of(stress)), 0);
}
