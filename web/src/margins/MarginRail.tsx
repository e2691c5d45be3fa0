import { memo, useState } from 'react';
import Collapse from 'react-bootstrap/Collapse';
import { useNavigate } from 'react-router';
import { formatQuantity, isLoopQuantity, type Scenario, taken, type RungId, type Target } from '@yundro/core';
import { edit, pickCorner, useSolved } from '../stores/designStore.ts';
import { askWhy } from '../stores/viewStore.ts';
import { focusDecision } from '../decisions/focus.ts';
import css from './margins.module.css';
import { Quiet } from '../app/Quiet.tsx';
import { setScope } from '../rungs/scope/settings.ts';
import { Mark } from './Mark.tsx';
import { headLine, inSentence, ordered, RUNG_NAMES, type Shown } from './order.ts';
import { useVerdicts } from './verdicts.ts';

/** Where the browser keeps whether what is met is shown or folded. */
const SHOWN = 'yundro-margins';

/** Missed targets up to which each carries what was tried; beyond, only the worst does. */
const WITH_ADVICE = 4;

/** Every target and rating as one thin bar, always on screen: what is missed first, what is met folded by its rung. */
export function MarginRail() {
  const result = useSolved((state) => state.result);
  const { targets, remarks, state, stop, again } = useVerdicts();
  const [all, setAll] = useState(() => localStorage.getItem(SHOWN) === 'all');
  const { missed, open, marginal, met } = ordered(targets);
  const waiting = targets.some(({ pending }) => pending);
  const line = headLine(targets);
  return (
    <aside className={css['margins']} aria-label="Margins">
      <h2 data-testid="head-line" data-verdict={missed.length > 0 ? 'missed' : open.length > 0 ? 'open' : 'met'}>
        {targets.length === 0 ? 'Margins' : line}
      </h2>
      <p className={css['finding']}>
        {state === 'stopped' || state === 'failed' ? (
          <>
            {state === 'failed' ? 'the judgement failed' : 'stopped; the rest is open'}{' '}
            <Quiet className={css['act']} onClick={again}>
              go on
            </Quiet>
          </>
        ) : waiting ? (
          <>
            being found …{' '}
            <Quiet className={css['act']} onClick={stop}>
              stop
            </Quiet>
          </>
        ) : (
          <>
            {targets.length === 0 ? 'being found …' : 'each at its worst corner'}{' '}
            {met.length > 0 ? (
              <Quiet
                className={css['act']}
                aria-pressed={all}
                onClick={() => {
                  localStorage.setItem(SHOWN, all ? 'folded' : 'all');
                  setAll(!all);
                }}
              >
                {all ? 'fold' : 'show all'}
              </Quiet>
            ) : null}
          </>
        )}
      </p>
      <p className="visually-hidden" role="status">
        {state === 'whole' ? line : ''}
      </p>
      <ul>
        {missed.map((target, k) => (
          <Margin
            key={target.id}
            target={target}
            advised={missed.length <= WITH_ADVICE || k === 0}
            seeking={state !== 'whole'}
          />
        ))}
        {[...open, ...marginal].map((target) => (
          <Margin key={target.id} target={target} advised={false} />
        ))}
      </ul>
      {(Object.keys(RUNG_NAMES) as RungId[]).map((rung) => {
        const own = met.filter((target) => (target.rung ?? 'stage') === rung);
        return own.length === 0 ? null : <Met key={rung} name={RUNG_NAMES[rung]} targets={own} all={all} />;
      })}
      {remarks.length > 0 ? (
        <ul className={css['remarks']} aria-label="Remarks" data-testid="remarks">
          {remarks.map((words) => (
            <li key={words}>{words}</li>
          ))}
        </ul>
      ) : null}
      {result?.cautions.map((caution) => (
        <p key={caution.id} className={css['caution']}>
          <strong>Caution.</strong> {caution.message}
        </p>
      ))}
    </aside>
  );
}

/** What is met on one rung: how many, and the one with least to spare; the rows behind it. */
function Met({ name, targets, all }: { name: string; targets: readonly Shown[]; all: boolean }) {
  const [own, setOpen] = useState(false);
  const open = all || own;
  const [tightest] = targets;
  return (
    <div className={css['met']} data-verdict="met" data-testid="met-group">
      <Quiet aria-expanded={open} onClick={() => setOpen(!open)} className={css['met-line']}>
        <span className={css['verdict-mark']}>
          <Mark verdict="met" />
        </span>{' '}
        {name}: {targets.length} met
        <small>
          tightest {inSentence(tightest!.name)}, {Math.round(100 * tightest!.used)} % used {open ? '▾' : '▸'}
        </small>
      </Quiet>
      <Collapse in={open} mountOnEnter>
        <ul>
          {targets.map((target) => (
            <Margin key={target.id} target={target} advised={false} />
          ))}
        </ul>
      </Collapse>
    </div>
  );
}

/** What a target comes to, as one text; an estimate and what is not known say so. */
const foundOf = ({ predicted, unit, estimate }: Pick<Target, 'predicted' | 'unit' | 'estimate'>): string =>
  Number.isNaN(predicted)
    ? '—'
    : predicted === Infinity
      ? 'never'
      : `${estimate ? '≈ ' : ''}${formatQuantity(predicted, unit)}`;

