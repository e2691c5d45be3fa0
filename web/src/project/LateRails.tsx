import { useQueries, useQuery } from '@tanstack/react-query';
import { useMemo } from 'react';
import Nav from 'react-bootstrap/Nav';
import { Link, useSearchParams } from 'react-router';
import { VERDICTS, type Verdicts } from '@yundro/core';
import { api, type ReadableDesign } from '../api/client.ts';
import { Trouble } from '../app/Trouble.tsx';
import { ago } from '../app/ago.ts';
import { railWords } from '../rungs/brief/railWords.ts';
import { judgeInTurn } from '../workers/solver.ts';
import { RailVerdict } from './RailVerdict.tsx';
import css from './project.module.css';

type Late = ReadableDesign & { projectName: string };

const ORDERS = { late: 'lately changed', missed: 'missed first', project: 'by project' } as const;
type Order = keyof typeof ORDERS;

/** In the order asked for; a rail that is not judged yet stands with the open ones. */
function inOrder(rails: readonly Late[], judged: ReadonlyMap<string, Verdicts>, order: Order): Late[] {
  if (order === 'project') return rails.toSorted((a, b) => a.projectName.localeCompare(b.projectName));
  if (order === 'late') return rails.slice();
  const rank = ({ id }: Late): number => VERDICTS.indexOf(judged.get(id)?.verdict ?? 'open');
  return rails.toSorted((a, b) => rank(a) - rank(b));
}

/** The rails of every project, the last touched first, each with what its judge says. */
export function LateRails() {
  const late = useQuery({ queryKey: ['rails'], queryFn: api.rails });
  const [params, setParams] = useSearchParams();
  const asked = params.get('order');
  const order: Order = asked === 'missed' || asked === 'project' ? asked : 'late';
  const rails = useMemo(
    () => (late.data?.rails ?? []).filter((rail): rail is Late => rail.document !== undefined),
    [late.data],
  );
  const verdicts = useQueries({
    queries: rails.map((rail) => ({
      queryKey: ['summary', 'judged', rail.id, rail.version],
      queryFn: () => judgeInTurn(rail.document),
      retry: false,
      staleTime: Infinity,
    })),
  });
  const judged = new Map(rails.flatMap(({ id }, at) => (verdicts[at]?.data ? [[id, verdicts[at].data] as const] : [])));
  if (late.error) return <Trouble error={late.error} retry={() => void late.refetch()} />;
  if (rails.length === 0) return null;
  return (
    <section aria-labelledby="late-rails">
      <div className={css['late-head']}>
        <h2 id="late-rails">Your rails</h2>
        <Nav
          variant="underline"
          activeKey={order}
          onSelect={(key) => setParams(key === 'late' || key === null ? {} : { order: key }, { replace: true })}
        >
          {(Object.keys(ORDERS) as Order[]).map((key) => (
            <Nav.Item key={key}>
              <Nav.Link eventKey={key}>{ORDERS[key]}</Nav.Link>
            </Nav.Item>
          ))}
        </Nav>
      </div>
      <ul className={css['late']}>
        {inOrder(rails, judged, order).map((rail) => (
          <li key={rail.id} data-testid="late-rail">
            <span>
              <Link to={`/designs/${rail.id}/stage`}>{rail.document.name}</Link>
              <small className="text-body-secondary">{rail.projectName}</small>
            </span>
            <RailVerdict judged={judged.get(rail.id)} />
            <span className={css['late-words']}>
              <span className="font-monospace">{railWords(rail.document)}</span>
              <small className="text-body-secondary">{ago(Date.now() - Date.parse(rail.updatedAt))}</small>
            </span>
          </li>
        ))}
      </ul>
    </section>
  );
}
