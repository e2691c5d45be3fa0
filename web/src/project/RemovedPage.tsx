import { useMutation, useQuery, useQueryClient } from '@tanstack/react-query';
import { useEffect } from 'react';
import Button from 'react-bootstrap/Button';
import Table from 'react-bootstrap/Table';
import { api } from '../api/client.ts';
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
          <Table>
            <thead>
              <tr>
                <th scope="col">Name</th>
                <th scope="col">What</th>
                <th scope="col">Goes in</th>
                <th scope="col">
                  <span className="visually-hidden">Actions</span>
                </th>
              </tr>
            </thead>
            <tbody>
              {list.data.removed.map((item) => (
                <tr key={item.id}>
                  <th scope="row">{item.name}</th>
                  <td>{item.kind === 'project' ? 'a project with its rails' : `a rail of ${item.project ?? ''}`}</td>
                  <td className="font-monospace">{daysLeft(item.removedAt)} days</td>
                  <td className="text-end">
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
                  </td>
                </tr>
              ))}
            </tbody>
          </Table>
        ) : null}
      </main>
    </div>
  );
}

function daysLeft(removedAt: string): number {
  return Math.max(0, Math.ceil(KEPT_DAYS - (Date.now() - Date.parse(removedAt)) / DAY));
}
