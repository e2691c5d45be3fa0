import { useState } from 'react';
import Form from 'react-bootstrap/Form';
import rulerIcon from 'bootstrap-icons/icons/rulers.svg?raw';
import { free, tapeOf, valueAt, type CompleteDecisions } from '@yundro/core';
import { Icon } from '../../app/Icon.tsx';
import { Quiet } from '../../app/Quiet.tsx';
import { HoldToggle } from '../../decisions/HoldToggle.tsx';
import { Rule, Tape } from '../../decisions/Tape.tsx';
import { QuantityField } from '../../fields/QuantityField.tsx';
import { neededAt } from '../../fields/needed.ts';
import { edit } from '../../stores/designStore.ts';
import { holdQuantity, type ChoiceRow, type QuantityRow } from './rows.ts';
import css from './stage.module.css';

/** A decision between words: hold or free, the choice, the rule. */
export function ChoiceEditor({ row, decisions }: { row: ChoiceRow; decisions: CompleteDecisions }) {
  return (
    <div className={css['other']} data-decision={row.path}>
      <HoldToggle path={row.path} name={row.name} current={() => row.current(decisions)} />
      <span>{row.name}</span>
      <Form.Select
        size="sm"
        aria-label={row.name}
        value={row.read(decisions)}
        onChange={(event) => edit((design) => row.write(design, event.target.value, decisions))}
      >
        {row.options.map(([value, words]) => (
          <option key={value} value={value}>
            {words}
          </option>
        ))}
      </Form.Select>
      {row.words ? <span className={css['said']}>{row.words(decisions)}</span> : <Rule path={row.path} wrapped />}
    </div>
  );
}

/** A decision that is a number: hold or free, the value, the rule, and its tape where it has one. */
export function QuantityEditor({
  row,
  decisions,
  taped,
  tapeOpen,
  onTape,
}: {
  row: QuantityRow;
  decisions: CompleteDecisions;
  taped: boolean;
  tapeOpen: boolean;
  onTape: () => void;
}) {
  const value = valueAt(decisions, row.path) as number | undefined;
  const optional = row.without !== undefined;
  return (
    <div className={css['other']} data-decision={row.path}>
      <HoldToggle
        path={row.path}
        name={row.name}
        current={() => value}
        write={(design) => holdQuantity(design, row.path, value ?? 0, decisions)}
        disabled={value === undefined}
      />
      <span>{row.name}</span>
      <QuantityField
        label={row.name}
        hideLabel
        small
        unit={row.unit}
        value={value}
        optional={optional}
        {...(optional ? { placeholder: row.without } : {})}
        check={neededAt(`decisions.${row.path}`)}
        onChange={(next) =>
          edit((design) =>
            next === undefined ? free(design, row.path) : holdQuantity(design, row.path, next, decisions),
          )
        }
      />
      <Rule path={row.path} wrapped />
      {taped ? (
        <Quiet
          className={css['tape-open']}
          aria-expanded={tapeOpen}
          aria-label={`Tape of ${row.name.toLowerCase()}`}
          title="Its tape"
          onClick={onTape}
        >
          <Icon svg={rulerIcon} />
        </Quiet>
      ) : null}
      {tapeOpen ? (
        <div className={css['other-tape']}>
          <Tape tape={tapeOf(row.path)} />
        </div>
      ) : null}
    </div>
  );
}

/** Which tape is open, one at a time. */
export function useOpenTape(): [string | undefined, (path: string) => void] {
  const [tape, setTape] = useState<string>();
  return [tape, (path) => setTape(tape === path ? undefined : path)];
}
