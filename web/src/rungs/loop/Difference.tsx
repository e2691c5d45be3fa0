import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import ButtonGroup from 'react-bootstrap/ButtonGroup';
import Form from 'react-bootstrap/Form';
import { FORM_WORDS, formatQuantity, scaledTo, type DigitalForm, type DigitalParts } from '@yundro/core';
import { neededAt } from '../../fields/needed.ts';
import { QuantityField } from '../../fields/QuantityField.tsx';
import { useBuilt, useSolved } from '../../stores/designStore.ts';
import { backgroundSolver } from '../../workers/solver.ts';
import { cornerWords } from './Corners.tsx';
import { keepEquation } from './keep.ts';
import css from './loop.module.css';

const WORDS_OF = [12, 16, 24, 32] as const;

/** A difference equation's terms, newest first. */
const terms = (list: readonly number[], of: string, sign: 1 | -1, from: number, digits?: number): string =>
  list
    .map((value, k) => {
      const shown = sign * value;
      const size = digits === undefined ? String(Math.abs(shown)) : Math.abs(shown).toPrecision(digits);
      return `${shown < 0 ? ' − ' : ' + '}${size}·${of}[${k + from === 0 ? 'n' : `n−${k + from}`}]`;
    })
    .join('');

/** What stands in a network's place: a digital controller's equation, placed by its form and told in whole numbers; or nothing. */
export function Difference() {
  const digital = useSolved((state) => state.decisions?.control.digital);
  const rule = useSolved((state) => state.decided.find(({ path }) => path === 'control.digital')?.rule);
  const [bits, setBits] = useState<number>(16);
  if (!digital) return <p className="text-body-secondary">This controller has no amplifier network.</p>;
  const scaled = scaledTo(digital, bits);
  const counts = digital.converterStep !== undefined && digital.dutyResolution !== undefined;
  return (
    <section aria-label="Difference equation" data-testid="difference">
      <h2>Difference equation</h2>
      {rule === undefined ? null : <p className="text-body-secondary">Decided: {rule}.</p>}
      <p className="font-monospace">
        u[n] ={terms(digital.numerator, 'e', 1, 0, 5).replace(/^ \+/u, '')}
        {terms(digital.denominator.slice(1), 'u', -1, 1, 5)}
      </p>
      <Coefficients digital={digital} decided={rule !== undefined} />
      <p className="text-body-secondary">
        The duty u of a period, from the error e of the output in volts, sampled{' '}
        {digital.sampleDelay === 1 ? 'a period' : `${digital.sampleDelay} periods`} before it; clamped to its limits,
        and remembered as clamped.
      </p>
      <div className={`${css['placing']} mb-1`}>
        <Form.Group controlId="word">
          <Form.Label className="mb-0">in whole numbers of</Form.Label>
          <Form.Select size="sm" value={bits} onChange={(event) => setBits(Number(event.target.value))}>
            {WORDS_OF.map((one) => (
              <option key={one} value={one}>
                {one} bits
              </option>
            ))}
          </Form.Select>
        </Form.Group>
        <p className="font-monospace mb-0">
          {scaled.denominator[0]}·u[n] ={terms(scaled.numerator, 'e', 1, 0).replace(/^ \+/u, '')}
          {terms(scaled.denominator.slice(1), 'u', -1, 1)}
        </p>
      </div>
      <p className="text-body-secondary">
        All times 2<sup>{scaled.shift}</sup>,{' '}
        {counts ? 'e in steps of the converter and u in steps of the duty' : 'e in volts and u as a part of the period'}
        ; no coefficient is off by more than {formatQuantity(scaled.off, '%')}.
      </p>
      <Place />
    </section>
  );
}

/** Terms of e, and of u, that a typed equation may have. */
const MOST_TERMS = 8;

