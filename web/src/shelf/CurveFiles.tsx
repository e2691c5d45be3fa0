import Papa from 'papaparse';
import { useRef } from 'react';
import Button from 'react-bootstrap/Button';
import { readCurve, writeCurve, type Column } from '@yundro/core';
import { fileName, handOver, LARGEST_CURVE } from '../app/files.ts';
import css from './shelf.module.css';

export interface CurveFilesProps {
  column: Column & { meta: NonNullable<Column['meta']> };
  /** of whose part, for the file's name */
  part: string;
  /** what the field holds, as points; undefined where it holds none that can be read */
  points: readonly (readonly [number, number])[] | undefined;
  onRead: (points: readonly (readonly [number, number])[]) => void;
  onTrouble: (words: string) => void;
}

/** A curve from a file of two columns, and into one. */
export function CurveFiles({ column: { key, meta }, part, points, onRead, onTrouble }: CurveFilesProps) {
  const input = useRef<HTMLInputElement>(null);
  const read = async (file: File): Promise<void> => {
    if (file.size > LARGEST_CURVE) {
      onTrouble(`${file.name} has ${Math.round(file.size / 1e6)} MB; a curve of two columns has at most 5.`);
      return;
    }
    const text = await file.text();
    // a semicolon leaves the comma to the decimals
    const { data } = Papa.parse<string[]>(text, { delimiter: text.includes(';') ? ';' : '', comments: '#' });
    const found = readCurve(meta, data);
    if (found.ok) onRead(found.points);
    else
      onTrouble(
        `${file.name}, row ${found.row + 1}, column ${found.column + 1}: ${found.message}, expected ${found.expected}.`,
      );
  };
  return (
    <div className={css['curve-files']}>
      <input
        ref={input}
        type="file"
        hidden
        accept=".csv,.txt,.tsv"
        aria-label={`${meta.words}, a file of two columns`}
        data-testid={`curve-${key}`}
        onChange={(event) => {
          const [file] = event.target.files ?? [];
          event.target.value = '';
          if (file) void read(file);
        }}
      />
      <Button size="sm" variant="link" onClick={() => input.current?.click()}>
        From two columns
      </Button>
      {points ? (
        <Button
          size="sm"
          variant="link"
          onClick={() =>
            handOver(
              fileName(`${part} ${key}`, 'csv', 'curve'),
              new Blob([Papa.unparse(writeCurve(meta, points), { newline: '\r\n' })], { type: 'text/csv' }),
            )
          }
        >
          As CSV
        </Button>
      ) : null}
    </div>
  );
}
