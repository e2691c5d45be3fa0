import { useCallback, useState } from 'react';
import Form from 'react-bootstrap/Form';
import { formatQuantity, hold, type CompleteDecisions, type Design, type Series } from '@yundro/core';
import { DataTable } from '../../app/DataTable.tsx';
import { QuantityField } from '../../fields/QuantityField.tsx';
import { Quiet } from '../../app/Quiet.tsx';
import { edit } from '../../stores/designStore.ts';
import { backgroundSolver } from '../../workers/solver.ts';
import { useAnswer } from '../../workers/useAnswer.ts';
import type { SmallPartsAnswer, Wishes } from './answers.ts';
import css from './stage.module.css';

const positive = (value: number): string | undefined => (value > 0 ? undefined : 'More than zero is needed here.');
const percent = (value: number): string =>
  `${value < 0 ? '−' : '+'}${(Math.abs(value) * 100).toFixed(Math.abs(value) < 0.001 ? 3 : 2)} %`;
const spread = ({ worst, rss }: { worst: number; rss: number }): string =>
  `Tolerances move it by ±${formatQuantity(worst, '%')} at worst, ±${formatQuantity(rss, '%')} as a root sum of squares.`;

const FIRST: Wishes = {
  series: 'E96',
  current: 100e-6,
  resistor: 0.01,
  reference: 0.01,
  oscillator: 'single-ended',
  potentiometer: 10e3,
  lowest: undefined,
  highest: undefined,
};

interface Part {
  decisions: CompleteDecisions;
  wishes: Wishes;
  wish: (change: Partial<Wishes>) => void;
  found: SmallPartsAnswer;
}

/** Feedback divider, adjustable output and timing parts: standard values for the design as it stands. */
export function SmallParts({ decisions }: { decisions: CompleteDecisions }) {
  const [wishes, setWishes] = useState(FIRST);
  const ask = useCallback(
    (design: Design) => backgroundSolver.ask((solver) => solver.smallParts(design, wishes)),
    [wishes],
  );
  const found = useAnswer(ask);
  const part = found && {
    decisions,
    wishes,
    found,
    wish: (change: Partial<Wishes>) => setWishes((before) => ({ ...before, ...change })),
  };
  return (
    <section className={css['small-parts']} aria-label="Small parts">
      <h2>Small parts</h2>
      {part ? (
        <div className={css['small-columns']}>
          <Divider {...part} />
          <Adjustable {...part} />
          <Timing {...part} />
        </div>
      ) : (
        <p className="text-body-secondary">Looking for standard values…</p>
      )}
    </section>
  );
}

function Pick({
  label,
  value,
  options,
  onChange,
}: {
  label: string;
  value: string;
  options: readonly string[];
  onChange: (value: string) => void;
}) {
  return (
    <Form.Select size="sm" aria-label={label} value={value} onChange={(event) => onChange(event.target.value)}>
      {options.map((option) => (
        <option key={option} value={option}>
          {option}
        </option>
      ))}
    </Form.Select>
  );
}

function Divider({ decisions, wishes, wish, found: { pairs } }: Part) {
  const { referenceVoltage } = decisions.control;
  return (
    <div>
      <h3>Feedback divider, reference {formatQuantity(referenceVoltage, 'V')}</h3>
      <div className={css['small-fields']}>
        <Pick
          label="Series of the divider"
          value={wishes.series}
          options={['E24', 'E96', 'E192']}
          onChange={(series) => wish({ series: series as Series })}
        />
        <QuantityField
          small
          label="Current"
          unit="A"
          value={wishes.current}
          check={positive}
          onChange={(current) => current !== undefined && wish({ current })}
        />
        <QuantityField
          small
          label="Resistors ±"
          unit="%"
          value={wishes.resistor}
          check={positive}
          onChange={(resistor) => resistor !== undefined && wish({ resistor })}
        />
        <QuantityField
          small
          label="Reference ±"
          unit="%"
          value={wishes.reference}
          check={positive}
          onChange={(reference) => reference !== undefined && wish({ reference })}
        />
      </div>
      {pairs.length > 0 ? (
        <DataTable
          className={SMALL}
          rows={pairs}
          rowKey={({ top, bottom }) => `${top}/${bottom}`}
          columns={[
            { id: 'top', head: 'top', cell: ({ top }) => formatQuantity(top, 'Ω') },
            { id: 'bottom', head: 'bottom', cell: ({ bottom }) => formatQuantity(bottom, 'Ω') },
            { id: 'error', head: 'error', cell: ({ error }) => percent(error) },
            {
              id: 'use',
              head: 'use',
              cell: ({ top, bottom }) => (
                <Quiet
                  className="fw-semibold"
                  onClick={() =>
                    edit((document) =>
                      hold(hold(document, 'compensator.dividerTop', top), 'compensator.dividerBottom', bottom),
                    )
                  }
                >
                  {decisions.compensator?.dividerTop === top && decisions.compensator.dividerBottom === bottom
                    ? 'held'
                    : 'hold'}
                </Quiet>
              ),
            },
          ]}
        />
      ) : null}
      {pairs[0] ? (
        <p className={css['small-words']}>{spread(pairs[0].accuracy)}</p>
      ) : (
        <p className="text-body-secondary">The output does not lie above the reference: feed it back directly.</p>
      )}
    </div>
  );
}

