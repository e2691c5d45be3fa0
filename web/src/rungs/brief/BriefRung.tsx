import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import { fieldOf, formatQuantity, suggestLoadStep, withoutValue, withValue, type Design } from '@yundro/core';
import { neededAt } from '../../fields/needed.ts';
import { PathField } from '../../fields/PathField.tsx';
import { QuantityField } from '../../fields/QuantityField.tsx';
import { RangeFields } from '../../fields/RangeFields.tsx';
import { TextField } from '../../fields/TextField.tsx';
import { edit, useDocument, useSolved } from '../../stores/designStore.ts';
import { WhyNumber } from '../../why/WhyNumber.tsx';
import css from './brief.module.css';
import fields from '../../fields/fields.module.css';

function set(path: string, value: unknown): void {
  edit((document: Design) =>
    value === undefined ? withoutValue(document, `brief.${path}`) : withValue(document, `brief.${path}`, value),
  );
}

/** Takes the output’s voltage; one below zero is its size, and the output stands below return. */
function setOutput(volts: number): void {
  edit((document: Design) => {
    const sized = withValue(document, 'brief.outputVoltage', Math.abs(volts));
    return volts < 0 ? withValue(sized, 'brief.outputPolarity', 'negative') : sized;
  });
}

interface FieldProps {
  /** below `brief` */
  path: string;
  /** what it is called here; the file's own name for it when absent */
  label?: string;
  value: number | undefined;
  optional?: boolean;
  placeholder?: string;
  /** what a per cent is of */
  of?: number;
  either?: boolean;
}

function Field({ path, label, value, optional = false, placeholder, ...reads }: FieldProps) {
  const { name, unit = '' } = fieldOf(`brief.${path}`)!;
  return (
    <QuantityField
      label={label ?? name}
      unit={unit}
      value={value}
      optional={optional}
      {...(placeholder === undefined ? {} : { placeholder })}
      {...reads}
      check={neededAt(`brief.${path}`)}
      onChange={(next) => set(path, next)}
    />
  );
}

function Text({
  path,
  label,
  value,
  placeholder,
}: {
  path: string;
  label: string;
  value: string | undefined;
  placeholder: string;
}) {
  return (
    <TextField
      id={`brief-${path}`}
      label={label}
      maxLength={80}
      value={value ?? ''}
      placeholder={placeholder}
      onChange={(next) => set(path, next === '' ? undefined : next)}
    />
  );
}

/** Bands of frequency that the switching and its harmonics should stay out of. */
function Bands({ bands }: { bands: { min: number; max: number }[] }) {
  const put = (next: { min: number; max: number }[]): void => set('keepClear', next.length > 0 ? next : undefined);
  return (
    <fieldset>
      <legend>Bands to keep clear</legend>
      <div className={fields['fields']}>
        {bands.map((band, index) => (
          <div className={fields['band']} key={index}>
            <RangeFields
              value={band}
              unit="Hz"
              zero
              order={[
                { key: 'min', label: `Band ${index + 1}, from` },
                { key: 'max', label: 'to' },
              ]}
              onChange={(next) => put(bands.map((b, i) => (i === index ? { ...b, ...next } : b)))}
            />
            <Button
              size="sm"
              variant="outline-secondary"
              aria-label={`Remove band ${index + 1}`}
              onClick={() => put(bands.filter((_, i) => i !== index))}
            >
              Remove
            </Button>
          </div>
        ))}
        {bands.length < 20 ? (
          <Button size="sm" variant="outline-secondary" onClick={() => put([...bands, { min: 530e3, max: 1.7e6 }])}>
            Add a band
          </Button>
        ) : null}
      </div>
    </fieldset>
  );
}

const YEAR = 365.25 * 86_400;

