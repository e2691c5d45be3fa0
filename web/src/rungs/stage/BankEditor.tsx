import Button from 'react-bootstrap/Button';
import CloseButton from 'react-bootstrap/CloseButton';
import Table from 'react-bootstrap/Table';
import { fieldOf, hold, type CapacitorBank } from '@yundro/core';
import { HoldToggle } from '../../decisions/HoldToggle.tsx';
import { Rule } from '../../decisions/Tape.tsx';
import { neededAt } from '../../fields/needed.ts';
import { QuantityField } from '../../fields/QuantityField.tsx';
import { edit } from '../../stores/designStore.ts';
import css from './stage.module.css';

interface Column {
  key: 'count' | 'capacitance' | 'esr' | 'esl' | 'rippleCurrentRating' | 'voltageRating';
  name: string;
  optional?: boolean;
}

const COLUMNS: readonly Column[] = [
  { key: 'count', name: 'count' },
  { key: 'capacitance', name: 'each' },
  { key: 'esr', name: 'ESR' },
  { key: 'esl', name: 'ESL' },
  { key: 'rippleCurrentRating', name: 'ripple rating', optional: true },
  { key: 'voltageRating', name: 'rated', optional: true },
];

/** Kinds that one bank may be composed of, as the file allows. */
const MOST_KINDS = 64;

/** What a bank is made of, kind by kind: each entry holds the whole bank as it then stands. */
export function BankEditor({ path, name, banks }: { path: string; name: string; banks: readonly CapacitorBank[] }) {
  const put = (next: readonly CapacitorBank[]): void => edit((design) => hold(design, path, next));
  const set = (at: number, key: Column['key'], value: number | undefined): void =>
    put(
      banks.map((bank, i) => {
        if (i !== at) return bank;
        const { [key]: _, ...rest } = bank;
        return (value === undefined ? rest : { ...bank, [key]: value }) as CapacitorBank;
      }),
    );
  return (
    <div className={css['bank']} data-decision={path} role="group" aria-label={name}>
      <div className={css['bank-head']}>
        <HoldToggle path={path} name={name} current={() => banks} />
        <h3>{name}</h3>
        <Rule path={path} wrapped />
      </div>
      <Table size="sm" className={css['bank-table']}>
        <thead>
          <tr>
            {COLUMNS.map((column) => (
              <th key={column.key} scope="col">
                {column.name}
              </th>
            ))}
            <th scope="col">
              <span className="visually-hidden">Take out</span>
            </th>
          </tr>
        </thead>
        <tbody>
          {banks.map((bank, at) => (
            <tr key={at}>
              {COLUMNS.map((column) => (
                <td key={column.key}>
                  <QuantityField
                    hideLabel
                    small
                    label={`${name}, kind ${at + 1}, ${column.name}`}
                    unit={fieldOf(`decisions.${path}.0.${column.key}`)?.unit ?? ''}
                    value={bank[column.key]}
                    optional={column.optional ?? false}
                    {...(column.optional ? { placeholder: '—' } : {})}
                    check={neededAt(`decisions.${path}.0.${column.key}`)}
                    onChange={(value) => {
                      if (value !== undefined || column.optional) set(at, column.key, value);
                    }}
                  />
                </td>
              ))}
              <td>
                <CloseButton
                  disabled={banks.length === 1}
                  aria-label={`Take kind ${at + 1} out of the ${name.toLowerCase()}`}
                  onClick={() => put(banks.filter((_, i) => i !== at))}
                />
              </td>
            </tr>
          ))}
        </tbody>
      </Table>
      <Button
        size="sm"
        variant="outline-secondary"
        disabled={banks.length >= MOST_KINDS}
        onClick={() => put([...banks, { ...banks.at(-1)!, count: 1 }])}
      >
        Add a kind
      </Button>
    </div>
  );
}
