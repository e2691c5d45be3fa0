import type { Blocking, Cells, Conduction } from '../network/circuit.ts';
import { boostForms } from './boost.ts';
import { buckForms } from './buck.ts';
import { invertingForms } from './invertingBuckBoost.ts';
import { across, bodyDiode, cell, channel, idleCell } from './leg.ts';
import type { ClosedForms, Operation, StageConditions, TopologyModel, Transition } from './topology.ts';

/**
 * Four-switch buck-boost: a buck leg (control, rectifier) at the inductor's input end and a boost leg (boostControl,
 * boostRectifier) at its output end.
 *
 * Buck region: the boost leg's rectifier stays on. Boost region: the buck leg's control switch stays on. Between them
 * neither leg alone reaches the output within the controller's limits, and both switch: each period charges (input to
 * return), passes through (input to output) and releases (return to output), in this order. That order switches each
 * leg once a period, as the other two regions do, and keeps the long middle part at the small voltage Vin − Vout, so the
 * ripple stays far below that of switching both legs together. The buck leg works at its largest duty and the boost leg
 * regulates; where the boost leg would have to go below its smallest duty it rests at that and the buck leg regulates.
 * The pattern is one of several in use; no one source.
 */
export const fourSwitchBuckBoost: TopologyModel = {
  id: 'four-switch-buck-boost',
  name: 'Four-switch buck-boost',
  idealRatio: (duty) => duty / (1 - duty),
  idealDuty: (ratio) => ratio / (1 + ratio),
  worstRippleDuty: 0.5,
  pulsating: { input: true, output: true },
  switches: 4,
  switchStress: (input, output) => ({ control: input, rectifier: Math.max(input, output) }),
  inverts: false,
  switchNodes: ['near', 'far'],
  operations: (c) => {
    const inBuck = buckRegion(c);
    const inBoost = boostRegion(c);
    const between = transition(c);
    const buckDuty = buckForms.ccmDuty(inBuck.conditions);
    if (buckDuty <= c.largestDuty) return [inBuck, between, inBoost];
    return boostForms.ccmDuty(inBoost.conditions) >= c.smallestBoostDuty
      ? [inBoost, between, inBuck]
      : [between, inBoost, inBuck];
  },
};

function legs(c: StageConditions): Record<'a' | 'b' | 'c' | 'd' | 'bodyA' | 'bodyB' | 'bodyC' | 'bodyD', Conduction> {
  return {
    a: channel('control', c.controlResistance),
    b: channel('rectifier', c.rectifierResistance, c.rectifierDrop),
    c: channel('boostControl', c.boostLeg.controlResistance),
    d: channel('boostRectifier', c.boostLeg.rectifierResistance, c.boostLeg.rectifierDrop),
    bodyA: bodyDiode('control', c.controlBodyDiodeDrop, -1),
    bodyB: c.diode
      ? channel('rectifier', c.rectifierResistance, c.rectifierDrop)
      : bodyDiode('rectifier', c.bodyDiodeDrop, 1),
    bodyC: bodyDiode('boostControl', c.boostLeg.controlBodyDiodeDrop, -1),
    bodyD: c.boostLeg.diode
      ? channel('boostRectifier', c.boostLeg.rectifierResistance, c.boostLeg.rectifierDrop)
      : bodyDiode('boostRectifier', c.boostLeg.bodyDiodeDrop, 1),
  };
}

/** What stands across each device while the one beside it in its leg conducts, or in a dead time its body diode. */
function blockingOf(
  c: StageConditions,
): Record<'a' | 'b' | 'c' | 'd' | 'deadA' | 'deadB' | 'deadC' | 'deadD', Blocking> {
  const { boostLeg } = c;
  return {
    deadA: c.diode
      ? across('control', 1, 0, c.rectifierResistance, c.rectifierDrop)
      : across('control', 1, 0, 0, c.bodyDiodeDrop),
    deadB: across('rectifier', 1, 0, 0, c.controlBodyDiodeDrop),
    deadC: boostLeg.diode
      ? across('boostControl', 0, 1, boostLeg.rectifierResistance, boostLeg.rectifierDrop)
      : across('boostControl', 0, 1, 0, boostLeg.bodyDiodeDrop),
    deadD: across('boostRectifier', 0, 1, 0, boostLeg.controlBodyDiodeDrop),
    a: across('control', 1, 0, c.rectifierResistance, c.rectifierDrop),
    b: across('rectifier', 1, 0, -c.controlResistance),
    c: across('boostControl', 0, 1, boostLeg.rectifierResistance, boostLeg.rectifierDrop),
    d: across('boostRectifier', 0, 1, -boostLeg.controlResistance),
  };
}

function buckRegion(c: StageConditions): Operation {
  const on = legs(c);
  const off = blockingOf(c);
  const cells: Cells = {
    control: cell(1, 1, [on.a, on.d], [off.b, off.c]),
    rectifier: cell(0, 1, [on.b, on.d], [off.a, off.c]),
    deadForward: cell(0, 1, [on.bodyB, on.d], [off.deadA, off.c]),
    deadReverse: cell(1, 1, [on.bodyA, on.d], [off.deadB, off.c]),
    idle: idleCell([across('control', 1, -1), across('rectifier', 0, 1), across('boostControl', 0, 1)]),
  };
  const conditions: StageConditions = {
    ...c,
    windingResistance: c.windingResistance + c.boostLeg.rectifierResistance,
    outputVoltage: c.outputVoltage + c.boostLeg.rectifierDrop,
  };
  return {
    region: 'buck',
    forms: buckForms,
    conditions,
    cells,
    dutyOf: 'control',
    accepts: (duty) => duty <= c.largestDuty,
  };
}

