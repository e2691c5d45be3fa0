import { useState } from 'react';
import Button from 'react-bootstrap/Button';
import { formatQuantity, TOPOLOGY_WORDS, type Design } from '@yundro/core';
import { api } from '../../api/client.ts';
import { ErrorBoundary } from '../../app/ErrorBoundary.tsx';
import { say } from '../../app/undoToast.tsx';
import { edit, useDocument, useSolved } from '../../stores/designStore.ts';
import { PictureGrid } from './PictureGrid.tsx';
import { ComparisonTable, TopologyReason } from './ComparisonTable.tsx';
import type { InForce } from '../../workers/standing.ts';
import { useAnswer } from '../../workers/useAnswer.ts';
import { backgroundSolver } from '../../workers/solver.ts';
import css from './topology.module.css';

const askCompare = (_design: Design, inForce: InForce) => backgroundSolver.ask((solver) => solver.compare(inForce));
const askPair = (design: Design) => backgroundSolver.ask((solver) => solver.twoStages(design));
const askPictures = (design: Design) => backgroundSolver.ask((solver) => solver.pictures(design));

/** The choice between topologies, and the pictures that decide it. */
export default function TopologyRung() {
  const compared = useAnswer(askCompare);
  const pictures = useAnswer(askPictures);
  const topology = useSolved((state) => state.result?.decisions.topology);
  return (
    <div className={css['topology']}>
      <h2>From the brief alone, completed and solved at its six corners</h2>
      {compared ? (
        <>
          <p className="text-body-secondary">
            Like with like: each shares out the same {(compared.silicon * 1e6).toPrecision(2)} mm² of silicon among its
            switches, and all wind their inductors by one rule. Conduction alone, until parts are chosen.
          </p>
          <ErrorBoundary of="The comparison">
            <ComparisonTable compared={compared} />
          </ErrorBoundary>
        </>
      ) : (
        <p className="text-body-secondary">Solving every topology…</p>
      )}
      <TopologyReason />
      {topology === 'inverting-buck-boost' ? <NegativeRail /> : null}
      <TwoStages />
      <h2>The stage as it stands</h2>
      {pictures && topology ? (
        <ErrorBoundary of="The pictures">
          <PictureGrid pictures={pictures} name={TOPOLOGY_WORDS[topology]} />
        </ErrorBoundary>
      ) : (
        <p className="text-body-secondary">Drawing…</p>
      )}
    </div>
  );
}

/** The inverting stage's own warning, where the choice is made. */
function NegativeRail() {
  const words = useSolved((state) => state.result?.warnings.find(({ id }) => id === 'negative-rail')?.message);
  return words === undefined ? null : <p className={css['notice-line']}>{words}</p>;
}

/** A far step as two rails: what stands between them, and the way there. */
function TwoStages() {
  const pair = useAnswer(askPair);
  const projectId = useDocument((state) => state.projectId);
  const [busy, setBusy] = useState(false);
  if (!pair || projectId === undefined) return null;
  const { first, second, voltage } = pair;
  const split = (): void => {
    const { document: design } = useDocument.getState();
    setBusy(true);
    void api
      .createDesign(projectId, first)
      .then(
        () => {
          // the pair was made of this very design
          const stands = useDocument.getState().document === design;
          if (stands) edit(() => second);
          say(
            stands
              ? `“${first.name}” stands in the project now, and this rail runs from its ${formatQuantity(voltage, 'V')}.`
              : `“${first.name}” stands in the project now; this rail changed meanwhile and is as it was.`,
          );
        },
        () => say('The first stage could not be added to the project; this rail is as it was.'),
      )
      .finally(() => setBusy(false));
  };
  return (
    <section className={css['notice-line']} aria-label="Two stages">
      <p>
        This step asks two stages: {formatQuantity(voltage, 'V')} between them gives both the same ratio, nearly. The
        first then delivers {formatQuantity(first.brief.outputCurrent.max, 'A')}, and this rail keeps what its load
        asks.
      </p>
      <Button size="sm" variant="outline-primary" disabled={busy} onClick={split}>
        Make it two rails
      </Button>
    </section>
  );
}