/** Loads and how much of the time each is drawn: what parts are chosen by. */
function Profile({ loads, full }: { loads: { current: number; share: number }[]; full: number }) {
  const put = (next: typeof loads): void => set('loadProfile', next.length > 0 ? next : undefined);
  const total = loads.reduce((sum, { share }) => sum + share, 0);
  return (
    <div role="group" aria-label="Load profile" className={css['group']}>
      {loads.length === 0 ? (
        <p className="text-body-secondary">
          No load profile given: parts are chosen for full load a fifth of the time, half of it half the time, and light
          load for the rest.
        </p>
      ) : null}
      {loads.map(({ current, share }, index) => (
        <div className={fields['band']} key={index}>
          <QuantityField
            label={`Load ${index + 1}`}
            unit="A"
            value={current}
            check={neededAt('brief.loadProfile.0.current')}
            onChange={(next) => put(loads.map((at, i) => (i === index ? { ...at, current: next! } : at)))}
          />
          <QuantityField
            label="of the time"
            unit="%"
            value={share}
            check={neededAt('brief.loadProfile.0.share')}
            onChange={(next) => put(loads.map((at, i) => (i === index ? { ...at, share: next! } : at)))}
          />
          <Button
            size="sm"
            variant="outline-secondary"
            aria-label={`Remove load ${index + 1}`}
            onClick={() => put(loads.filter((_, i) => i !== index))}
          >
            Remove
          </Button>
        </div>
      ))}
      {loads.length > 0 && Math.abs(total - 1) > 1e-6 ? (
        <p className="text-body-secondary">
          The shares add up to {formatQuantity(total, '%')}; they are taken in proportion.
        </p>
      ) : null}
      {loads.length < 20 ? (
        <Button
          size="sm"
          variant="outline-secondary"
          onClick={() => put([...loads, { current: full, share: Math.max(0.1, 1 - total) }])}
        >
          Add a load
        </Button>
      ) : null}
    </div>
  );
}

/** Takes a kind of load; a curve begins as a string of diodes draws: nothing up to four fifths of the output. */
function chooseLoad({ outputVoltage, outputCurrent, loadCurve }: Design['brief'], load: string): void {
  if (load === 'curve' && !loadCurve)
    set('loadCurve', [
      [0.8 * outputVoltage, 0],
      [outputVoltage, outputCurrent.max],
    ]);
  set('load', load);
}

/** What a load draws over its voltage, point by point. */
function LoadCurve({ points }: { points: [number, number][] }) {
  const put = (next: typeof points): void => set('loadCurve', next);
  const moved = (index: number, at: 0 | 1, value: number): void =>
    put(points.map((point, i) => (i === index ? (at === 0 ? [value, point[1]] : [point[0], value]) : point)));
  return (
    <fieldset>
      <legend>The load’s curve</legend>
      <p className="text-body-secondary">
        Straight between the points, in the proportions of what it draws at the output voltage.
      </p>
      {points.map(([volts, amperes], index) => (
        <div className={fields['band']} key={index}>
          <QuantityField
            label={`Point ${index + 1}, at`}
            unit="V"
            value={volts}
            check={(value) =>
              value >= 0 && value > (points[index - 1]?.[0] ?? -1) && value < (points[index + 1]?.[0] ?? Infinity)
                ? undefined
                : 'Between its neighbours’ voltages is needed here.'
            }
            onChange={(next) => moved(index, 0, next!)}
          />
          <QuantityField
            label="draws"
            unit="A"
            value={amperes}
            check={neededAt('brief.loadCurve.0.1')}
            onChange={(next) => moved(index, 1, next!)}
          />
          <Button
            size="sm"
            variant="outline-secondary"
            aria-label={`Remove point ${index + 1}`}
            disabled={points.length <= 2}
            onClick={() => put(points.filter((_, i) => i !== index))}
          >
            Remove
          </Button>
        </div>
      ))}
      {points.length < 100 ? (
        <Button
          size="sm"
          variant="outline-secondary"
          onClick={() => put([...points, [1.2 * points.at(-1)![0], points.at(-1)![1]]])}
        >
          Add a point
        </Button>
      ) : null}
    </fieldset>
  );
}

const WISHES = [
  ['passThrough', '100 % duty'],
  ['spreadSpectrum', 'spread spectrum'],
  ['powerGood', 'power good'],
  ['externalCompensation', 'compensated outside'],
  ['synchronisable', 'synchronisable'],
  ['softStart', 'soft start to be set'],
] as const;

