import { useQuery } from '@tanstack/react-query';
import { useEffect, useMemo, useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import Offcanvas from 'react-bootstrap/Offcanvas';
import { useForm } from 'react-hook-form';
import {
  capacitorFrom,
  columnsOf,
  impedanceOf,
  readTable,
  readTouchstone,
  writeTable,
  writeTouchstone,
  type Column,
  type Fixture,
  type Part,
} from '@yundro/core';
import { api, ApiError } from '../api/client.ts';
import { fileName, handOver, LARGEST_CURVE } from '../app/files.ts';
import { CurveFiles } from './CurveFiles.tsx';
import { KINDS } from './words.ts';
import css from './shelf.module.css';

type Values = Record<string, string>;

/** One part with all of its values, as text with units; what does not fit is marked at its field. */
export function PartEditor({
  id,
  onClose,
  onSaved,
  onCopied,
}: {
  id: string;
  onClose: () => void;
  onSaved: () => void;
  onCopied: (id: string) => void;
}) {
  const stored = useQuery({ queryKey: ['part', id], queryFn: () => api.part(id), refetchOnWindowFocus: false });
  const [said, setSaid] = useState<string>();
  const part = stored.data?.part;
  return (
    <Offcanvas show placement="end" onHide={onClose} className={css['editor'] ?? ''} aria-labelledby="part-title">
      <Offcanvas.Header closeButton>
        <Offcanvas.Title id="part-title">{part?.name ?? id}</Offcanvas.Title>
      </Offcanvas.Header>
      <Offcanvas.Body>
        {said === undefined ? null : <p role="status">{said}</p>}
        {stored.isError ? (
          <p role="alert">This part cannot be shown: {stored.error.message}.</p>
        ) : part === undefined ? (
          <p className="text-body-secondary">Opening…</p>
        ) : (
          <PartForm
            key={stored.data!.version}
            part={part}
            onSave={async (next, words) => {
              try {
                if (next.id === part.id) await api.savePart(next, stored.data!.version);
                else await api.importParts([next]);
              } catch (error) {
                if (error instanceof ApiError && error.status === 409) {
                  await stored.refetch();
                  return 'This part was changed meanwhile; the newer values are shown, nothing of yours was saved.';
                }
                return error instanceof ApiError ? `Not saved: ${error.message}.` : 'Not saved.';
              }
              onSaved();
              // said when the form stands on what was saved: what is pressed next goes from there
              if (next.id === part.id) await stored.refetch();
              else onCopied(next.id);
              setSaid(words);
              return undefined;
            }}
          />
        )}
        {stored.data?.versions && stored.data.versions.length > 1 ? (
          <p className="text-body-secondary">
            Version {stored.data.version}; changed{' '}
            {stored.data.versions
              .map(({ createdAt }) => new Date(createdAt).toLocaleDateString())
              .slice(0, -1)
              .join(', ')}
            .
          </p>
        ) : null}
      </Offcanvas.Body>
    </Offcanvas>
  );
}

function PartForm({
  part,
  onSave,
}: {
  part: Part;
  onSave: (next: Part, words: string) => Promise<string | undefined>;
}) {
  const columns = useMemo(() => columnsOf(part.kind), [part.kind]);
  const values = useMemo((): Values => {
    const [keys = [], cells = []] = writeTable(part.kind, [part]);
    return Object.fromEntries(keys.map((key, i) => [key, cells[i] ?? '']));
  }, [part]);
  const { register, handleSubmit, setError, setValue, reset, getValues, formState } = useForm<Values>({
    defaultValues: values,
  });
  const { errors, isDirty, isSubmitting } = formState;
  const [trouble, setTrouble] = useState<string>();
  const [fixture, setFixture] = useState<Fixture>('shunt-through');
  useEffect(() => reset(values), [values, reset]);
  /** The part that the fields say; faults are set at theirs. */
  const partOf = (fields: Values): Part | undefined => {
    const keys = columns.map(({ key }) => key);
    const read = readTable(part.kind, [keys, keys.map((key) => fields[key] ?? '')]);
    if (!('rows' in read)) return undefined;
    const [row] = read.rows;
    for (const { path, message, expected } of row?.faults ?? [])
      setError(path.split('.')[0]!, { message: `${message}, expected ${expected}` });
    return row?.part;
  };
  const save = handleSubmit(async (fields) => {
    const next = partOf(fields);
    if (next) setTrouble(await onSave(next, 'Saved.'));
  });
  const retire = async (): Promise<void> => {
    setTrouble(
      await onSave(
        { ...part, retired: part.retired !== true },
        part.retired ? 'Offered again.' : 'Retired: it stays readable where it is used.',
      ),
    );
  };
  const copy = async (): Promise<void> => {
    const next = partOf({ ...getValues(), id: `${part.id}-copy`, name: `${part.name}, copy` });
    if (next) setTrouble(await onSave(next, 'Copied.'));
  };
  const measured = async (file: File | undefined): Promise<void> => {
    if (!file) return;
    if (file.size > LARGEST_CURVE) {
      setTrouble(`${file.name} has ${Math.round(file.size / 1e6)} MB; a measured impedance has at most 5.`);
      return;
    }
    const ports = /\.s2p$/iu.test(file.name) ? 2 : 1;
    const read = readTouchstone(await file.text(), ports, fixture);
    if (!read.ok) {
      setTrouble(`${file.name}, line ${read.line}: ${read.message}, expected ${read.expected}.`);
      return;
    }
    const found = capacitorFrom(read.points);
    if (!found) {
      setTrouble(`${file.name}: its impedance is that of no capacitor.`);
      return;
    }
    const next = { ...part, ...found } as Part;
    for (const key of Object.keys(found)) setValue(key, cellOf(next, key), { shouldDirty: true });
    setTrouble(undefined);
  };
  return (
    <Form onSubmit={(event) => void save(event)} noValidate>
      {trouble === undefined ? null : <p role="alert">{trouble}</p>}
      {columns.map(({ key, meta }) => (
        <Form.Group key={key} className={css['field'] ?? ''} controlId={`part-${key}`}>
          <Form.Label>{wordsOf(key, meta)}</Form.Label>
          <div>
            <Form.Control
              size="sm"
              {...register(key)}
              readOnly={key === 'id'}
              className={meta ? 'font-monospace' : ''}
              {...(meta?.kind === 'curve' || key === 'note' ? { as: 'textarea', rows: 2 } : {})}
              isInvalid={errors[key] !== undefined}
            />
            <Form.Control.Feedback type="invalid">{errors[key]?.message}</Form.Control.Feedback>
            {meta?.kind === 'curve' ? (
              <CurveFiles
                column={{ key, meta }}
                part={part.name}
                points={(part as unknown as Record<string, [number, number][] | undefined>)[key]}
                onRead={(points) => {
                  setTrouble(undefined);
                  setValue(key, cellOf({ ...part, [key]: points }, key), { shouldDirty: true });
                }}
                onTrouble={setTrouble}
              />
            ) : null}
          </div>
        </Form.Group>
      ))}
      {part.kind === 'capacitor' ? (
        <Form.Group className={css['field'] ?? ''} controlId="part-touchstone">
          <Form.Label>measured impedance (.s1p, .s2p)</Form.Label>
          <div>
            <Form.Select
              size="sm"
              aria-label="between two ports it lay"
              value={fixture}
              onChange={(event) => setFixture(event.target.value as Fixture)}
            >
              <option value="shunt-through">two ports: across the line (shunt-through)</option>
              <option value="series-through">two ports: in the line (series-through)</option>
            </Form.Select>
            <Form.Control
              size="sm"
              type="file"
              accept=".s1p,.s2p"
              onChange={(event) => void measured((event.target as HTMLInputElement).files?.[0])}
            />
            <Button
              size="sm"
              variant="link"
              onClick={() => {
                // as the fields stand, saved or not
                const now = partOf(getValues());
                if (now?.kind !== 'capacitor') return;
                const text = writeTouchstone(impedanceOf(now));
                handOver(fileName(now.name, 's1p', 'impedance'), new Blob([text], { type: 'text/plain' }));
              }}
            >
              Save its impedance as .s1p
            </Button>
          </div>
        </Form.Group>
      ) : null}
      <div className={css['buttons']}>
        <Button size="sm" type="submit" variant="secondary" disabled={!isDirty || isSubmitting}>
          Save this {KINDS[part.kind].one}
        </Button>
        <Button size="sm" variant="outline-secondary" onClick={() => void copy()}>
          Copy
        </Button>
        <Button size="sm" variant="outline-secondary" onClick={() => void retire()}>
          {part.retired ? 'Offer again' : 'Retire'}
        </Button>
      </div>
    </Form>
  );
}

/** One value of a part as its field has it. */
function cellOf(part: Part, key: string): string {
  const [keys = [], cells = []] = writeTable(part.kind, [part]);
  return cells[keys.indexOf(key)] ?? '';
}

function wordsOf(key: string, meta: Column['meta']): string {
  if (!meta) return key;
  const points = meta.kind === 'curve' ? ` (${[meta.places, meta.unit].filter(Boolean).join(', ')} points)` : '';
  return meta.words + points;
}