function boostRegion(c: StageConditions): Operation {
  const on = legs(c);
  const off = blockingOf(c);
  const cells: Cells = {
    control: cell(1, 0, [on.a, on.c], [off.b, off.d]),
    rectifier: cell(1, 1, [on.a, on.d], [off.b, off.c]),
    deadForward: cell(1, 1, [on.a, on.bodyD], [off.b, off.deadC]),
    deadReverse: cell(1, 0, [on.a, on.bodyC], [off.b, off.deadD]),
    idle: idleCell([across('rectifier', 1, 0), across('boostControl', 1, 0), across('boostRectifier', -1, 1)]),
  };
  const conditions: StageConditions = {
    ...c,
    windingResistance: c.windingResistance + c.controlResistance,
    controlResistance: c.boostLeg.controlResistance,
    rectifierResistance: c.boostLeg.rectifierResistance,
    rectifierDrop: c.boostLeg.rectifierDrop,
    bodyDiodeDrop: c.boostLeg.bodyDiodeDrop,
    controlBodyDiodeDrop: c.boostLeg.controlBodyDiodeDrop,
  };
  return {
    region: 'boost',
    forms: boostForms,
    conditions,
    cells,
    dutyOf: 'boostControl',
    accepts: (duty) => duty >= c.smallestBoostDuty,
  };
}

function transition(c: StageConditions): Operation {
  const on = legs(c);
  const off = blockingOf(c);
  const cells: Cells = {
    control: cell(1, 0, [on.a, on.c], [off.b, off.d]),
    deadThrough: cell(1, 1, [on.a, on.bodyD], [off.b, off.deadC]),
    through: cell(1, 1, [on.a, on.d], [off.b, off.c]),
    deadForward: cell(0, 1, [on.bodyB, on.d], [off.deadA, off.c]),
    rectifier: cell(0, 1, [on.b, on.d], [off.a, off.c]),
    deadBoth: cell(0, 1, [on.bodyB, on.bodyD], [off.deadA, off.deadC]),
    // current that flows back passes from return through the boost leg's body diode and on to the input
    deadReverse: cell(1, 0, [on.bodyA, on.bodyC], [off.deadB, off.deadD]),
    idle: idleCell([
      across('control', 1, 0),
      across('rectifier', 0, 0),
      across('boostControl', 0, 0),
      across('boostRectifier', 0, 1),
    ]),
  };
  const transition = transitionDuties(c);
  return {
    region: 'buck-boost',
    forms: transitionForms(transition),
    conditions: c,
    cells,
    dutyOf: 'control',
    transition,
  };
}

/** The buck leg regulates over a boost leg at its smallest duty, else the boost leg over a buck leg at its largest. */
function transitionDuties(c: StageConditions): Transition {
  const smallest = c.smallestBoostDuty;
  const byBuckLeg = buckLegDuty(c, smallest);
  if (byBuckLeg <= c.largestDuty) return { duty: byBuckLeg, boostDuty: smallest, open: 'duty' };
  let low = smallest;
  let high = 0.95;
  for (let i = 0; i < 40; i += 1) {
    const middle = (low + high) / 2;
    if (buckLegDuty(c, middle) > c.largestDuty) low = middle;
    else high = middle;
  }
  return { duty: c.largestDuty, boostDuty: (low + high) / 2, open: 'boostDuty' };
}

/** Volt-second balance D·Vin = (1 − Db)·Vout + drops, solved for the buck leg's duty at a boost leg's. */
function buckLegDuty(c: StageConditions, boostDuty: number): number {
  const current = c.outputCurrent / c.phases / (1 - boostDuty);
  const release = c.rectifierDrop + current * c.rectifierResistance;
  const lost =
    current *
      (c.windingResistance +
        boostDuty * c.boostLeg.controlResistance +
        (1 - boostDuty) * c.boostLeg.rectifierResistance) +
    (1 - boostDuty) * c.boostLeg.rectifierDrop +
    release;
  return ((1 - boostDuty) * c.outputVoltage + lost) / (c.inputVoltage - current * c.controlResistance + release);
}

/** The transition's forms at its two duties; its other forms are the buck-boost's. */
const transitionForms = ({ duty: buckDuty, boostDuty }: Transition): ClosedForms => ({
  ...invertingForms,
  /** at the boost leg's duty: what the inductor is kept from the output by */
  rightHalfPlaneZero: (duty, resistance, inductance) => boostForms.rightHalfPlaneZero(duty, resistance, inductance),
  inductorAverage: (c) => c.outputCurrent / c.phases / (1 - boostDuty),
  // the current rises through the charge, moves with Vin − Vout through the long middle and falls through the release
  inductorRipple: (c) => {
    const current = c.outputCurrent / c.phases / (1 - boostDuty);
    const series = c.windingResistance * current;
    const charge =
      (c.inputVoltage - series - current * (c.controlResistance + c.boostLeg.controlResistance)) * boostDuty;
    const release =
      (c.outputVoltage +
        series +
        c.rectifierDrop +
        c.boostLeg.rectifierDrop +
        current * (c.rectifierResistance + c.boostLeg.rectifierResistance)) *
      (1 - buckDuty);
    return Math.max(charge, release) / (c.inductance * c.switchingFrequency);
  },
});
