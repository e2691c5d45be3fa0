import Button from 'react-bootstrap/Button';
import { formatQuantity, free, splitQuantity, type Target } from '@yundro/core';
import { edit, pickCorner, useSolved } from '../stores/designStore.ts';
import { askWhy } from '../stores/viewStore.ts';
import { focusDecision } from '../decisions/focus.ts';
import css from './margins.module.css';
import { Quiet } from '../app/Quiet.tsx';

export const VERDICT_MARK = { met: '●', marginal: '◐', missed: '✕' } as const;

/** How full the bar is: what is used of what is allowed. */
function fill({ used }: Target): number {
  return Math.min(1.2, used);
}

/** Every target and rating as one thin bar, always on screen. */
export function MarginRail() {
  const result = useSolved((state) => state.result);
  const targets = result?.targets ?? [];
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
          <li key={target.id} className={css['margin']} data-verdict={target.verdict} data-testid="margin">
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
                title="Why?"
                onClick={() => {
                  pickCorner(target.at);
                  askWhy(target.quantity);
                }}
              >
                {pair(target)}
              </Quiet>
            </div>
            <div className={css['bar']} role="img" aria-label={`${target.name}: ${target.verdict}`}>
              <i style={{ width: `${fill(target) * 83.3}%` }} />
              <b />
            </div>
            <small className="font-monospace">
              {formatQuantity(target.at.inputVoltage, 'V')}, {formatQuantity(target.at.outputCurrent, 'A')}
              {target.verdict === 'met' ? '' : ` · ${target.verdict}`}
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
        ))}
      </ul>
      {result?.cautions.map((caution) => (
        <p key={caution.id} className={css['caution']}>
          <strong>Caution.</strong> {caution.message}
        </p>
      ))}
    </aside>
  );
}

function pair({ predicted, required, unit, sense }: Target): string {
  const left = splitQuantity(predicted, unit);
  const right = splitQuantity(required, unit);
  const limit = `${sense === 'below' ? '≤' : '≥'}\u00a0${formatQuantity(required, unit)}`;
  return `${left.prefix === right.prefix ? left.number : formatQuantity(predicted, unit)}, ${limit}`;
}

function wordsOf(path: string): string {
  return path
    .replace(/^(?:control|inductor)\./u, '')
    .replace(/\.(?=[a-z])/gu, ' ')
    .replace(/([A-Z])/gu, (letter) => ` ${letter.toLowerCase()}`);
}