/** The equation by its numbers: typed, they are held. */
function Coefficients({ digital, decided }: { digital: DigitalParts; decided: boolean }) {
  const { numerator, denominator, sampleDelay, dutyResolution, converterStep } = digital;
  const put = (change: Partial<DigitalParts>): void => keepEquation({ ...digital, ...change });
  const at = (k: number): string => (k === 0 ? 'n' : `n−${k}`);
  const changed = (list: readonly number[], k: number, value: number): number[] =>
    list.map((one, j) => (j === k ? value : one));
  return (
    <>
      <div className={css['network']}>
        {numerator.map((value, k) => (
          <QuantityField
            key={`e${k}`}
            small
            label={`times e[${at(k)}]`}
            unit=""
            value={value}
            onChange={(typed) => put({ numerator: changed(numerator, k, typed ?? value) })}
          />
        ))}
        {denominator.slice(1).map((value, k) => (
          <QuantityField
            key={`u${k}`}
            small
            label={`times u[${at(k + 1)}]`}
            unit=""
            // as it stands in the equation
            value={value === 0 ? 0 : -value}
            onChange={(typed) => put({ denominator: changed(denominator, k + 1, typed ? -typed : 0) })}
          />
        ))}
        <QuantityField
          small
          label="sampled ahead, periods"
          unit=""
          value={sampleDelay}
          check={neededAt('decisions.control.digital.sampleDelay')}
          onChange={(value) => put({ sampleDelay: value ?? sampleDelay })}
        />
        <QuantityField
          small
          optional
          label="duty steps a period"
          unit=""
          placeholder="none"
          value={dutyResolution}
          check={neededAt('decisions.control.digital.dutyResolution')}
          onChange={(value) => put({ dutyResolution: value })}
        />
        <QuantityField
          small
          optional
          label="step of the converter"
          unit="V"
          placeholder="none"
          value={converterStep}
          check={neededAt('decisions.control.digital.converterStep')}
          onChange={(value) => put({ converterStep: value })}
        />
      </div>
      <div className={`${css['placing']} mb-2`}>
        {(
          [
            ['e', 'numerator', 1],
            ['u', 'denominator', 2],
          ] as const
        ).map(([of, key, least]) => (
          <ButtonGroup key={of} size="sm" aria-label={`Terms of ${of}`}>
            <Button
              variant="outline-secondary"
              disabled={digital[key].length <= least}
              onClick={() => put({ [key]: digital[key].slice(0, -1) })}
            >
              Drop a term of {of}
            </Button>
            <Button
              variant="outline-secondary"
              disabled={digital[key].length >= MOST_TERMS}
              onClick={() => put({ [key]: [...digital[key], 0] })}
            >
              Add a term of {of}
            </Button>
          </ButtonGroup>
        ))}
        {decided ? (
          <Button size="sm" variant="outline-secondary" onClick={() => put({})}>
            Keep this equation
          </Button>
        ) : null}
      </div>
    </>
  );
}

/** Coefficients of a form, for a crossover and a margin. */
function Place() {
  const design = useBuilt();
  const frequency = useSolved((state) => state.decisions?.switchingFrequency) ?? 4e5;
  const [form, setForm] = useState<DigitalForm>('2p2z');
  const [wanted, setWanted] = useState<{ crossover: number | undefined; phaseMargin: number }>({
    crossover: undefined,
    phaseMargin: 50,
  });
  const [words, setWords] = useState<string>();
  const crossover = wanted.crossover ?? Number((frequency / 20).toPrecision(2));
  const place = async (): Promise<void> => {
    if (!design) return;
    const { found, trouble } = await backgroundSolver.press((solver) =>
      solver.placeDigital(design, form, { crossover, phaseMargin: wanted.phaseMargin }),
    );
    if (found) keepEquation(found.digital);
    const places = (list: readonly number[]): string =>
      list.map((at) => formatQuantity(at, 'Hz', { digits: 2 })).join(', ');
    setWords(
      found
        ? `Placed at ${cornerWords(found.at)}, where the gain is highest: zeros at ${places(found.zeros)}${found.poles.length > 0 ? `, poles at ${places(found.poles)}` : ''}, ${found.phaseMargin.toFixed(0)}° of margin.`
        : trouble,
    );
  };
  return (
    <>
      <div className={css['placing']}>
        <Form.Group controlId="digital-form">
          <Form.Label className="mb-0">form</Form.Label>
          <Form.Select size="sm" value={form} onChange={(event) => setForm(event.target.value as DigitalForm)}>
            {Object.entries(FORM_WORDS).map(([id, name]) => (
              <option key={id} value={id}>
                {name}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
        <QuantityField
          small
          label="cross over at"
          unit="Hz"
          value={crossover}
          check={(value) => (value > 0 && value < frequency / 2 ? undefined : 'Below half the switching frequency.')}
          onChange={(value) => setWanted((now) => ({ ...now, crossover: value }))}
        />
        <QuantityField
          small
          label="with a margin of, degrees"
          unit=""
          value={wanted.phaseMargin}
          check={(value) => (value > 0 && value < 90 ? undefined : 'Between 0 and 90 degrees.')}
          onChange={(value) => setWanted((now) => ({ ...now, phaseMargin: value ?? 50 }))}
        />
        <Button
          size="sm"
          variant="outline-secondary"
          onClick={() => {
            place().catch((error: unknown) => setWords(`Nothing was placed: ${String(error)}.`));
          }}
        >
          Place coefficients
        </Button>
      </div>
      {words === undefined ? null : <p role="status">{words}</p>}
    </>
  );
}
