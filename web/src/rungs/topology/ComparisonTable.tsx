import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import Form from 'react-bootstrap/Form';
import { free, hold, isHeld, type Topology } from '@yundro/core';
import { DataTable, type Column } from '../../app/DataTable.tsx';
import { Mark } from '../../margins/Mark.tsx';
import { inSentence } from '../../margins/order.ts';
import { edit, useDocument, useSolved } from '../../stores/designStore.ts';
import { WhyNumber } from '../../why/WhyNumber.tsx';
import { useLongAnswer } from '../../workers/useAnswer.ts';
import type { Compared, ComparedRow, JudgedTopologies } from './answers.ts';
import css from './topology.module.css';
import page from '../../app/page.module.css';

type Alternative = Compared['alternatives'][number];

/** Every topology completed and solved from the brief alone, side by side; the person picks, and the reason is kept. */
export function ComparisonTable({ compared }: { compared: Compared }) {
  const chosen = useSolved((state) => state.result?.decisions.topology);
  const { alternatives, linear } = compared;
  const { answer: judged, state } = useLongAnswer('topologies');
  const told = state === 'whole' || state === 'working' ? judged : undefined;
  return (
    <DataTable
      className={css['comparison']}
      testId="comparison"
      rows={compared.rows}
      rowKey={({ name }) => name}
      columns={[
        { id: 'name', head: <span className="visually-hidden">figure</span>, cell: ({ name }) => name },
        ...alternatives.map((a, k): Column<ComparedRow> => {
          const mine = a.topology === chosen;
          return {
            id: a.topology,
            head: (
              <>
                {a.name}
                <br />
                <Fitness alternative={a} judged={told?.[a.topology]} />
              </>
            ),
            figures: true,
            className: [mine ? css['chosen'] : '', a.ruledOut.length > 0 ? css['out'] : ''].join(' '),
            cell: (row) => (
              <>
                {row.cells[k]}
                {row.asks !== undefined && mine && compared.rightHalfPlaneZero !== undefined ? (
                  <>
                    ; as it stands <WhyNumber id={row.asks} value={compared.rightHalfPlaneZero} unit="Hz" />
                  </>
                ) : null}
              </>
            ),
          };
        }),
        {
          id: 'linear',
          head: (
            <>
              Linear regulator
              <br />
              <span className={page['verdict']} data-verdict={linear.feasible ? 'marginal' : 'missed'}>
                {linear.feasible ? 'possible' : 'ruled out'}
              </span>
            </>
          ),
          figures: true,
          cell: (row) => row.linear,
        },
      ]}
      foot={
        <>
          <tr className={css['reasons']}>
            <th scope="row">What speaks against it</th>
            {alternatives.map((a) => (
              <td key={a.topology} className={a.topology === chosen ? css['chosen'] : undefined}>
                <ul>
                  {a.ruledOut.map((words) => (
                    <li key={words} className="text-danger">
                      {words}
                    </li>
                  ))}
                  {a.reservations.map((words) => (
                    <li key={words}>{words}</li>
                  ))}
                  {a.ruledOut.length + a.reservations.length === 0 ? (
                    <li className="text-body-secondary">Nothing in the brief.</li>
                  ) : null}
                </ul>
              </td>
            ))}
            <td>{linear.words}</td>
          </tr>
          <tr>
            <th scope="row" className="visually-hidden">
              Choose
            </th>
            {alternatives.map((a) => (
              <td key={a.topology} className={a.topology === chosen ? css['chosen'] : undefined}>
                <Choose topology={a.topology} name={a.name} chosen={a.topology === chosen} />
              </td>
            ))}
            <td />
          </tr>
        </>
      }
    />
  );
}

/** What the judge says of the stage that a topology would be from the brief; ruled out, there is nothing to judge. */
function Fitness({
  alternative: { ruledOut },
  judged,
}: {
  alternative: Alternative;
  judged: JudgedTopologies[Topology] | undefined;
}) {
  const verdict = judged?.verdict ?? 'open';
  return ruledOut.length > 0 ? (
    <span className={page['verdict']} data-verdict="missed">
      <Mark verdict="missed" /> ruled out
    </span>
  ) : (
    <span className={page['verdict']} data-verdict={verdict}>
      <Mark verdict={verdict} of={judged ? undefined : 'found'} />{' '}
      {!judged ? 'being judged …' : verdict === 'met' ? 'targets met' : `${verdict}: ${inSentence(judged.words)}`}
    </span>
  );
}

function Choose({ topology, name, chosen }: { topology: Topology; name: string; chosen: boolean }) {
  const held = useDocument((state) => state.document !== undefined && isHeld(state.document, 'topology'));
  if (chosen && held) {
    return (
      <>
        <span className="text-body-secondary">held</span>{' '}
        <Button size="sm" variant="outline-secondary" onClick={() => edit((document) => free(document, 'topology'))}>
          Give back
        </Button>
      </>
    );
  }
  return (
    <Button
      size="sm"
      variant={chosen ? 'outline-secondary' : 'dark'}
      aria-label={`${chosen ? 'Hold' : 'Choose'} ${name.toLowerCase()}`}
      onClick={() => edit((document) => hold(document, 'topology', topology))}
    >
      {chosen ? 'Hold' : 'Choose'}
    </Button>
  );
}

/** Why the topology was chosen, in the person's own words: kept in the design beside the decision. */
export function TopologyReason() {
  const kept = useDocument((state) => state.document?.decisions.reasons?.['topology'] ?? '');
  const rule = useSolved((state) => state.result?.decided.find((d) => d.path === 'topology')?.rule);
  const [text, setText] = useState<string>();
  const save = (): void => {
    const next = text?.trim();
    setText(undefined);
    if (next === undefined || next === kept) return;
    edit((document) => (next === '' ? free(document, 'reasons.topology') : hold(document, 'reasons.topology', next)));
  };
  return (
    <Form.Group className={css['reason']} controlId="topology-reason">
      <Form.Label>Why this one{rule === undefined ? '' : ` (free: ${rule})`}</Form.Label>
      <Form.Control
        size="sm"
        maxLength={2000}
        placeholder="The reason, for whoever reads this design later"
        value={text ?? kept}
        onChange={(event) => setText(event.target.value)}
        onBlur={save}
        onKeyDown={(event) => {
          if (event.key === 'Enter') save();
        }}
      />
    </Form.Group>
  );
}