const SMALL = `font-monospace ${css['small-table']}`;

const POTENTIOMETERS = ['1k', '2k', '5k', '10k', '20k', '50k', '100k'];

function Adjustable({ decisions, wishes, wish, found: { range, adjustable: found } }: Part) {
  const v = (value: number): string => formatQuantity(value, 'V');
  return (
    <div>
      <h3>Adjustable by a potentiometer</h3>
      <div className={css['small-fields']}>
        <QuantityField
          small
          label="From"
          unit="V"
          value={range.lowest}
          check={positive}
          onChange={(lowest) => lowest !== undefined && wish({ lowest, highest: range.highest })}
        />
        <QuantityField
          small
          label="to"
          unit="V"
          value={range.highest}
          check={positive}
          onChange={(highest) => highest !== undefined && wish({ highest, lowest: range.lowest })}
        />
        <Pick
          label="Potentiometer"
          value={`${wishes.potentiometer / 1e3}k`}
          options={POTENTIOMETERS}
          onChange={(turn) => wish({ potentiometer: Number(turn.replace('k', '')) * 1e3 })}
        />
      </div>
      {found ? (
        <p className={css['small-words']}>
          Top <span className="font-monospace">{formatQuantity(found.top, 'Ω')}</span>; bottom{' '}
          <span className="font-monospace">{formatQuantity(found.bottom, 'Ω')}</span> in series with the potentiometer.
          Runs from <span className="font-monospace">{v(found.lowest)}</span> to{' '}
          <span className="font-monospace">{v(found.highest)}</span>; a hundredth of the turn moves it{' '}
          <span className="font-monospace">{v(found.resolutionAtLowest)}</span> at the low end and{' '}
          <span className="font-monospace">{v(found.resolutionAtHighest)}</span> at the high end. Tie the wiper to one
          end: when it opens, the output falls to{' '}
          <span className="font-monospace">{v(found.wiperOpen.inBottomLeg)}</span>. In the top leg the same fault takes
          the feedback away and the output runs up without limit.
        </p>
      ) : (
        <p className="text-body-secondary">
          The range must lie above the reference of {v(decisions.control.referenceVoltage)}, its lower end first.
        </p>
      )}
    </div>
  );
}

function Timing({ decisions, wishes, wish, found: { timing: pairs } }: Part) {
  const frequency = decisions.switchingFrequency;
  return (
    <div>
      <h3>Timing parts, {formatQuantity(frequency, 'Hz')}</h3>
      <div className={css['small-fields']}>
        <Pick
          label="Oscillator"
          value={wishes.oscillator}
          options={['single-ended', 'push-pull']}
          onChange={(oscillator) => wish({ oscillator: oscillator as Wishes['oscillator'] })}
        />
        <span className="text-body-secondary">
          f ≈ {wishes.oscillator === 'push-pull' ? '½' : '1'}/(RT·CT); 1 % and 5 % parts
        </span>
      </div>
      {pairs.length > 0 ? (
        <DataTable
          className={SMALL}
          rows={pairs}
          rowKey={({ resistance, capacitance }) => `${resistance}/${capacitance}`}
          columns={[
            { id: 'RT', head: 'RT', cell: ({ resistance }) => formatQuantity(resistance, 'Ω') },
            { id: 'CT', head: 'CT', cell: ({ capacitance }) => formatQuantity(capacitance, 'F') },
            { id: 'gives', head: 'gives', cell: ({ frequency: f }) => formatQuantity(f, 'Hz', { digits: 4 }) },
            { id: 'error', head: 'error', cell: ({ error }) => percent(error) },
          ]}
        />
      ) : null}
      {pairs[0] ? (
        <p className={css['small-words']}>{spread(pairs[0].accuracy)}</p>
      ) : (
        <p className="text-body-secondary">No usual resistor and capacitor give this frequency.</p>
      )}
    </div>
  );
}
