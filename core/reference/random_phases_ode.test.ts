import fc from 'fast-check';
import { designWith, CLOSED_METHODS } from '../src/testing/designs.ts';
import { runs } from '../src/testing/runs.ts';
import { OTA, type FromRest } from './fromRest.ts';
import { compareLoops } from './randomLoops.ts';
import { between, stageOf, stageParts } from './randomStage.ts';

// Interleaved loops that nobody chose, coupled or not, from rest, against simulate_phases_ode.py. docs/sources.md, N-5.

const CYCLES = 40;

const loops: fc.Arbitrary<FromRest> = fc
  .record({
    ...stageParts,
    diode: fc.constant(false),
    phases: fc.constantFrom(2, 3, 4),
    method: fc.constantFrom(...CLOSED_METHODS),
    ota: fc.boolean(),
    bandwidth: between(0.01, 0.08),
    coefficient: between(0.1, 0.8),
    polarity: fc.constantFrom('inverse', 'direct'),
    coupled: fc.boolean(),
    part: fc.constantFrom(0.1, 0.5, 1),
    prebias: fc.constantFrom(0, 0.5, 0.9),
    event: fc.constantFrom('step up', 'release', 'none'),
  })
  .map((x) => {
    const { phases, method, frequency, vin, load } = x;
    // pulses in turn, one at a time: a share of the period each
    const duty = method === 'constant-on-time' ? (0.8 * x.duty) / phases : x.duty;
    const stage = stageOf(method === 'constant-on-time' ? { ...x, duty, topology: 'buck', unlike: false } : x);
    const { vout, winding, swing, reference } = stage;
    const { topology } = stage.decisions;
    const whole = phases * load;
    const top = 10e3;
    const pace = 2 * Math.PI * x.bandwidth * frequency;
    const feedback = 6 * top * x.bandwidth;
    const sense = 0.8 / (2 * winding + swing);
    const bank = stage.decisions.outputCapacitors.map((one) => ({
      ...one,
      capacitance: one.capacitance * phases,
      // constant on-time reads the ripple of the resistance
      esr: method === 'constant-on-time' ? (0.03 * vout) / (swing * phases) : one.esr / phases,
    }));
    const divider = { dividerTop: top, dividerBottom: stage.dividerBottom(top) };
    return {
      design: designWith(
        {
          ...stage.decisions,
          phases,
          outputCapacitors: bank,
          ...(x.coupled && phases % 2 === 0
            ? { coupling: { coefficient: x.coefficient, polarity: x.polarity, arrangement: 'pairs' } }
            : {}),
          control: {
            method,
            referenceVoltage: reference,
            deadTime: 0,
            minimumOnTime: 0.04 / frequency,
            minimumOffTime: (method === 'constant-on-time' ? 0.1 / phases : 0.08) / frequency,
            maximumDuty: 0.85,
            rampAmplitude: 1.5,
            rampGain: 1.5 / vin,
            currentSenseGain: sense,
            slopeCompensation: (0.7 * sense * swing * frequency) / Math.min(duty, 1 - duty),
            ...(method === 'constant-on-time' ? { onTime: duty / frequency } : {}),
            currentAmplifier: {
              inputResistor: 1000,
              feedbackResistor: 900,
              feedbackCapacitor: 5 / (frequency * 900),
              shuntCapacitor: 0.1 / (frequency * 900),
            },
            startIntoBias: false,
            overVoltage: 30,
          },
          compensator:
            method === 'constant-on-time'
              ? divider
              : {
                  ...(x.ota
                    ? { amplifier: 'ota', transconductance: OTA.transconductance, type: 2 }
                    : { amplifier: 'op-amp', type: 3 }),
                  ...divider,
                  feedbackResistor: feedback,
                  feedbackCapacitor: 3 / (pace * feedback),
                  shuntCapacitor: 0.2 / (pace * feedback),
                  inputResistor: 300,
                  inputCapacitor: 1 / (pace * top),
                },
        },
        { ...stage.brief, outputCurrent: { min: 0.1 * whole, max: whole } },
      ),
      iout: whole * x.part,
      prebias: Math.max(topology === 'boost' ? vin : 0, x.prebias * vout),
      cycles: CYCLES,
      step: x.event === 'step up' ? [25, 1.4 * whole] : x.event === 'release' ? [25, 0.3 * whole] : undefined,
    } satisfies FromRest;
  });

compareLoops('random interleaved loops against an ODE solver, from rest', loops, {
  count: runs(4),
  seed: 20261127,
  script: 'simulate_phases_ode.py',
  ask: ({ request, decisions: { phases, coupling } }) => ({ ...request, phases, coupling }),
});
