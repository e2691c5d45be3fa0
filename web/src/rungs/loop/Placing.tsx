import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import { formatQuantity, USUALLY_HELD, type CompensatorParts, type Design, type Objective } from '@yundro/core';
import { Working } from '../../app/Working.tsx';
import { QuantityField } from '../../fields/QuantityField.tsx';
import { useSolved } from '../../stores/designStore.ts';
import { useLongAnswer } from '../../workers/useAnswer.ts';
import { backgroundSolver } from '../../workers/solver.ts';
import { cornerWords } from './Corners.tsx';
import { keepNetwork } from './keep.ts';
import css from './loop.module.css';

const SCHOOLS = {
  factor: 'by the k-factor',
  features: 'on the plant’s own features',
  bandwidth: 'searched: the widest bandwidth',
  impedance: 'searched: the lowest output impedance',
  step: 'searched: the smallest step',
} as const;
type School = keyof typeof SCHOOLS;
const isSearch = (school: School): school is Objective => school !== 'factor' && school !== 'features';

/** Zeros and poles by one of the schools, in parts that are made. */
export function Placing({ design }: { design: Design }) {
  const [school, setSchool] = useState<School>('factor');
  const [wanted, setWanted] = useState<{ crossover: number | undefined; phaseMargin: number }>({
    crossover: undefined,
    phaseMargin: 60,
  });
  const [words, setWords] = useState<string>();
  const [searching, setSearching] = useState<Objective>();
  const frequency = useSolved((state) => state.decisions?.switchingFrequency) ?? 4e5;
  const crossover = wanted.crossover ?? Number((frequency / 10).toPrecision(2));
  const place = async (): Promise<void> => {
    if (school === 'features') {
      const { found, trouble } = await backgroundSolver.press((solver) => solver.placeFeatures(design, crossover));
      if (found) keepNetwork(found);
      setWords(trouble ?? 'Placed at the input of the highest gain, on the filter’s resonance and the bank’s ESR.');
      return;
    }
    const { found, trouble } = await backgroundSolver.press((solver) =>
      solver.place(design, { crossover, phaseMargin: wanted.phaseMargin }),
    );
    if (found) keepNetwork(found.compensator);
    setWords(
      found
        ? `Placed at ${cornerWords(found.at)}, where the gain is highest: ${found.boost.toFixed(0)}° are added, zeros and poles stand ${found.k.toFixed(1)} apart.`
        : trouble,
    );
  };
  const start = (): void => {
    setWords(undefined);
    if (isSearch(school)) {
      setSearching(school);
      return;
    }
    place().catch((error: unknown) => setWords(`The network was not placed: ${String(error)}.`));
  };
  return (
    <>
      <div className={css['placing']}>
        <Form.Group controlId="school">
          <Form.Label className="mb-0">zeros and poles</Form.Label>
          <Form.Select
            size="sm"
            value={school}
            onChange={(event) => {
              setSchool(event.target.value as School);
              setSearching(undefined);
              setWords(undefined);
            }}
          >
            {Object.entries(SCHOOLS).map(([id, name]) => (
              <option key={id} value={id}>
                {name}
              </option>
            ))}
          </Form.Select>
        </Form.Group>
        {isSearch(school) ? (
          <span className="text-body-secondary">
            {USUALLY_HELD.phaseMargin}° and {USUALLY_HELD.gainMargin} dB held at every corner of line, load and parts
          </span>
        ) : (
          <QuantityField
            small
            label="cross over at"
            unit="Hz"
            value={crossover}
            onChange={(value) => setWanted({ ...wanted, crossover: value })}
          />
        )}
        {school === 'factor' ? (
          <QuantityField
            small
            label="with a margin of, degrees"
            unit=""
            value={wanted.phaseMargin}
            check={(value) => (value > 0 && value < 90 ? undefined : 'A margin lies between 0 and 90 degrees.')}
            onChange={(value) => setWanted({ ...wanted, phaseMargin: value ?? 60 })}
          />
        ) : null}
        <Button size="sm" variant="outline-secondary" onClick={start}>
          {isSearch(school) ? 'Search' : 'Place zeros and poles'}
        </Button>
      </div>
      {searching ? (
        <Searched
          objective={searching}
          onTaken={(parts) => {
            setSearching(undefined);
            keepNetwork(parts);
            setWords('The network that was found is held.');
          }}
        />
      ) : null}
      <p role="status" className="text-body-secondary">
        {words}
      </p>
    </>
  );
}

const OBJECTIVES = {
  bandwidth: { name: 'slowest crossover', unit: 'Hz' },
  impedance: { name: 'highest output impedance', unit: 'Ω' },
  step: { name: 'largest predicted dip', unit: 'V' },
} as const;

/** A search while it goes on, and what it found beside what there was. */
function Searched({ objective, onTaken }: { objective: Objective; onTaken: (parts: CompensatorParts) => void }) {
  const run = useLongAnswer('optimum', objective);
  const { found, trouble } = run.answer ?? {};
  const { name, unit } = OBJECTIVES[objective];
  if (trouble) return <p className="text-body-secondary">{trouble}</p>;
  return (
    <div data-testid="searched">
      <Working run={run} of="The search" />
      {found ? (
        <p>
          {found.holds
            ? `The ${name} over ${found.corners.length} corners goes from ${formatQuantity(found.before, unit)} to ${formatQuantity(found.value, unit)}, with at least ${Math.min(...found.corners.map(({ phaseMargin }) => phaseMargin ?? 180)).toFixed(0)}° everywhere${found.heldBefore ? '' : '; the network before did not hold its margins at every one of them'}.`
            : `No network of this type holds ${USUALLY_HELD.phaseMargin}° and ${USUALLY_HELD.gainMargin} dB at all ${found.corners.length} corners: the nearest leaves ${Math.min(...found.corners.map(({ phaseMargin }) => phaseMargin ?? 180)).toFixed(0)}° at the worst. More output capacitance, a higher frequency or a smaller inductance leaves more.`}{' '}
          {found.without.length > 0
            ? `${found.without.length} more have no loop to hold: pulses are skipped there, or the output is not reached. `
            : ''}
          <Button size="sm" variant="outline-secondary" onClick={() => onTaken(found.compensator)}>
            Take it
          </Button>
        </p>
      ) : null}
    </div>
  );
}
