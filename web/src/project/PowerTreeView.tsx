import { Link } from 'react-router';
import {
  formatQuantity,
  inverts,
  TOPOLOGY_WORDS,
  type PowerTree,
  type Rail,
  type Result,
  type Source,
  type Verdicts,
} from '@yundro/core';
import type { ReadableDesign } from '../api/client.ts';
import { RailVerdict } from './RailVerdict.tsx';
import css from './project.module.css';
import { lostWords } from '../app/words.ts';

interface TreeProps {
  designs: readonly ReadableDesign[];
  /** of the same places; undefined until solved */
  results: readonly (Result | undefined)[];
  /** each rail judged whole; undefined until it is */
  judged: readonly (Verdicts | undefined)[];
  /** rails that could not be solved here */
  failed: readonly ReadableDesign[];
  tree: PowerTree;
}

/**
 * Source, stages, loads from left to right; currents and losses add up at the source. A rail has its place before it
 * is solved: what stands below must not move under the hand when its figures come.
 */
export function PowerTreeView({ designs, results, judged, failed, tree }: TreeProps) {
  if (designs.length === 0) return null;
  return (
    <section className={css['tree']} aria-label="Power tree">
      {tree.sources.map((source) => (
        <TreeSource
          key={`${source.name} ${source.inputVoltage}`}
          {...{ source, designs, results, judged, failed, tree }}
        />
      ))}
      {tree.sources.length > 1 ? (
        <p className="font-monospace text-body-secondary">
          All sources: <span data-kind="power">{formatQuantity(tree.outputPower, 'W')}</span> to the loads,{' '}
          <span data-kind="power">{formatQuantity(tree.loss, 'W')}</span>{' '}
          {lostWords(results.map((result) => result?.lossScope.words))}
        </p>
      ) : null}
    </section>
  );
}

function TreeSource({ source, designs, results, judged, failed, tree }: TreeProps & { source: Source }) {
  const solved = source.members.filter((index) => results[index]).length;
  const waits = source.members.some((index) => !results[index] && !failed.includes(designs[index]!));
  const told = (value: number, unit: 'A' | 'W'): string => (solved > 0 ? formatQuantity(value, unit) : `… ${unit}`);
  const rails = (show: (rail: Rail) => string): string =>
    source.members
      .flatMap((index) => {
        const rail = tree.rails[index];
        return rail ? [show(rail)] : [];
      })
      .join(' + ');
  return (
    <div className={css['tree-group']}>
      <div className={`${css['tree-source']} border rounded-1 bg-body-tertiary`} data-testid="tree-source">
        <h2>{source.name}</h2>
        <p className="font-monospace" data-kind="current">
          {told(source.inputCurrent, 'A')}
        </p>
        <p className="text-body-secondary">
          at nominal input and full load,{' '}
          {solved < source.members.length
            ? `${solved} of ${source.members.length} rails${waits ? ' so far' : ''}`
            : 'every rail'}
        </p>
        <p className={`font-monospace ${css['tree-sums']}`}>
          <span data-kind="power">{told(source.outputPower, 'W')}</span> to the loads
          <br />
          <span data-kind="power">{told(source.loss, 'W')}</span>{' '}
          {lostWords(source.members.map((index) => results[index]?.lossScope.words))}
        </p>
        <details>
          <summary>Why?</summary>
          <p className="font-monospace">
            Σ I<sub>in</sub> = {rails((rail) => formatQuantity(rail.inputCurrent, 'A'))}
            <br />Σ P<sub>out</sub> = {rails((rail) => formatQuantity(rail.outputPower, 'W'))}
            <br />Σ P<sub>loss</sub> = {rails((rail) => formatQuantity(rail.loss, 'W'))}
          </p>
          <p className="text-body-secondary">
            Each rail’s own figures have their Why? in its design. Rails whose briefs name the same source hang on it
            together; conservation of energy.
          </p>
        </details>
      </div>
      <ol className={css['tree-rails']}>
        {source.members.map((index) => {
          const design = designs[index]!;
          const rail = tree.rails[index];
          const result = results[index];
          const { brief, decisions } = design.document;
          const topology = result?.decisions.topology ?? decisions.topology;
          const phases = result?.decisions.phases ?? 1;
          return (
            <li key={design.id}>
              <div className={`${css['tree-feed']} font-monospace`}>
                {rail ? (
                  <>
                    <span data-kind="voltage">{formatQuantity(rail.inputVoltage, 'V')}</span>
                    <span data-kind="current">{formatQuantity(rail.inputCurrent, 'A')}</span>
                  </>
                ) : (
                  <>
                    <span data-kind="voltage">{formatQuantity(brief.inputVoltage.nominal, 'V')}</span>
                    {result ? <span className="text-body-secondary">not solved</span> : null}
                  </>
                )}
              </div>
              <Link
                className={`${css['tree-stage']} border rounded-1 bg-body-tertiary`}
                to={`/designs/${design.id}/stage`}
              >
                <strong>{design.document.name}</strong>
                <span className="text-body-secondary">
                  {topology ? TOPOLOGY_WORDS[topology] : null}
                  {phases > 1 ? `, ${phases} phases` : ''}
                </span>
                {result ? (
                  <RailVerdict judged={judged[index]} />
                ) : (
                  <span className="text-body-secondary">
                    {failed.includes(design) ? 'could not be solved here' : 'being solved …'}
                  </span>
                )}
                {result && rail ? (
                  <small className="font-monospace" data-kind="power">
                    {formatQuantity(rail.loss, 'W')} {lostWords([result.lossScope.words])}
                  </small>
                ) : null}
              </Link>
              <div className={`${css['tree-load']} font-monospace`}>
                <span data-kind="voltage">
                  {topology && inverts(topology) ? '−' : ''}
                  {formatQuantity(brief.outputVoltage, 'V')}
                </span>
                <span data-kind="current">{formatQuantity(brief.outputCurrent.max, 'A')}</span>
              </div>
            </li>
          );
        })}
      </ol>
    </div>
  );
}
