import Form from 'react-bootstrap/Form';
import { free, hold, SCHOOLS, valueAt, type CompleteDecisions, type RippleSchool, type Unit } from '@yundro/core';
import { QuantityField } from '../fields/QuantityField.tsx';
import { edit } from '../stores/designStore.ts';
import { HoldToggle } from './HoldToggle.tsx';
import { Rule } from './Tape.tsx';

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
  { path: 'controlSwitch.onResistance', name: 'Control switch, on', unit: 'Ω', least: { value: 0, allowed: true } },
  { path: 'rippleRatio', name: 'Ripple ratio', unit: '%', most: 4 },
  { path: 'control.minimumOnTime', name: 'Shortest on-time', unit: 's', least: { value: 0, allowed: true } },
  { path: 'control.minimumOffTime', name: 'Shortest off-time', unit: 's', least: { value: 0, allowed: true } },
  { path: 'control.maximumDuty', name: 'Duty limit', unit: '%', most: 1 },
  { path: 'control.deadTime', name: 'Dead time, each edge', unit: 's', least: { value: 0, allowed: true } },
];
const SYNCHRONOUS: readonly Entry[] = [
  { path: 'rectifier.onResistance', name: 'Rectifier, on', unit: 'Ω', least: { value: 0, allowed: true } },
];
const DIODE: readonly Entry[] = [
  { path: 'rectifier.forwardVoltage', name: 'Diode drop', unit: 'V', least: { value: 0, allowed: true } },
  { path: 'rectifier.resistance', name: 'Diode slope', unit: 'Ω', least: { value: 0, allowed: true } },
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
  const entries = [...COMMON.slice(0, 3), ...(kind === 'diode' ? DIODE : SYNCHRONOUS), ...COMMON.slice(3)];
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
          </Form.Select>
          <Rule path="lightLoad" />
        </div>
        <div className="other" data-decision="rippleSchool">
          <HoldToggle path="rippleSchool" name="Ripple school" current={() => decisions.rippleSchool} />
          <span>Ripple school</span>
          <Form.Select
            size="sm"
            aria-label="Ripple school"
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
