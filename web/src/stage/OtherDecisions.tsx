import Form from 'react-bootstrap/Form';
import { useEffect, useState } from 'react';
import {
  free,
  hold,
  SCHOOLS,
  suggestOutputFilter,
  tapeOf,
  TAPES,
  tapesFor,
  valueAt,
  type CompleteDecisions,
  type Design,
  type RippleSchool,
  type Unit,
} from '@yundro/core';
import { QuantityField } from '../fields/QuantityField.tsx';
import { edit, useDocument, useSolved, watchTapes } from '../stores/designStore.ts';
import { HoldToggle } from './HoldToggle.tsx';
import { Rule, Tape } from './Tape.tsx';

interface Entry {
  path: string;
  name: string;
  unit: Unit;
  /** smallest value that makes sense, itself allowed or not */
  least?: { value: number; allowed: boolean };
  most?: number;
}

const COMMON: readonly Entry[] = [
  { path: 'inductor.resistance', name: 'Winding resistance', unit: 'Ω', least: { value: 0, allowed: true } },
  { path: 'inductor.saturationCurrent', name: 'Saturation current', unit: 'A' },
  { path: 'controlSwitch.onResistance', name: 'Control switch RDS(on)', unit: 'Ω', least: { value: 0, allowed: true } },
  { path: 'rippleRatio', name: 'Ripple ratio', unit: '%', most: 4 },
  { path: 'control.minimumOnTime', name: 'Minimum on-time', unit: 's', least: { value: 0, allowed: true } },
  { path: 'control.minimumOffTime', name: 'Minimum off-time', unit: 's', least: { value: 0, allowed: true } },
  { path: 'control.maximumDuty', name: 'Duty limit', unit: '%', most: 1 },
  { path: 'control.deadTime', name: 'Dead time, each edge', unit: 's', least: { value: 0, allowed: true } },
  { path: 'preload', name: 'Preload', unit: 'A', least: { value: 0, allowed: true } },
];
const COUPLED: readonly Entry[] = [
  {
    path: 'coupling.coefficient',
    name: 'Coupling coefficient',
    unit: '',
    least: { value: 0, allowed: true },
    most: 0.999,
  },
];
const CRITICAL: readonly Entry[] = [
  { path: 'critical.valleyCurrent', name: 'Negative valley current', unit: 'A', least: { value: 0, allowed: true } },
  { path: 'critical.nodeCapacitance', name: 'Node capacitance', unit: 'F', least: { value: 0, allowed: true } },
];
const SECTION: readonly Entry[] = [
  { path: 'outputFilter.inductance', name: 'Second inductor', unit: 'H' },
  { path: 'outputFilter.resistance', name: 'Its resistance', unit: 'Ω', least: { value: 0, allowed: true } },
];
const BOOST_LEG: readonly Entry[] = [
  {
    path: 'boostLeg.controlSwitch.onResistance',
    name: 'Boost control RDS(on)',
    unit: 'Ω',
    least: { value: 0, allowed: true },
  },
];
const SYNCHRONOUS: readonly Entry[] = [
  { path: 'rectifier.onResistance', name: 'Rectifier RDS(on)', unit: 'Ω', least: { value: 0, allowed: true } },
];
const DIODE: readonly Entry[] = [
  { path: 'rectifier.forwardVoltage', name: 'Forward voltage', unit: 'V', least: { value: 0, allowed: true } },
  { path: 'rectifier.resistance', name: 'Dynamic resistance', unit: 'Ω', least: { value: 0, allowed: true } },
];

function checkOf({ least = { value: 0, allowed: false }, most = 1e18 }: Entry) {
  return (value: number): string | undefined => {
    if (value < least.value || (value === least.value && !least.allowed)) {
      return least.allowed ? 'Zero or more is needed here.' : 'More than zero is needed here.';
    }
    return value > most ? `At most ${most} is possible here.` : undefined;
  };
}

