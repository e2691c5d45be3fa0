import Papa from 'papaparse';
import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import Modal from 'react-bootstrap/Modal';
import { DataTable, type Column } from '../app/DataTable.tsx';
import { readTable, type PartKind, type ReadRow } from '@yundro/core';
import { api, ApiError } from '../api/client.ts';
import { KINDS } from './words.ts';
import css from './shelf.module.css';

interface Preview {
  name: string;
  keys: (string | undefined)[];
  cells: string[][];
  rows: ReadRow[];
}

const LARGEST = 40_000_000;
const SHOWN = 60;

/** A CSV of parts, looked at before it is taken in: every bad cell with what was expected there. */
export function ImportParts({
  kind,
  show,
  onClose,
  onDone,
}: {
  kind: PartKind;
  show: boolean;
  onClose: () => void;
  onDone: () => void;
}) {
  const [preview, setPreview] = useState<Preview>();
  const [said, setSaid] = useState<string>();
  const [busy, setBusy] = useState(false);
  const close = (): void => {
    setPreview(undefined);
    setSaid(undefined);
    onClose();
  };
  const look = async (file: File | undefined): Promise<void> => {
    setPreview(undefined);
    setSaid(undefined);
    if (!file) return;
    if (file.size > LARGEST) {
      setSaid(`${file.name} has ${Math.round(file.size / 1e6)} MB: at most ${LARGEST / 1e6} are read at once.`);
      return;
    }
    const { data } = Papa.parse<string[]>((await file.text()).replace(/^\uFEFF/u, ''), { skipEmptyLines: 'greedy' });
    const read = readTable(kind, data);
    if ('fault' in read) setSaid(`${file.name}: ${read.fault.message}, expected ${read.fault.expected}.`);
    else setPreview({ name: file.name, cells: data, ...read });
  };
  const good = preview?.rows.flatMap(({ part }) => (part ? [part] : [])) ?? [];
  const bad = preview?.rows.filter(({ part }) => !part) ?? [];
  const take = async (): Promise<void> => {
    setBusy(true);
    try {
      const { added, changed, same } = await api.importParts(good);
      setPreview(undefined);
      setSaid(`Taken in: ${added} new, ${changed} changed, ${same} as they were.`);
      onDone();
    } catch (error) {
      setSaid(`Nothing was taken in: ${error instanceof ApiError ? error.message : 'the server does not answer'}.`);
    } finally {
      setBusy(false);
    }
  };
  return (
    <Modal show={show} onHide={close} size="xl" scrollable aria-labelledby="import-title">
      <Modal.Header closeButton>
        <Modal.Title id="import-title">Import {KINDS[kind].many}</Modal.Title>
      </Modal.Header>
      <Modal.Body>
        <Form.Group controlId="import-file">
          <Form.Label>
            A CSV with a row of column names: those of an exported file, or their words; units behind a name in brackets
            or behind each value
          </Form.Label>
          <Form.Control
            size="sm"
            type="file"
            accept=".csv,text/csv"
            onChange={(event) => void look((event.target as HTMLInputElement).files?.[0])}
          />
        </Form.Group>
        {said === undefined ? null : <p role="status">{said}</p>}
        {preview ? (
          <>
            <p>
              {good.length} rows are in order, {bad.length} are not.
              {preview.keys.some((key) => key === undefined)
                ? ` Not read: ${preview.cells[0]!.filter((_, i) => preview.keys[i] === undefined).join(', ')}.`
                : ''}
            </p>
            <div className={css['preview']}>
              <DataTable
                bordered
                rows={[...bad, ...preview.rows.filter(({ part }) => part)].slice(0, SHOWN)}
                rowKey={({ row }) => String(row)}
                columns={[
                  { id: 'row', head: 'row', cell: ({ row }) => row + 1 },
                  ...preview.keys.map((key, column): Column<ReadRow> => {
                    const faultOf = ({ faults }: ReadRow) => faults.find((at) => at.column === column);
                    return {
                      id: String(column),
                      head: key ?? <s>{preview.cells[0]![column]}</s>,
                      className: css['cell'],
                      cell: (read) => {
                        const fault = faultOf(read);
                        return (
                          <>
                            {(preview.cells[read.row]?.[column] ?? '').slice(0, 60)}
                            {fault ? (
                              <small>
                                {fault.message}, expected {fault.expected}
                              </small>
                            ) : null}
                          </>
                        );
                      },
                      attributes: (read) => ({ 'data-verdict': faultOf(read) ? 'missed' : undefined }),
                    };
                  }),
                ]}
              />
            </div>
          </>
        ) : null}
      </Modal.Body>
      <Modal.Footer>
        <Button size="sm" variant="outline-secondary" onClick={close}>
          Close
        </Button>
        {preview && good.length > 0 ? (
          <Button size="sm" variant="secondary" disabled={busy} onClick={() => void take()}>
            {bad.length === 0 ? `Take in all ${good.length}` : `Take in only the ${good.length} in order`}
          </Button>
        ) : null}
      </Modal.Footer>
    </Modal>
  );
}
