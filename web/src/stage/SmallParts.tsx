import { useState, type ReactNode } from 'react';
import Form from 'react-bootstrap/Form';
import Table from 'react-bootstrap/Table';
import {
  adjustableDivider,
  dividerPairs,
  formatQuantity,
  hold,
  suggestRange,
  timingPairs,
  type CompleteDecisions,
  type Series,
} from '@yundro/core';
import { QuantityField } from '../fields/QuantityField.tsx';
import { edit } from '../stores/designStore.ts';

const positive = (value: number): string | undefined => (value > 0 ? undefined : 'More than zero is needed here.');
const percent = (value: number): string =>
  `${value < 0 ? '−' : '+'}${(Math.abs(value) * 100).toFixed(Math.abs(value) < 0.001 ? 3 : 2)} %`;
const spread = ({ worst, rss }: { worst: number; rss: number }): string =>
  `Tolerances move it by ±${formatQuantity(worst, '%')} at worst, ±${formatQuantity(rss, '%')} as a root sum of squares.`;

/** Feedback divider, adjustable output and timing parts: standard values for the design as it stands. */
export function SmallParts({ decisions, outputVoltage }: { decisions: CompleteDecisions; outputVoltage: number }) {
  return (
    <section className="small-parts" aria-label="Small parts">
      <h2>Small parts</h2>
      <div className="small-columns">
        <Divider decisions={decisions} outputVoltage={outputVoltage} />
        <Adjustable decisions={decisions} outputVoltage={outputVoltage} />
        <Timing frequency={decisions.switchingFrequency} />
      </div>
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

function Rows({ head, children }: { head: readonly string[]; children: ReactNode }) {
  return (
    <Table size="sm" className="mono small-table">
      <thead>
        <tr>
          {head.map((word) => (
            <th key={word} scope="col">
              {word}
            </th>
          ))}
        </tr>
      </thead>
      <tbody>{children}</tbody>
    </Table>
  );
}

function Divider({ decisions, outputVoltage }: { decisions: CompleteDecisions; outputVoltage: number }) {
  const [series, setSeries] = useState<Series>('E96');
  const [current, setCurrent] = useState(100e-6);
  const [resistor, setResistor] = useState(0.01);
  const [referenceTolerance, setReferenceTolerance] = useState(0.01);
  const { referenceVoltage } = decisions.control;
  const pairs = dividerPairs(outputVoltage, referenceVoltage, series, current, {
    resistor,
    reference: referenceTolerance,
  });
  return (
    <div>
      <h3>Feedback divider, reference {formatQuantity(referenceVoltage, 'V')}</h3>
      <div className="small-fields">
        <Pick
          label="Series of the divider"
          value={series}
          options={['E24', 'E96', 'E192']}
          onChange={(v) => setSeries(v as Series)}
        />
        <QuantityField
          small
          label="Current"
          unit="A"
          value={current}
          check={positive}
          onChange={(v) => setCurrent(v ?? current)}
        />
        <QuantityField
          small
          label="Resistors ±"
          unit="%"
          value={resistor}
          check={positive}
          onChange={(v) => setResistor(v ?? resistor)}
        />
        <QuantityField
          small
          label="Reference ±"
          unit="%"
          value={referenceTolerance}
          check={positive}
          onChange={(v) => setReferenceTolerance(v ?? referenceTolerance)}
        />
      </div>
      {pairs.length > 0 ? (
        <Rows head={['top', 'bottom', 'error', 'use']}>
          {pairs.map((pair) => (
            <tr key={`${pair.top}/${pair.bottom}`}>
              <td>{formatQuantity(pair.top, 'Ω')}</td>
              <td>{formatQuantity(pair.bottom, 'Ω')}</td>
              <td>{percent(pair.error)}</td>
              <td>
                <button
                  type="button"
                  className="why-number"
                  onClick={() =>
                    edit((document) =>
                      hold(
                        hold(document, 'compensator.dividerTop', pair.top),
                        'compensator.dividerBottom',
                        pair.bottom,
                      ),
                    )
                  }
                >
                  {decisions.compensator?.dividerTop === pair.top && decisions.compensator.dividerBottom === pair.bottom
                    ? 'held'
                    : 'hold'}
                </button>
              </td>
            </tr>
          ))}
        </Rows>
      ) : null}
      {pairs[0] ? (
        <p className="small-words">{spread(pairs[0].accuracy)}</p>
      ) : (
        <p className="soft">The output does not lie above the reference: feed it back directly.</p>
      )}
    </div>
  );
}

const POTENTIOMETERS = ['1k', '2k', '5k', '10k', '20k', '50k', '100k'];

function Adjustable({ decisions, outputVoltage }: { decisions: CompleteDecisions; outputVoltage: number }) {
  const start = suggestRange(outputVoltage, decisions.control.referenceVoltage);
  const [low, setLow] = useState(start.lowest);
  const [high, setHigh] = useState(start.highest);
  const [turn, setTurn] = useState('10k');
  const found = adjustableDivider(low, high, decisions.control.referenceVoltage, Number(turn.replace('k', '')) * 1e3);
  const v = (value: number): string => formatQuantity(value, 'V');
  return (
    <div>
      <h3>Adjustable by a potentiometer</h3>
      <div className="small-fields">
        <QuantityField
          small
          label="From"
          unit="V"
          value={low}
          check={positive}
          onChange={(value) => setLow(value ?? low)}
        />
        <QuantityField
          small
          label="to"
          unit="V"
          value={high}
          check={positive}
          onChange={(value) => setHigh(value ?? high)}
        />
        <Pick label="Potentiometer" value={turn} options={POTENTIOMETERS} onChange={setTurn} />
      </div>
      {found ? (
        <p className="small-words">
          Top <span className="mono">{formatQuantity(found.top, 'Ω')}</span>; bottom{' '}
          <span className="mono">{formatQuantity(found.bottom, 'Ω')}</span> in series with the potentiometer. Runs from{' '}
          <span className="mono">{v(found.lowest)}</span> to <span className="mono">{v(found.highest)}</span>; a
          hundredth of the turn moves it <span className="mono">{v(found.resolutionAtLowest)}</span> at the low end and{' '}
          <span className="mono">{v(found.resolutionAtHighest)}</span> at the high end. Tie the wiper to one end: when
          it opens, the output falls to <span className="mono">{v(found.wiperOpen.inBottomLeg)}</span>. In the top leg
          the same fault takes the feedback away and the output runs up without limit.
        </p>
      ) : (
        <p className="soft">
          The range must lie above the reference of {v(decisions.control.referenceVoltage)}, its lower end first.
        </p>
      )}
    </div>
  );
}

function Timing({ frequency }: { frequency: number }) {
  const [kind, setKind] = useState<'single-ended' | 'push-pull'>('single-ended');
  const pairs = timingPairs(frequency, kind);
  return (
    <div>
      <h3>Timing parts, {formatQuantity(frequency, 'Hz')}</h3>
      <div className="small-fields">
        <Pick
          label="Oscillator"
          value={kind}
          options={['single-ended', 'push-pull']}
          onChange={(v) => setKind(v as 'single-ended' | 'push-pull')}
        />
        <span className="soft">f ≈ {kind === 'push-pull' ? '½' : '1'}/(RT·CT); 1 % and 5 % parts</span>
      </div>
      {pairs.length > 0 ? (
        <Rows head={['RT', 'CT', 'gives', 'error']}>
          {pairs.map((pair) => (
            <tr key={`${pair.resistance}/${pair.capacitance}`}>
              <td>{formatQuantity(pair.resistance, 'Ω')}</td>
              <td>{formatQuantity(pair.capacitance, 'F')}</td>
              <td>{formatQuantity(pair.frequency, 'Hz', { digits: 4 })}</td>
              <td>{percent(pair.error)}</td>
            </tr>
          ))}
        </Rows>
      ) : null}
      {pairs[0] ? (
        <p className="small-words">{spread(pairs[0].accuracy)}</p>
      ) : (
        <p className="soft">No usual resistor and capacitor give this frequency.</p>
      )}
    </div>
  );
}