/** The decisions without a tape, one row each: hold or free, the value, the rule. */
export function OtherDecisions({ decisions }: { decisions: CompleteDecisions }) {
  const { kind } = decisions.rectifier;
  const [tape, setTape] = useState<string>();
  const entries = [
    ...COMMON.slice(0, 3),
    ...(kind === 'diode' ? DIODE : SYNCHRONOUS),
    ...COMMON.slice(3),
    ...(decisions.coupling ? COUPLED : []),
    ...(decisions.conduction === 'critical' ? CRITICAL : []),
    ...(decisions.outputFilter ? SECTION : []),
    ...(decisions.topology === 'four-switch-buck-boost' ? BOOST_LEG : []),
  ];
  const known = tapesFor(decisions);
  useEffect(() => {
    watchTapes([...TAPES.map((t) => t.path), ...(tape === undefined ? [] : [tape])]);
  }, [tape]);
  return (
    <section className="others" aria-label="Other decisions">
      <h2>Other decisions</h2>
      <div className="other-rows">
        <div className="other" data-decision="rectifier">
          <HoldToggle path="rectifier" name="Rectifier kind" current={() => decisions.rectifier} />
          <span>Rectifier</span>
          <Form.Select
            size="sm"
            aria-label="Rectifier kind"
            value={kind}
            onChange={(event) => edit((document) => hold(document, 'rectifier', { kind: event.target.value }))}
          >
            <option value="synchronous">synchronous</option>
            <option value="diode">diode</option>
          </Form.Select>
          <Rule path="rectifier" />
        </div>
        <div className="other" data-decision="lightLoad">
          <HoldToggle path="lightLoad" name="Light load" current={() => decisions.lightLoad} />
          <span>Light load</span>
          <Form.Select
            size="sm"
            aria-label="Light-load policy"
            value={decisions.lightLoad}
            onChange={(event) => edit((document) => hold(document, 'lightLoad', event.target.value))}
          >
            <option value="forced-pwm">forced PWM</option>
            <option value="diode-emulation">diode emulation</option>
            <option value="pulse-skipping">pulse skipping</option>
            <option value="ultrasonic">ultrasonic</option>
          </Form.Select>
          <Rule path="lightLoad" />
        </div>
        <div className="other" data-decision="conduction">
          <HoldToggle path="conduction" name="Conduction" current={() => decisions.conduction ?? 'fixed-frequency'} />
          <span>Conduction</span>
          <Form.Select
            size="sm"
            aria-label="Conduction"
            value={decisions.conduction ?? 'fixed-frequency'}
            onChange={(event) =>
              edit((document) =>
                event.target.value === 'critical'
                  ? hold(document, 'conduction', 'critical')
                  : free(free(document, 'conduction'), 'critical'),
              )
            }
          >
            <option value="fixed-frequency">fixed frequency</option>
            <option value="critical">critical</option>
          </Form.Select>
          <span className="rule">
            {decisions.conduction === 'critical' ? 'the frequency follows' : 'as decided above'}
          </span>
        </div>
        <div className="other" data-decision="coupling">
          <HoldToggle
            path="coupling"
            name="Coupling"
            current={() => decisions.coupling ?? { coefficient: 0.5, polarity: 'inverse' }}
          />
          <span>Coupling</span>
          <Form.Select
            size="sm"
            aria-label="Coupling of the windings"
            value={couplingWord(decisions)}
            onChange={(event) => edit((document) => setCoupling(document, event.target.value, decisions))}
          >
            <option value="none">none</option>
            <option value="inverse pairs">inverse, pairs</option>
            <option value="direct pairs">direct, pairs</option>
            <option value="inverse one-core">inverse, one core</option>
            <option value="direct one-core">direct, one core</option>
          </Form.Select>
          <span className="rule">{decisions.phases < 2 ? 'needs two phases' : ''}</span>
        </div>
        <div className="other" data-decision="outputFilter">
          <HoldToggle
            path="outputFilter"
            name="Second-stage filter"
            current={() => decisions.outputFilter ?? suggestSection()}
          />
          <span>Second-stage filter</span>
          <Form.Select
            size="sm"
            aria-label="Second-stage filter"
            value={decisions.outputFilter ? 'fitted' : 'none'}
            onChange={(event) =>
              edit((document) =>
                event.target.value === 'none'
                  ? free(document, 'outputFilter')
                  : hold(document, 'outputFilter', suggestSection()),
              )
            }
          >
            <option value="none">none</option>
            <option value="fitted">fitted</option>
          </Form.Select>
          <span className="rule">
            {decisions.outputFilter
              ? 'its drop counts; sense it before or after with care'
              : 'a tenth of the allowed ripple when fitted'}
          </span>
        </div>
        <div className="other" data-decision="rippleSchool">
          <HoldToggle path="rippleSchool" name="Ripple-ratio guideline" current={() => decisions.rippleSchool} />
          <span>Ripple-ratio guideline</span>
          <Form.Select
            size="sm"
            aria-label="Ripple-ratio guideline"
            value={decisions.rippleSchool}
            onChange={(event) => edit((document) => hold(document, 'rippleSchool', event.target.value))}
          >
            {(Object.keys(SCHOOLS) as RippleSchool[]).map((id) => (
              <option key={id} value={id}>
                {SCHOOLS[id].name}, {SCHOOLS[id].low * 100}–{SCHOOLS[id].high * 100} %
              </option>
            ))}
          </Form.Select>
          <Rule path="rippleSchool" />
        </div>
        {entries.map((entry) => {
          const value = valueAt(decisions, entry.path) as number | undefined;
          return (
            <div key={entry.path} className="other" data-decision={entry.path}>
              <HoldToggle path={entry.path} name={entry.name} current={() => value ?? 0} />
              <span>{entry.name}</span>
              <QuantityField
                label={entry.name}
                hideLabel
                small
                unit={entry.unit}
                value={value}
                check={checkOf(entry)}
                onChange={(next) =>
                  edit((document) =>
                    next === undefined
                      ? free(document, entry.path)
                      : hold(withKind(document, entry.path, kind), entry.path, next),
                  )
                }
              />
              <Rule path={entry.path} />
              {known.some((t) => t.path === entry.path) ? (
                <button
                  type="button"
                  className="tape-open"
                  aria-expanded={tape === entry.path}
                  aria-label={`Tape of ${entry.name.toLowerCase()}`}
                  onClick={() => setTape(tape === entry.path ? undefined : entry.path)}
                >
                  ⟷
                </button>
              ) : null}
              {tape === entry.path ? (
                <div className="other-tape">
                  <Tape tape={tapeOf(entry.path)} />
                </div>
              ) : null}
            </div>
          );
        })}
      </div>
    </section>
  );
}

/** A rectifier's value can only be held together with its kind. */
function withKind(document: Parameters<typeof hold>[0], path: string, kind: string): typeof document {
  return path.startsWith('rectifier.') && document.decisions.rectifier === undefined
    ? hold(document, 'rectifier', { kind })
    : document;
}

function couplingWord({ coupling }: CompleteDecisions): string {
  return coupling ? `${coupling.polarity} ${coupling.arrangement ?? 'pairs'}` : 'none';
}

function setCoupling(document: Design, word: string, { coupling }: CompleteDecisions): Design {
  if (word === 'none') return free(document, 'coupling');
  const [polarity, arrangement] = word.split(' ');
  return hold(document, 'coupling', { coefficient: 0.5, ...coupling, polarity, arrangement });
}

/** A section that leaves a tenth of the ripple allowed at the load. */
function suggestSection(): unknown {
  const { document } = useDocument.getState();
  const { result } = useSolved.getState();
  if (!document || !result) return undefined;
  return suggestOutputFilter(document.brief, result.decisions, result.operatingPoints);
}
