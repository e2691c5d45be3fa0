import { expect, test } from '@jest/globals';
import { readDesign } from '../design/read.ts';
import { demoParts } from '../shelf/demo/index.ts';
import { offered } from '../shelf/shelf.ts';
import { solveFromShelf } from './solve.ts';
import { smallPartsFor } from './controllerParts.ts';

test('the small parts of a controller, each worked again from what it gives', () => {
  const parts = demoParts();
  const read = readDesign({
    format: 'yundro-design',
    version: 1,
    name: 'bare',
    brief: { inputVoltage: { min: 18, nominal: 24, max: 32 }, outputVoltage: 5, outputCurrent: { min: 0.2, max: 5 } },
  });
  if (!read.ok) throw new Error('not read');
  const result = solveFromShelf(read.design, parts);
  const { partId } = result.decisions.control;
  const controller = offered(parts, 'controller').find(({ id }) => id === partId)!;
  const found = new Map(smallPartsFor(read.design.brief, result, controller).map((part) => [part.name, part.value]));
  const peak = Math.max(...result.operatingPoints.map((point) => point.inductorCurrent.peak));
  const limit = controller.currentSenseVoltage! / found.get('Current sense, one a phase')!;
  // even its lowest limit leaves the peak alone, and its highest the inductor
  expect(0.9 * limit).toBeGreaterThan(peak);
  expect(1.1 * limit).toBeLessThan(result.decisions.inductor.saturationCurrent);
  expect(limit / peak).toBeCloseTo(1.3, 0);
  const ramp = (found.get('Soft start')! * controller.referenceVoltage!) / controller.softStartCurrent!;
  expect(ramp).toBeGreaterThan(2.5e-3);
  expect(ramp).toBeLessThan(6e-3);
  expect(result.decisions.controlSwitch.gateCharge! / found.get('Bootstrap, one a phase')!).toBeLessThanOrEqual(0.15);
  const starts =
    controller.enableThreshold! * (1 + found.get('Enable divider, top')! / found.get('Enable divider, bottom')!);
  expect(starts).toBeGreaterThan(16);
  expect(starts).toBeLessThan(17.5);
  const drawn = Math.max(...result.operatingPoints.map((point) => point.inputCurrent.average));
  expect(found.get('Input fuse')! / drawn).toBeGreaterThan(1.5);
  expect(found.get('Input fuse')! / drawn).toBeLessThan(2);
  // at its own resonance the snubber's resistor is the node's impedance: R·C of the node is 1/ω
  const node = (result.decisions.rectifier.outputCharge ?? 0) / 32;
  expect(found.get('Snubber, resistor')! / Math.sqrt(3e-9 / node)).toBeCloseTo(1, 0);
  expect(found.get('Snubber, capacitor')! / node).toBeGreaterThanOrEqual(3);
  // each gate's loop is damped at least critically by all that is in it
  const { control, controlSwitch, rectifier } = result.decisions;
  for (const [name, device] of [
    ['Gate resistor, control switch', controlSwitch],
    ['Gate resistor, synchronous switch', rectifier.kind === 'synchronous' ? rectifier : {}],
  ] as const) {
    const own = found.get(name)! + control.driverPullUpResistance! + device.gateResistance!;
    const damped = 2 * Math.sqrt((5e-9 * control.gateVoltage!) / device.gateCharge!);
    expect(own / damped).toBeGreaterThan(0.85);
  }
  // a controller of which nothing is known brings none of its own
  expect(smallPartsFor(read.design.brief, result, {}).map(({ name }) => name)).not.toContain('Soft start');
});
