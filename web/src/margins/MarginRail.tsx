import { memo, useRef } from 'react';
import Button from 'react-bootstrap/Button';
import { useNavigate } from 'react-router';
import { formatQuantity, free, isLoopQuantity, type QuantityId, type Target } from '@yundro/core';
import { edit, pickCorner, useSolved } from '../stores/designStore.ts';
import { askWhy } from '../stores/viewStore.ts';
import { focusDecision } from '../decisions/focus.ts';
import css from './margins.module.css';
import { Quiet } from '../app/Quiet.tsx';
import { setScope } from '../rungs/scope/settings.ts';
import { useLongAnswer } from '../workers/useAnswer.ts';

export const VERDICT_MARK = { met: '●', marginal: '◐', missed: '✕' } as const;

/** How full the bar is: what is used of what is allowed. */
function fill({ used }: Target): number {
  return Math.min(1.2, used);
}

/** A target as the rail shows it: of a load step, what the simulation found, with the estimate that sizing used. */
interface Shown extends Target<QuantityId> {
  simulated?: { estimate: number | undefined; stale: boolean };
}

/** Whether a target was found by the simulated step, and not on the loop. */
const isStep = ({ simulated, quantity }: Shown): boolean => simulated !== undefined && !isLoopQuantity(quantity);

/** The load step's targets by simulation, the last that were found while the next are sought. */
function useSimulated(targets: readonly Target<QuantityId>[]): {
  shown: Shown[];
  trouble: string | undefined;
  remedy: string | undefined;
} {
  const { answer, state } = useLongAnswer('step');
  const last = useRef<Target<QuantityId>[]>([]);
  if (state === 'whole') last.current = answer?.targets ?? [];
  const found = last.current;
  const estimates = new Map(targets.map((target) => [target.id, target.predicted]));
  const simulated = (target: Target<QuantityId>): Shown => ({
    ...target,
    simulated: { estimate: estimates.get(target.id), stale: state !== 'whole' },
  });
  const shown = targets.map((target) => {
    const one = found.find(({ id }) => id === target.id);
    return one ? simulated(one) : target;
  });
  const more = found.filter(({ id }) => !estimates.has(id)).map(simulated);
  const { trouble, remedy } = (state === 'whole' ? answer : undefined) ?? {};
  return { shown: [...shown, ...more], trouble, remedy };
}

/** Every target and rating as one thin bar, always on screen. */
export function MarginRail() {
  const result = useSolved((state) => state.result);
  const { shown: targets, trouble, remedy } = useSimulated(result?.targets ?? []);
  return (
    <aside className={css['margins']} aria-label="Margins">
      <h2>
        Margins <span className="text-body-secondary">worst corner</span>
      </h2>
      {result && targets.length === 0 ? (
        <p className="text-body-secondary">Nothing to hold this design against yet.</p>
      ) : null}
      <ul>
        {targets.map((target) => (
          <Margin key={target.id} target={target} />
        ))}
      </ul>
      {remedy ? (
        <p data-testid="remedy" className={css['remedy']}>
          {remedy}
        </p>
      ) : null}
      {trouble ? <p className="text-body-secondary">The load step was not simulated: {trouble}</p> : null}
      {result?.cautions.map((caution) => (
        <p key={caution.id} className={css['caution']}>
          <strong>Caution.</strong> {caution.message}
        </p>
      ))}
    </aside>
  );
}

/** What a row of the rail says, as one text. */
const saying = (target: Shown): string =>
  [
    target.name,
    target.verdict,
    formatQuantity(target.predicted, target.unit),
    limitOf(target),
    fill(target).toFixed(3),
    target.at.inputVoltage,
    target.at.outputCurrent,
    target.held.join(),
    target.levers.join(),
    target.simulated?.estimate ?? '',
    target.simulated?.stale ?? '',
  ].join('|');

/** One target; drawn again only when it says something else. */
const Margin = memo(
  function Margin({ target }: { target: Shown }) {
    const navigate = useNavigate();
    return (
      <li className={css['margin']} data-verdict={target.verdict} data-testid="margin">
        <div className={css['margin-line']}>
          <Quiet
            onClick={() => focusDecision(target.levers)}
            title={`Go to what decides it: ${target.levers[0] ?? ''}`}
          >
            <span className={css['verdict-mark']} aria-hidden="true">
              {VERDICT_MARK[target.verdict]}
            </span>{' '}
            {target.name}
          </Quiet>
          <Quiet
            className={`font-monospace ${css['value']}`}
            data-testid="value"
            title={isStep(target) ? 'Look at the simulated step' : 'Why?'}
            onClick={() => {
              if (isStep(target)) {
                setScope({ scenario: 'load-step', inputs: 'all', release: true });
                void navigate('scope');
                return;
              }
              pickCorner(target.at);
              askWhy(target.quantity);
            }}
          >
            {formatQuantity(target.predicted, target.unit)}
          </Quiet>
        </div>
        <div
          className={css['bar']}
          data-stale={target.simulated?.stale || undefined}
          role="img"
          aria-label={`${target.name}: ${target.verdict}, ${limitOf(target)} wanted`}
        >
          <i style={{ width: `${fill(target) * 83.3}%` }} />
          <b />
        </div>
        <small className="font-monospace">
          <span className={css['limit']}>{limitOf(target)}</span>
          {formatQuantity(target.at.inputVoltage, 'V')}, {formatQuantity(target.at.outputCurrent, 'A')}
          {target.verdict === 'met' ? '' : ` · ${target.verdict}`}
          {target.simulated ? <Simulated {...target} of={target.simulated} /> : null}
          {isLoopQuantity(target.quantity) ? (
            <>
              {' · '}
              <Quiet title="Look at the loop" onClick={() => void navigate('loop')}>
                loop
              </Quiet>
            </>
          ) : null}
        </small>
        {target.verdict === 'missed' && target.held.length > 0 ? (
          <small className={css['let-go']}>
            let go of{' '}
            {target.held.map((path, i) => (
              <span key={path}>
                {i > 0 ? ' or ' : ''}
                <Button variant="link" size="sm" onClick={() => edit((document) => free(document, path))}>
                  {wordsOf(path)}
                </Button>
              </span>
            ))}
          </small>
        ) : null}
      </li>
    );
  },
  (before, after) => saying(before.target) === saying(after.target),
);

/** That a figure was simulated, and what sizing had estimated; the estimate’s Why? is a press away. */
function Simulated({ unit, quantity, at, of }: Target<QuantityId> & { of: NonNullable<Shown['simulated']> }) {
  return (
    <>
      {of.stale ? ' · being found anew' : isLoopQuantity(quantity) ? '' : ' · simulated'}
      {of.estimate === undefined ? null : (
        <>
          ,{' '}
          <Quiet
            title="Why?"
            onClick={() => {
              pickCorner(at);
              askWhy(quantity);
            }}
          >
            estimate {formatQuantity(of.estimate, unit)}
          </Quiet>
        </>
      )}
    </>
  );
}

/** What is asked for, as it stands under the bar's mark. */
function limitOf({ required, unit, sense }: Target): string {
  return `${sense === 'below' ? '≤' : '≥'}\u00a0${formatQuantity(required, unit)}`;
}

function wordsOf(path: string): string {
  return path
    .replace(/^(?:control|inductor)\./u, '')
    .replace(/\.(?=[a-z])/gu, ' ')
    .replace(/([A-Z])/gu, (letter) => ` ${letter.toLowerCase()}`);
}
