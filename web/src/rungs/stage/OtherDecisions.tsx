import { useEffect } from 'react';
import Form from 'react-bootstrap/Form';
import { free, hold, TAPES, tapesFor, type CompleteDecisions } from '@yundro/core';
import { say } from '../../app/undoToast.tsx';
import { HoldToggle } from '../../decisions/HoldToggle.tsx';
import { edit, useDocument, useSolved, watchTapes } from '../../stores/designStore.ts';
import { backgroundSolver } from '../../workers/solver.ts';
import { BankEditor } from './BankEditor.tsx';
import { ChoiceEditor, QuantityEditor, useOpenTape } from './DecisionEditor.tsx';
import { groupsFor, type QuantityRow } from './rows.ts';
import css from './stage.module.css';

/** Every decision without a tape of its own above: by what it is about, one row each. */
export function OtherDecisions({ decisions }: { decisions: CompleteDecisions }) {
  const [tape, openTape] = useOpenTape();
  useEffect(() => {
    watchTapes([...TAPES.map((t) => t.path), ...(tape === undefined ? [] : [tape])]);
  }, [tape]);
  return (
    <section className={css['others']} aria-label="Other decisions">
      <h2>Other decisions</h2>
      <div className={css['other-rows']}>
        {groupsFor(decisions).map((group) => (
          <div key={group.name} role="group" aria-label={group.name}>
            <h3>{group.name}</h3>
            {group.rows.map((row) =>
              'options' in row ? (
                <ChoiceEditor key={row.path} row={row} decisions={decisions} />
              ) : (
                <Taped key={row.path} row={row} decisions={decisions} tape={tape} openTape={openTape} />
              ),
            )}
          </div>
        ))}
      </div>
      <div className={css['banks']}>
        <BankEditor path="outputCapacitors" name="Output bank" banks={decisions.outputCapacitors} />
        <BankEditor path="inputCapacitors" name="Input bank" banks={decisions.inputCapacitors} />
        <SecondStage decisions={decisions} openTape={openTape} tape={tape} />
      </div>
    </section>
  );
}

interface TapesOpen {
  /** the path whose tape is open */
  tape: string | undefined;
  openTape: (path: string) => void;
}

/** A number with its tape, where it has one. */
function Taped({ row, decisions, tape, openTape }: { row: QuantityRow; decisions: CompleteDecisions } & TapesOpen) {
  return (
    <QuantityEditor
      row={row}
      decisions={decisions}
      taped={tapesFor(decisions).some(({ path }) => path === row.path)}
      tapeOpen={tape === row.path}
      onTape={() => openTape(row.path)}
    />
  );
}

/** A section after the output bank: fitted as the worker suggests it, or taken out. */
function SecondStage({
  decisions,
  tape,
  openTape,
}: {
  decisions: CompleteDecisions;
  tape: string | undefined;
  openTape: (path: string) => void;
}) {
  const { outputFilter } = decisions;
  const fit = (feedback: 'before' | 'after'): void => {
    const { inForce } = useSolved.getState();
    const { document: design } = useDocument.getState();
    if (!design) return;
    void backgroundSolver
      .press((solver) => solver.secondStage(inForce?.given === design ? inForce.choice.design : design))
      .then(
        (suggested) => {
          // the section was suggested for this very design
          if (useDocument.getState().document === design)
            edit((now) => hold(now, 'outputFilter', { ...suggested, feedback }));
          else say('The design changed meanwhile; choose the second-stage filter once more.');
        },
        () => say('No second-stage filter could be found for this design; it is as it was.'),
      );
  };
  return (
    <div role="group" aria-label="Second-stage filter">
      <div className={css['other']} data-decision="outputFilter">
        <HoldToggle
          path="outputFilter"
          name="Second-stage filter"
          current={() => outputFilter}
          disabled={outputFilter === undefined}
        />
        <span>Second-stage filter</span>
        <Form.Select
          size="sm"
          aria-label="Second-stage filter"
          value={outputFilter ? (outputFilter.feedback ?? 'after') : 'none'}
          onChange={(event) => {
            const { value } = event.target;
            if (value !== 'before' && value !== 'after') edit((design) => free(design, 'outputFilter'));
            else if (outputFilter) edit((design) => hold(design, 'outputFilter', { ...outputFilter, feedback: value }));
            else fit(value);
          }}
        >
          <option value="none">none</option>
          <option value="after">output sensed behind it</option>
          <option value="before">output sensed before it</option>
        </Form.Select>
        <span className={css['said']}>
          {outputFilter
            ? outputFilter.feedback === 'before'
              ? 'its resistance droops the load; its resonance stays out of the loop'
              : 'its resonance turns the loop’s phase: cross over well below it'
            : 'a tenth of the allowed ripple when fitted'}
        </span>
      </div>
      {outputFilter ? (
        <>
          {SECTION.map((row) => (
            <Taped key={row.path} row={row} decisions={decisions} tape={tape} openTape={openTape} />
          ))}
          <BankEditor path="outputFilter.capacitors" name="Its bank" banks={outputFilter.capacitors} />
        </>
      ) : null}
    </div>
  );
}

const SECTION = [
  { path: 'outputFilter.inductance', name: 'Second inductor', unit: 'H' },
  { path: 'outputFilter.resistance', name: 'Its resistance', unit: 'Ω', least: { value: 0, allowed: true } },
] as const;
