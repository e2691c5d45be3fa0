import { useMemo, useRef, useState, type ReactNode } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import { SCENARIO_WORDS, SCENARIOS, usualSteps, type Scenario } from '@yundro/core';
import { useDocument } from '../../stores/designStore.ts';
import { QuantityField } from '../../fields/QuantityField.tsx';
import { Against } from '../../revisions/Against.tsx';
import { backgroundSolver } from '../../workers/solver.ts';
import { setScope, useScope, type Inputs, type ScopeSettings } from './settings.ts';
import css from './scope.module.css';
import page from '../../app/page.module.css';

const GROUPS = { ordinary: 'What it meets', 'raw stage': 'The raw stage', faults: 'Faults' } as const;
const INPUTS: Readonly<Record<Inputs, string>> = {
  min: 'lowest input',
  nominal: 'nominal input',
  max: 'highest input',
  all: 'all three inputs',
};

/** Which scenario has an entry of its own for what. */
const STEPPED: readonly Scenario[] = ['load-step', 'step-train', 'bank-aged', 'bank-lost'];
export const TAKES: Readonly<Record<'duty' | 'rate' | 'release' | 'load' | 'step', readonly Scenario[]>> = {
  duty: ['open-loop', 'lighter-load', 'duty-ramp'],
  rate: ['step-train'],
  release: ['load-step', 'line-step', 'bank-aged', 'bank-lost'],
  step: STEPPED,
  load: SCENARIOS.filter((one) => !STEPPED.includes(one)),
};

interface PickProps {
  name: string;
  value: string;
  onPick: (value: string) => void;
  children: ReactNode;
}

/** One word out of several, under its name. */
function Pick({ name, value, onPick, children }: PickProps) {
  return (
    <Form.Group controlId={`scope-${name}`}>
      <Form.Label>{name}</Form.Label>
      <Form.Select size="sm" className={page['pick']} value={value} onChange={(event) => onPick(event.target.value)}>
        {children}
      </Form.Select>
    </Form.Group>
  );
}

/** Scenario, inputs and what else the scenario takes. */
export function Setting({ settings }: { settings: ScopeSettings }) {
  const { scenario, inputs, outputCurrent, duration, duty, rate, step, release, against } = settings;
  const brief = useDocument((state) => state.document?.brief);
  const steps = useMemo(() => (brief ? usualSteps(brief) : []), [brief]);
  const words = SCENARIO_WORDS[scenario];
  return (
    <>
      <div className={css['setting']}>
        <Pick name="scenario" value={scenario} onPick={(value) => setScope({ scenario: value as Scenario })}>
          {Object.entries(GROUPS).map(([group, name]) => (
            <optgroup key={group} label={name}>
              {SCENARIOS.filter((one) => SCENARIO_WORDS[one].group === group).map((one) => (
                <option key={one} value={one}>
                  {SCENARIO_WORDS[one].name}
                </option>
              ))}
            </optgroup>
          ))}
        </Pick>
        {scenario === 'line-step' ? null : (
          <Pick name="inputs" value={inputs} onPick={(value) => setScope({ inputs: value as Inputs })}>
            {Object.entries(INPUTS).map(([id, name]) => (
              <option key={id} value={id}>
                {name}
              </option>
            ))}
          </Pick>
        )}
        {TAKES.step.includes(scenario) ? (
          <Pick
            name="step"
            value={steps.find(({ words }) => words === step)?.words ?? ''}
            onPick={(value) => setScope({ step: value === '' ? undefined : value })}
          >
            <option value="">{brief?.loadStep ? 'the brief’s' : 'half to full load'}</option>
            {steps.slice(brief?.loadStep ? 1 : 0).map(({ words }) => (
              <option key={words}>{words}</option>
            ))}
          </Pick>
        ) : null}
        {TAKES.load.includes(scenario) ? (
          <QuantityField
            small
            optional
            label="load"
            placeholder="full"
            unit="A"
            value={outputCurrent}
            check={(value) => (value >= 0 ? undefined : 'A load draws zero or more.')}
            onChange={(value) => setScope({ outputCurrent: value })}
          />
        ) : null}
        {TAKES.duty.includes(scenario) ? (
          <QuantityField
            small
            optional
            label="duty"
            placeholder={scenario === 'open-loop' ? '50 %' : 'as closed'}
            unit="%"
            value={duty}
            check={(value) => (value >= 0 && value <= 1 ? undefined : 'A duty lies between 0 and 100 %.')}
            onChange={(value) => setScope({ duty: value })}
          />
        ) : null}
        {TAKES.rate.includes(scenario) ? (
          <QuantityField
            small
            optional
            label="rate"
            placeholder="the worst"
            unit="Hz"
            value={rate}
            check={(value) => (value > 0 ? undefined : 'A rate is above zero.')}
            onChange={(value) => setScope({ rate: value })}
          />
        ) : null}
        <QuantityField
          small
          optional
          label="for"
          placeholder="usual"
          unit="s"
          value={duration}
          check={(value) => (value > 0 ? undefined : 'A run lasts longer than zero.')}
          onChange={(value) => setScope({ duration: value })}
        />
        {TAKES.release.includes(scenario) ? (
          <Form.Check
            type="switch"
            id="scope-release"
            label="and back"
            checked={release}
            onChange={(event) => setScope({ release: event.target.checked })}
          />
        ) : null}
        <Against version={against} onPick={(version) => setScope({ against: version })} />
        <CapturePick />
      </div>
      <p className={css['does']}>
        {words.does[0]!.toUpperCase()}
        {words.does.slice(1)}. {words.looks ? <em>{words.looks}</em> : null}
      </p>
    </>
  );
}

/** Takes a capture from the bench, as the browser's file. */
function CapturePick() {
  const { capture, channel, shift } = useScope();
  const [trouble, setTrouble] = useState<string>();
  const input = useRef<HTMLInputElement>(null);
  const take = async (file: File): Promise<void> => {
    setTrouble(undefined);
    const text = await file.text();
    const { capture: read, message } = await backgroundSolver.press((solver) => solver.capture(text, file.name));
    if (read) setScope({ capture: read, channel: 0, shift: -read.edge });
    setTrouble(message);
  };
  return (
    <>
      <input
        ref={input}
        type="file"
        hidden
        accept=".csv,.txt,.tsv,text/csv,text/plain"
        data-testid="capture"
        onChange={(event) => {
          const file = event.target.files?.[0];
          event.target.value = '';
          if (file)
            take(file).catch((error: unknown) => setTrouble(`${file.name} could not be read: ${String(error)}.`));
        }}
      />
      {capture ? (
        <>
          <Form.Select
            size="sm"
            aria-label="Channel of the capture"
            className={page['pick']}
            value={channel}
            onChange={(event) => setScope({ channel: Number(event.target.value) })}
          >
            {capture.channels.map(({ name, unit }, k) => (
              <option key={k} value={k}>
                {capture.name}: {name}
                {unit ? ` (${unit})` : ''}
              </option>
            ))}
          </Form.Select>
          <QuantityField
            small
            label="moved by"
            unit="s"
            value={shift}
            onChange={(value) => setScope({ shift: value ?? 0 })}
          />
          <Button size="sm" variant="link" onClick={() => setScope({ capture: undefined })}>
            take away
          </Button>
        </>
      ) : (
        <Button size="sm" variant="outline-secondary" onClick={() => input.current?.click()}>
          Capture from the bench…
        </Button>
      )}
      {trouble ? (
        <p role="alert" className={css['trouble']}>
          {trouble}
        </p>
      ) : null}
    </>
  );
}