/** What is wished for in a controller. */
function Wishes({ wishes }: { wishes: NonNullable<Design['brief']['controller']> }) {
  return (
    <div role="group" aria-label="The controller has" className={css['group']}>
      <span className="text-body-secondary">The controller has </span>
      {WISHES.map(([key, words]) => (
        <Form.Check
          key={key}
          inline
          id={`wish-${key}`}
          label={words}
          checked={wishes[key] === true}
          onChange={(event) => set(`controller.${key}`, event.target.checked ? true : undefined)}
        />
      ))}
      <div className={fields['fields']}>
        <PathField small={false} path="brief.controller.accuracy" placeholder="any" />
        <PathField small={false} path="brief.controller.quiescentCurrent" placeholder="any" />
      </div>
    </div>
  );
}

/** What is wanted. A finished entry re-solves the design at once; what is left empty has a stated default. */
export default function BriefRung() {
  const document = useDocument((state) => state.document)!;
  const result = useSolved((state) => state.result);
  const { brief } = document;
  const { inputVoltage: vin, outputCurrent: iout, loadStep } = brief;
  return (
    <div className={css['brief']}>
      <TextField
        id="design-name"
        className={fields['quantity']}
        label="Name of this rail"
        value={document.name}
        maxLength={200}
        onChange={(next) => edit((d) => ({ ...d, name: next }))}
      />
      <fieldset>
        <legend>Input</legend>
        <div className={fields['fields']}>
          <RangeFields
            value={vin}
            unit="V"
            order={[
              { key: 'min', label: 'Minimum' },
              { key: 'nominal', label: 'Nominal' },
              { key: 'max', label: 'Maximum' },
            ]}
            onChange={(next) => set('inputVoltage', { ...vin, ...next })}
          />
          <Field
            path="inputRipple"
            label="Ripple allowed, p-p"
            value={brief.inputRipple}
            of={vin.nominal}
            optional
            placeholder="1 % of nominal"
          />
          <Form.Group controlId="source" className={fields['quantity']}>
            <Form.Label>Source</Form.Label>
            <Form.Select
              value={brief.source ?? ''}
              onChange={(event) => set('source', event.target.value === '' ? undefined : event.target.value)}
            >
              <option value="">not said</option>
              <option value="supply">supply with a current limit</option>
              <option value="battery">battery</option>
            </Form.Select>
          </Form.Group>
          <Field path="inputFuse" value={brief.inputFuse} optional placeholder="none" />
          <Text
            path="sourceName"
            label="Source’s name"
            value={brief.sourceName}
            placeholder="rails with one name share it"
          />
          <Field path="sourceResistance" value={brief.sourceResistance} optional placeholder="stiff" />
          <Field path="sourceInductance" value={brief.sourceInductance} optional placeholder="none" />
        </div>
      </fieldset>
      <fieldset>
        <legend>Output</legend>
        <div className={fields['fields']}>
          <QuantityField
            label="Voltage"
            unit="V"
            value={brief.outputVoltage}
            // a sign says on which side of return it stands
            check={(value) => neededAt('brief.outputVoltage')(Math.abs(value))}
            onChange={(value) => value !== undefined && setOutput(value)}
          />
          <RangeFields
            value={iout}
            unit="A"
            zero
            order={[
              { key: 'min', label: 'Lightest load' },
              { key: 'max', label: 'Full load' },
            ]}
            onChange={(next) => set('outputCurrent', { ...iout, ...next })}
          />
          <Field
            path="outputRipple"
            label="Ripple allowed, p-p"
            value={brief.outputRipple}
            of={brief.outputVoltage}
            optional
            placeholder="1 % of the output"
          />
          <Form.Group controlId="load" className={fields['quantity']}>
            <Form.Label>Load is</Form.Label>
            <Form.Select value={brief.load} onChange={(event) => chooseLoad(brief, event.target.value)}>
              <option value="resistive">resistive</option>
              <option value="constant-current">constant current</option>
              <option value="constant-power">constant power</option>
              <option value="curve">by a curve</option>
            </Form.Select>
          </Form.Group>
          <Form.Group controlId="polarity" className={fields['quantity']}>
            <Form.Label>Output polarity</Form.Label>
            <Form.Select
              value={brief.outputPolarity ?? ''}
              onChange={(event) => set('outputPolarity', event.target.value === '' ? undefined : event.target.value)}
            >
              <option value="">not said</option>
              <option value="positive">above (+)</option>
              <option value="negative">below (−)</option>
            </Form.Select>
          </Form.Group>
        </div>
      </fieldset>
      <fieldset>
        <legend>Load step</legend>
        {loadStep ? (
          <div className={fields['fields']}>
            <Field path="loadStep.from" label="From" value={loadStep.from} of={iout.max} />
            <Field path="loadStep.to" label="To" value={loadStep.to} of={iout.max} />
            <Field path="loadStep.slewRate" label="Slew" value={loadStep.slewRate} optional placeholder="at once" />
            <Field
              path="loadStep.deviation"
              label="Excursion allowed"
              value={loadStep.deviation}
              of={brief.outputVoltage}
              either
              optional
              placeholder="not a target"
            />
            <Field
              path="loadStep.settlingTime"
              label="Settled within"
              value={loadStep.settlingTime}
              optional
              placeholder="not a target"
            />
            <div className={fields['quantity']}>
              <Button size="sm" variant="outline-secondary" onClick={() => set('loadStep', undefined)}>
                No load step
              </Button>
            </div>
          </div>
        ) : (
          <>
            <p className="text-body-secondary">
              None given: the output bank is sized for a usual one, half of full load within 5 % of the output.
            </p>
            <Button size="sm" variant="outline-secondary" onClick={() => set('loadStep', suggestLoadStep(brief))}>
              Add a load step
            </Button>
          </>
        )}
      </fieldset>
      <fieldset>
        <legend>Conditions</legend>
        <div className={fields['fields']}>
          <Field path="efficiency" value={brief.efficiency} optional placeholder="not a target" />
          <Field path="ambientTemperature" value={brief.ambientTemperature} />
          <Field path="junctionTemperature" value={brief.junctionTemperature} />
        </div>
      </fieldset>
      {brief.load === 'curve' ? <LoadCurve points={brief.loadCurve ?? []} /> : null}
      <fieldset>
        <legend>Parts and service</legend>
        <div className={fields['fields']}>
          <PathField small={false} path="brief.maximumHeight" placeholder="any" />
          <PathField
            small={false}
            path="brief.serviceLife"
            label="Electrolytics last, years"
            unit=""
            scale={YEAR}
            placeholder="not a target"
          />
          <PathField
            small={false}
            path="brief.batteryEnergy"
            label="Battery, Wh"
            unit=""
            scale={3600}
            placeholder="none"
          />
        </div>
        <Profile loads={brief.loadProfile ?? []} full={iout.max} />
        <Wishes wishes={brief.controller ?? {}} />
      </fieldset>
      <Bands bands={brief.keepClear ?? []} />
      <TextField
        id="design-notes"
        className={css['notes']}
        label="Notes and reasons"
        rows={2}
        maxLength={20000}
        value={document.notes ?? ''}
        onChange={(next) => edit((d) => (next === '' ? withoutValue(d, 'notes') : { ...d, notes: next }))}
      />
      {result ? (
        <section className={`border rounded-1 bg-body-tertiary ${css['linear']}`} aria-label="The linear alternative">
          <h2>Why switch at all?</h2>
          <p>
            {result.linearRegulator.feasible ? (
              <>
                A linear regulator would reach{' '}
                <WhyNumber id="linearEfficiency" value={result.linearRegulator.efficiency} unit="%" /> at{' '}
                {formatQuantity(vin.nominal, 'V')} and turn up to{' '}
                <WhyNumber id="linearHeat" value={result.linearRegulator.heat} unit="W" /> into heat.{' '}
              </>
            ) : null}{' '}
            {result.linearRegulator.words}
          </p>
        </section>
      ) : null}
    </div>
  );
}
