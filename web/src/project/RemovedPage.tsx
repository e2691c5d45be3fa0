import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import Button from 'react-bootstrap/Button';
import { api, type Removed } from '../api/client.ts';
import { DataTable, type Column } from '../app/DataTable.tsx';
import { Header } from '../app/Header.tsx';
import { Trouble } from '../app/Trouble.tsx';
import page from '../app/page.module.css';

const DAY = 86_400_000;
const KEPT_DAYS = 30;

/** What was removed and is still whole: taken back, or gone for good. */
export function RemovedPage() {
  const client = useQueryClient();
  const list = useQuery({ queryKey: ['removed'], queryFn: api.removed });
  const act = useMutation({
    mutationFn: ({ id, back }: { id: string; back: boolean }) => (back ? api.restore(id) : api.forget(id)),
    onSuccess: () => void client.invalidateQueries(),
  });
  useEffect(() => {
    document.title = 'Recently removed · Yundro';
  }, []);
  const columns: Column<Removed>[] = [
    { id: 'name', head: 'Name', cell: ({ name }) => name, sort: ({ name }) => name },
    {
      id: 'kind',
      head: 'What',
      cell: ({ kind, project }) => (kind === 'project' ? 'a project with its rails' : `a rail of ${project ?? ''}`),
    },
    {
      id: 'left',
      head: 'Goes in',
      figures: true,
      cell: ({ removedAt }) => `${daysLeft(removedAt)} days`,
      sort: ({ removedAt }) => Date.parse(removedAt),
    },
    {
      id: 'act',
      head: <span className="visually-hidden">Actions</span>,
      className: 'text-end',
      cell: (item) => (
        <>
          <Button size="sm" variant="dark" onClick={() => act.mutate({ id: item.id, back: true })}>
            Take back
          </Button>{' '}
          <Button
            size="sm"
            variant="outline-danger"
            onClick={() => {
              if (window.confirm(`“${item.name}” and all its revisions will be gone for good. Go on?`))
                act.mutate({ id: item.id, back: false });
            }}
          >
            Delete for good
          </Button>
        </>
      ),
    },
  ];
  return (
    <div className={page['plain']}>
      <Header />
      <main>
        <h1>Recently removed</h1>
        <p className={`text-body-secondary ${page['lead-in']}`}>
          Kept whole with every revision for {KEPT_DAYS} days, then gone.
        </p>
        {list.error ? <Trouble error={list.error} retry={() => void list.refetch()} /> : null}
        {act.error ? <Trouble error={act.error} /> : null}
        {list.data?.removed.length === 0 ? <p>Nothing was removed.</p> : null}
        {list.data && list.data.removed.length > 0 ? (
          <DataTable rows={list.data.removed} columns={columns} rowKey={({ id }) => id} />
        ) : null}
      </main>
    </div>
  );
}

function daysLeft(removedAt: string): number {
  return Math.max(0, Math.ceil(KEPT_DAYS - (Date.now() - Date.parse(removedAt)) / DAY));
}