/** What a row of the rail says, as one text. */
const saying = ({ target, advised, seeking = false }: { target: Shown; advised: boolean; seeking?: boolean }): string =>
  [
    target.name,
    target.verdict,
    foundOf(target),
    limitOf(target),
    target.used.toFixed(3),
    target.at.inputVoltage,
    target.at.outputCurrent,
    target.held.join(),
    target.levers.join(),
    target.why ?? '',
    target.pending ? (target.pending.was ? foundOf(target.pending.was) : '…') : '',
    advised ? `${JSON.stringify(target.advice ?? '')}${String(seeking)}` : '',
  ].join('|');

/** One target; drawn again only when it says something else. */
const Margin = memo(
  function Margin({ target, advised, seeking = false }: { target: Shown; advised: boolean; seeking?: boolean }) {
    const navigate = useNavigate();
    const { pending, verdict, run } = target;
    const shown = pending?.was ?? target;
    const scenario = run as Scenario | undefined;
    const lookAt = (): void => {
      if (scenario && !target.estimate) {
        setScope({
          scenario,
          inputs: 'all',
          release: scenario === 'load-step',
          step: target.id.startsWith('loadStepFull') ? fullStepWords(target) : undefined,
        });
        void navigate('scope');
        return;
      }
      pickCorner(target.at);
      askWhy(target.quantity);
    };
    return (
      <li
        className={css['margin']}
        data-verdict={verdict}
        data-pending={pending ? '' : undefined}
        data-testid="margin"
        data-name={target.name}
      >
        <div className={css['margin-line']}>
          <Quiet
            onClick={() => focusDecision(target.levers)}
            title={`Go to what decides it: ${target.levers[0] ?? ''}`}
          >
            <span className={css['verdict-mark']}>
              <Mark verdict={verdict} of={pending ? 'found' : target.estimate ? 'estimate' : undefined} />
            </span>{' '}
            {target.name}
          </Quiet>
          <Quiet
            className={`font-monospace ${css['value']}`}
            data-testid="value"
            title={scenario && !target.estimate ? 'Look at the run' : 'Why?'}
            onClick={lookAt}
          >
            {pending?.was ? `was ${foundOf(pending.was)}` : foundOf(target)}
          </Quiet>
        </div>
        <div
          className={css['bar']}
          data-bar={target.estimate ? 'hollow' : verdict === 'open' && !pending?.was ? 'none' : undefined}
          role="img"
          aria-label={`${target.name}: ${pending ? 'being found' : verdict}, ${limitOf(target)} wanted`}
        >
          <i style={{ width: `${Math.min(100, shown.used * TICK)}%` }} />
          {shown.used > 1 ? (
            <em style={{ left: `${TICK}%`, width: `${Math.min(100 - TICK, (shown.used - 1) * TICK)}%` }} />
          ) : null}
          <b />
        </div>
        <small className="font-monospace">
          <span className={css['limit']}>{limitOf(target)}</span>
          {whereAndHow(target)}
          {isLoopQuantity(target.quantity) && !pending ? (
            <>
              {' · '}
              <Quiet title="Look at the loop" onClick={() => void navigate('loop')}>
                loop
              </Quiet>
            </>
          ) : null}
        </small>
        {target.why !== undefined && !pending && !target.estimate ? (
          <small className={css['because']}>{target.why}</small>
        ) : null}
        {verdict === 'missed' && advised ? <Advised target={target} seeking={seeking} /> : null}
      </li>
    );
  },
  (before, after) => saying(before) === saying(after),
);

/** Where the tick of what is allowed stands on a bar, in hundredths of it. */
const TICK = 78;

/** The step from the lightest load to all of it, as the Scope's list of steps names it. */
const fullStepWords = ({ at }: Target): string | undefined => {
  const min = useSolved
    .getState()
    .result?.operatingPoints.reduce((least, p) => Math.min(least, p.outputCurrent), Infinity);
  return min === undefined ? undefined : `${formatQuantity(min, 'A')} to ${formatQuantity(at.outputCurrent, 'A')}`;
};

/** What was tried and seen to help, each a press away. */
function Advised({ target, seeking }: { target: Shown; seeking: boolean }) {
  if (target.advice && target.advice.length > 0)
    return (
      <div className={css['advice']} data-testid="advice">
        {target.advice.map((advice) => (
          <p key={advice.words}>
            {advice.words}: {formatQuantity(advice.gives, target.unit)}
            {advice.verdict === 'missed' ? ', still missed' : ''}
            {advice.misses && advice.misses.length > 0 ? `, but misses ${advice.misses.join(', ')}` : ''}{' '}
            <Quiet className={css['act']} onClick={() => edit((document) => taken(document, advice))}>
              try
            </Quiet>
          </p>
        ))}
      </div>
    );
  // what was not tried is not named
  return (
    <small className={css['because']}>
      {seeking ? 'what would mend it is sought …' : 'nothing that was tried mends it'}
    </small>
  );
}

/** The corner that is worst, and what the verdict is where the mark alone does not say it. */
const whereAndHow = ({ predicted, at, pending, verdict, estimate }: Shown): string =>
  [
    Number.isNaN(predicted) ? '' : `${formatQuantity(at.inputVoltage, 'V')}, ${formatQuantity(at.outputCurrent, 'A')}`,
    pending ? 'being found' : verdict === 'met' ? '' : verdict,
    estimate && !pending ? 'estimate' : '',
  ]
    .filter((words) => words !== '')
    .join(' · ');

/** What is asked for, as it stands under the bar's mark. */
function limitOf({ required, unit, sense }: Target): string {
  return `${sense === 'below' ? '≤' : '≥'}\u00a0${formatQuantity(required, unit)}`;
}
