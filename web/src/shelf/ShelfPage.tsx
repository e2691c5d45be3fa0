import { keepPreviousData, useQuery, useQueryClient } from '@tanstack/react-query';
import { useTable, type ColumnDef } from '@tanstack/react-table';
import { useVirtualizer } from '@tanstack/react-virtual';
import Papa from 'papaparse';
import { useDeferredValue, useEffect, useMemo, useRef, useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import Nav from 'react-bootstrap/Nav';
import { useSearchParams } from 'react-router';
import {
  columnsOf,
  formatQuantity,
  guarded,
  parseWhere,
  PART_KINDS,
  PLACES,
  writeTable,
  type Part,
  type PartKind,
} from '@yundro/core';
import { api, readable } from '../api/client.ts';
import { SortHead, SORTS } from '../app/DataTable.tsx';
import { ErrorBoundary } from '../app/ErrorBoundary.tsx';
import { fileName, handOver } from '../app/files.ts';
import { Fold } from '../app/Fold.tsx';
import { Header } from '../app/Header.tsx';
import { Quiet } from '../app/Quiet.tsx';
import { ImportParts } from './ImportParts.tsx';
import { PartEditor } from './PartEditor.tsx';
import { inOrder } from './order.ts';
import { RangeSliders } from './RangeSliders.tsx';
import { readRanges, within, writeRanges } from './ranges.ts';
import { KINDS, PLACE_NAMES } from './words.ts';
import { backgroundSolver } from '../workers/solver.ts';
import css from './shelf.module.css';
import page from '../app/page.module.css';

type Column = ColumnDef<typeof SORTS, Part>;

const ROW = 27;

/** The Shelf: every part that can be chosen, by kind; searched, sorted, edited, taken in and handed out. */
export default function ShelfPage() {
  const [params, setParams] = useSearchParams();
  const kind = PART_KINDS.find((one) => one === params.get('kind')) ?? 'mosfet';
  const search = params.get('search') ?? '';
  const shelf = useQuery({
    queryKey: ['shelf', kind],
    queryFn: () => api.shelfTable(kind),
    placeholderData: keepPreviousData,
  });
  const id = params.get('part') ?? undefined;
  const [importing, setImporting] = useState(false);
  const client = useQueryClient();
  useEffect(() => {
    document.title = 'Shelf · Yundro';
  }, []);
  const put = (change: Record<string, string | undefined>): void =>
    setParams((before) => {
      const next = new URLSearchParams(before);
      for (const [key, value] of Object.entries(change)) {
        if (value === undefined || value === '') next.delete(key);
        else next.set(key, value);
      }
      return next;
    });
  const parts = shelf.data?.parts;
  const { isPlaceholderData } = shelf;
  // another kind's table must not stand under this one's head
  const own = useMemo(
    () => (parts && !isPlaceholderData ? inOrder(parts, kind) : []),
    [parts, isPlaceholderData, kind],
  );
  const calm = useDeferredValue(search);
  const ranges = useMemo(() => readRanges(params.get('ranges') ?? ''), [params]);
  const still = useDeferredValue(ranges);
  const fit = useFit(params.get('design'), params.get('place'));
  const { found: worded, trouble } = useMemo(() => searched(own, calm, kind), [own, calm, kind]);
  const found = useMemo(() => {
    const left = within(worded, still);
    return fit.ids ? left.filter(({ id: one }) => fit.ids!.has(one)) : left;
  }, [worded, still, fit.ids]);
  const changed = (): void => void client.invalidateQueries({ queryKey: ['shelf'] });
  const download = async (): Promise<void> => {
    // a file holds the curves too
    const { parts: whole } = await client.fetchQuery({ queryKey: ['shelf', 'whole'], queryFn: api.shelf });
    const byId = new Map(whole.map((part) => [part.id, part]));
    const table = writeTable(
      kind,
      found.flatMap(({ id: one }) => byId.get(one) ?? []),
    ).map((row) => row.map(guarded));
    handOver(
      fileName(KINDS[kind].many, 'csv', 'parts'),
      new Blob([Papa.unparse(table, { newline: '\r\n' })], { type: 'text/csv' }),
    );
  };
  return (
    <div className={css['page']}>
      <Header>
        <span className={page['crumb']}>
          <strong>Shelf</strong>
        </span>
      </Header>
      <main>
        <h1 className="visually-hidden">Shelf</h1>
        <Nav
          variant="underline"
          activeKey={kind}
          onSelect={(key) => put({ kind: key ?? undefined, part: undefined, ranges: undefined })}
        >
          {PART_KINDS.map((one) => (
            <Nav.Item key={one}>
              <Nav.Link eventKey={one}>
                {KINDS[one].many} <small className="text-body-secondary">{shelf.data?.counts[one] ?? ''}</small>
              </Nav.Link>
            </Nav.Item>
          ))}
        </Nav>
        <div className={css['tools']}>
          <Form.Group className={css['search'] ?? ''} controlId="shelf-search">
            <Form.Control
              size="sm"
              type="search"
              placeholder={`words, or as in ${EXAMPLES[kind]}`}
              aria-label="Search"
              value={search}
              isInvalid={trouble !== undefined}
              onChange={(event) => put({ search: event.target.value })}
            />
            <Form.Control.Feedback type="invalid">{trouble}</Form.Control.Feedback>
          </Form.Group>
          <span className="text-body-secondary">
            {found.length} of {own.length}
          </span>
          <Button size="sm" variant="outline-secondary" onClick={() => setImporting(true)}>
            Import
          </Button>
          <Button size="sm" variant="outline-secondary" disabled={found.length === 0} onClick={() => void download()}>
            CSV
          </Button>
        </div>
        <Fold name={ranges.size > 0 ? `Ranges, ${ranges.size} narrowed` : 'Ranges'}>
          <RangeSliders
            kind={kind}
            parts={own}
            ranges={ranges}
            onChange={(next) => put({ ranges: writeRanges(next) })}
          />
        </Fold>
        {fit.words === undefined ? null : (
          <p className={css['fit']}>
            {fit.words}{' '}
            <Button size="sm" variant="link" onClick={() => put({ design: undefined, place: undefined })}>
              Show all
            </Button>
          </p>
        )}
        {shelf.isError ? (
          <p role="alert">The shelf cannot be shown: {shelf.error.message}.</p>
        ) : parts === undefined || isPlaceholderData ? (
          <p className="text-body-secondary">Opening…</p>
        ) : (
          <ErrorBoundary key={kind} of="The table of parts">
            <PartTable kind={kind} parts={found} onPick={(part) => put({ part: part.id })} />
          </ErrorBoundary>
        )}
        <p className={css['foot']}>
          The parts that came with Yundro are invented, with plausible values; none can be bought. A design keeps the
          values that it was made with.
        </p>
      </main>
      {id === undefined ? null : (
        <PartEditor
          key={id}
          id={id}
          onClose={() => put({ part: undefined })}
          onSaved={changed}
          onCopied={(copy) => put({ part: copy })}
        />
      )}
      <ImportParts kind={kind} show={importing} onClose={() => setImporting(false)} onDone={changed} />
    </div>
  );
}

/** Only what fits a place of a design, where the address names one. */
function useFit(designId: string | null, wanted: string | null): { ids?: ReadonlySet<string>; words?: string } {
  const place = PLACES.find((one) => one === wanted);
  const asked = useQuery({
    queryKey: ['fits', designId, place],
    enabled: designId !== null && place !== undefined,
    queryFn: async () => {
      const { document } = readable(await api.design(designId!));
      const ranked = await backgroundSolver.ask((solver) => solver.rank(document, place!));
      const fitting = ranked.filter(({ reasons }) => reasons.length === 0);
      return { name: document.name, ids: new Set(fitting.map(({ part }) => part.id)) };
    },
  });
  if (designId === null || place === undefined) return {};
  const where = PLACE_NAMES[place].toLowerCase();
  if (asked.error) return { words: `What fits the ${where} cannot be told: ${asked.error.message}.` };
  if (!asked.data) return { words: `Looking for what fits the ${where}…` };
  return { ids: asked.data.ids, words: `Only what fits the ${where} of ${asked.data.name}.` };
}

const EXAMPLES: Readonly<Record<PartKind, string>> = {
  mosfet: 'onResistance < 10m && voltageRating >= 40',
  diode: 'voltageRating >= 60',
  inductor: 'inductance >= 4u7 && saturationCurrent > 10',
  capacitor: 'technology == ceramic && capacitance >= 10u',
  core: 'material == ferrite',
  wire: 'diameter > 0.5m',
  controller: 'topologies == boost',
  converter: 'outputCurrent >= 3',
  driver: 'voltageRating >= 100',
};

/** What a search leaves: a comparison where it has one, else every part with all of its words. */
function searched(parts: readonly Part[], search: string, kind: PartKind): { found: Part[]; trouble?: string } {
  const text = search.trim();
  if (/[<>=!]/u.test(text)) {
    const where = parseWhere(text, kind);
    return where.ok
      ? { found: parts.filter((part) => where.matches(part)) }
      : { found: [], trouble: `${where.message}, expected ${where.expected.slice(0, 120)}` };
  }
  const words = text.toLowerCase().split(/\s+/u).filter(Boolean);
  return {
    found: parts.filter((part) => {
      const haystack = `${part.id} ${part.name} ${part.note ?? ''} ${part.package ?? ''}`.toLowerCase();
      return words.every((word) => haystack.includes(word));
    }),
  };
}

function PartTable({ kind, parts, onPick }: { kind: PartKind; parts: Part[]; onPick: (part: Part) => void }) {
  const columns = useMemo((): Column[] => {
    const known = columnsOf(kind);
    const own = KINDS[kind].columns.flatMap((key): Column[] => {
      const column = known.find((one) => one.key === key);
      if (!column) return [];
      const { meta } = column;
      return [
        {
          id: key,
          header: headOf(meta?.words ?? key),
          accessorFn: (part) => (part as Record<string, unknown>)[key],
          sortFn: 'basic',
          sortUndefined: 'last',
          cell: ({ getValue }) => {
            const value = getValue();
            if (value === undefined) return '—';
            if (typeof value === 'number') return formatQuantity(value, meta?.unit ?? '');
            return Array.isArray(value) ? value.join(', ') : typeof value === 'string' ? value : 'yes';
          },
        },
      ];
    });
    return [
      {
        id: 'name',
        header: 'part',
        accessorFn: (part) => part.name,
        sortFn: 'basic',
        cell: ({ row }) => (
          <Quiet onClick={() => onPick(row.original)}>
            {row.original.name}
            {row.original.retired ? ' (retired)' : ''}
          </Quiet>
        ),
      },
      ...own,
    ];
    // eslint-disable-next-line react-hooks/exhaustive-deps -- picking closes over nothing that changes
  }, [kind]);
  const table = useTable({ features: SORTS, columns, data: parts });
  const { rows } = table.getRowModel();
  const box = useRef<HTMLDivElement>(null);
  const virtual = useVirtualizer({
    count: rows.length,
    getScrollElement: () => box.current,
    estimateSize: () => ROW,
    overscan: 12,
  });
  const shown = virtual.getVirtualItems();
  const before = shown[0]?.start ?? 0;
  const after = virtual.getTotalSize() - (shown[shown.length - 1]?.end ?? 0);
  return (
    <div ref={box} className={css['box']} data-testid="shelf-table">
      <table className={`table table-sm ${css['table']}`}>
        <thead>
          {table.getHeaderGroups().map((group) => (
            <tr key={group.id}>
              {group.headers.map((header) => (
                <SortHead
                  key={header.id}
                  sorted={header.column.getIsSorted()}
                  onSort={header.column.getToggleSortingHandler()}
                >
                  <table.FlexRender header={header} />
                </SortHead>
              ))}
            </tr>
          ))}
        </thead>
        <tbody>
          {before > 0 ? <tr style={{ height: before }} aria-hidden="true" /> : null}
          {shown.map(({ index }) => {
            const row = rows[index]!;
            return (
              <tr key={row.id} data-out={row.original.retired || undefined}>
                {row.getAllCells().map((cell) => (
                  <td key={cell.id} className={cell.column.id === 'name' ? undefined : 'font-monospace'}>
                    <table.FlexRender cell={cell} />
                  </td>
                ))}
              </tr>
            );
          })}
          {after > 0 ? <tr style={{ height: after }} aria-hidden="true" /> : null}
        </tbody>
      </table>
      {rows.length === 0 ? <p className="text-body-secondary">Nothing on the shelf is like that.</p> : null}
    </div>
  );
}

/** A column's head: what stands before the first comma of its words. */
function headOf(words: string): string {
  return words.split(',')[0]!;
}
