import {
  createSortedRowModel,
  rowSortingFeature,
  sortFn_basic,
  tableFeatures,
  useTable,
  type ColumnDef,
} from '@tanstack/react-table';
import { useMemo, type HTMLAttributes, type ReactNode, type TdHTMLAttributes } from 'react';
import Table from 'react-bootstrap/Table';
import { Quiet } from './Quiet.tsx';

/** What a table that sorts needs of the table library. */
export const SORTS = tableFeatures({
  rowSortingFeature,
  sortedRowModel: createSortedRowModel(),
  sortFns: { basic: sortFn_basic },
});

type Data = Record<`data-${string}`, string | number | boolean | undefined>;

/** One column: what heads it, what a row shows in it, and by what it is sorted where that helps. */
export interface Column<Row extends object> {
  id: string;
  head: ReactNode;
  hint?: string;
  cell: (row: Row) => ReactNode;
  /** Makes the head a button that sorts; undefined values go last. */
  sort?: (row: Row) => number | string | undefined;
  /** Of the head and of every cell. */
  className?: string | undefined;
  /** Figures are set in equal widths. */
  figures?: boolean;
  attributes?: (row: Row) => TdHTMLAttributes<HTMLTableCellElement> & Data;
}

export interface DataTableProps<Row extends object> {
  rows: readonly Row[];
  /** The first heads each row. */
  columns: readonly Column<Row>[];
  rowKey: (row: Row) => string;
  rowAttributes?: (row: Row) => HTMLAttributes<HTMLTableRowElement> & Data;
  /** Rows that stand below the body, sorted or not. */
  foot?: ReactNode;
  headless?: boolean;
  borderless?: boolean;
  bordered?: boolean;
  className?: string | undefined;
  testId?: string;
  onPointerLeave?: () => void;
}

/** A column's head; pressed, it sorts by the column where that helps. */
export function SortHead({
  sorted,
  onSort,
  hint,
  className,
  children,
}: {
  sorted: false | 'asc' | 'desc';
  onSort: ((event: unknown) => void) | undefined;
  hint?: string | undefined;
  className?: string | undefined;
  children: ReactNode;
}) {
  if (!onSort)
    return (
      <th scope="col" title={hint} className={className}>
        {children}
      </th>
    );
  return (
    <th
      scope="col"
      title={hint}
      className={className}
      aria-sort={sorted === 'asc' ? 'ascending' : sorted === 'desc' ? 'descending' : 'none'}
    >
      <Quiet onClick={onSort}>
        {children}
        {sorted === 'asc' ? ' ↑' : sorted === 'desc' ? ' ↓' : ''}
      </Quiet>
    </th>
  );
}

/**
 * A table of like rows; the one way that the page sets one. Heads and cells are set here: as functions of the table
 * library they would be components, made anew, focus and press lost, with every change of the columns.
 */
export function DataTable<Row extends object>({
  rows,
  columns,
  rowKey,
  rowAttributes,
  foot,
  headless = false,
  borderless = false,
  bordered = false,
  className,
  testId,
  onPointerLeave,
}: DataTableProps<Row>) {
  const known = useMemo(() => new Map(columns.map((column) => [column.id, column])), [columns]);
  const defined = useMemo(
    () =>
      columns.map(({ id, head, cell, sort }): ColumnDef<typeof SORTS, Row> => ({
        id,
        header: () => head,
        cell: ({ row }) => cell(row.original),
        accessorFn: (row) => sort?.(row),
        enableSorting: sort !== undefined,
        sortFn: 'basic',
        sortUndefined: 'last',
      })),
    [columns],
  );
  const table = useTable({ features: SORTS, columns: defined, data: rows, getRowId: rowKey });
  return (
    <Table
      size="sm"
      borderless={borderless}
      bordered={bordered}
      {...(className === undefined ? {} : { className })}
      {...(testId === undefined ? {} : { 'data-testid': testId })}
      {...(onPointerLeave ? { onPointerLeave } : {})}
    >
      {headless ? null : (
        <thead>
          {table.getHeaderGroups().map((group) => (
            <tr key={group.id}>
              {group.headers.map((header) => {
                const column = known.get(header.column.id)!;
                return (
                  <SortHead
                    key={header.id}
                    sorted={header.column.getIsSorted()}
                    onSort={column.sort === undefined ? undefined : header.column.getToggleSortingHandler()}
                    hint={column.hint}
                    className={column.className}
                  >
                    {column.head}
                  </SortHead>
                );
              })}
            </tr>
          ))}
        </thead>
      )}
      <tbody>
        {table.getRowModel().rows.map((row) => (
          <tr key={row.id} {...rowAttributes?.(row.original)}>
            {row.getAllCells().map((cell, k) => {
              const { className: own, figures, attributes, cell: show } = known.get(cell.column.id)!;
              const classes = [figures ? 'font-monospace' : '', own ?? ''].filter(Boolean).join(' ') || undefined;
              const rest = attributes?.(row.original);
              return k === 0 ? (
                <th key={cell.id} scope="row" className={classes} {...rest}>
                  {show(row.original)}
                </th>
              ) : (
                <td key={cell.id} className={classes} {...rest}>
                  {show(row.original)}
                </td>
              );
            })}
          </tr>
        ))}
      </tbody>
      {foot === undefined ? null : <tfoot>{foot}</tfoot>}
    </Table>
  );
}
