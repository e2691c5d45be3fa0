import { useMemo } from 'react';
import { Link } from 'react-router';
import { fieldName, usualSteps, type Brief } from '@yundro/core';
import { ErrorBoundary } from '../../app/ErrorBoundary.tsx';
import { Notices } from '../../app/Notices.tsx';
import { Working } from '../../app/Working.tsx';
import { useThen } from '../../revisions/Against.tsx';
import { useDocument } from '../../stores/designStore.ts';
import { backgroundSolver } from '../../workers/solver.ts';
import { useLongAnswer } from '../../workers/useAnswer.ts';
import type { ScopeAnswer, ScopeAsk } from './answers.ts';
import { Measures } from './Measures.tsx';
import { Setting, TAKES } from './Setting.tsx';
import { useScope, type ScopeSettings } from './settings.ts';
import { LanePicks, Plane, Traces } from './Traces.tsx';
import css from './scope.module.css';

function inputsOf({ inputVoltage, lineStep }: Brief, { inputs, scenario }: ScopeSettings): number[] {
  const { min, nominal, max } = inputVoltage;
  if (scenario === 'line-step') return [lineStep?.from ?? nominal];
  const list = inputs === 'all' ? [min, nominal, max] : [inputVoltage[inputs]];
  return [...new Set(list)];
}

/** The switching circuit in time: a scenario at one or several inputs, its traces and what is measured of them. */
export default function ScopeRung() {
  const settings = useScope();
  const brief = useDocument((state) => state.document?.brief);
  const { scenario, outputCurrent, duration, duty, rate, step, release } = settings;
  const other = useMemo(
    () => (brief && TAKES.step.includes(scenario) ? usualSteps(brief).find(({ words }) => words === step) : undefined),
    [brief, scenario, step],
  );
  const inputs = brief ? inputsOf(brief, settings).join() : '';
  const ask = useMemo(
    (): ScopeAsk => ({
      scenario,
      inputs: inputs.split(',').map(Number),
      outputCurrent: TAKES.load.includes(scenario) ? outputCurrent : undefined,
      duration,
      duty: TAKES.duty.includes(scenario) ? (duty ?? (scenario === 'open-loop' ? 0.5 : undefined)) : undefined,
      rate: TAKES.rate.includes(scenario) ? rate : undefined,
      step: other,
      release: TAKES.release.includes(scenario) && release,
    }),
    [scenario, inputs, outputCurrent, duration, duty, rate, other, release],
  );
  const run = useLongAnswer('scope', ask);
  const answer = run.answer?.scenario === scenario ? run.answer : undefined;
  return (
    <div className={css['scope']}>
      <Setting settings={settings} />
      <Working run={run} of="The simulation" />
      {answer ? <Shown answer={answer} ask={ask} settings={settings} /> : null}
      {answer || (run.state !== 'due' && run.state !== 'working') ? null : (
        <p className="text-body-secondary">Seeking the steady state…</p>
      )}
    </div>
  );
}

/** The way to what a run lacks, where it is a field of the brief or a decision. */
function ToItsField({ path }: { path: string | undefined }) {
  const rung = path?.startsWith('brief.') ? 'brief' : path?.startsWith('decisions.') ? 'stage' : undefined;
  const name = path === undefined ? undefined : fieldName(path);
  const id = useDocument((state) => state.id);
  if (rung === undefined || name === undefined || id === undefined) return null;
  return <Link to={`/designs/${id}/${rung}`}>{name}</Link>;
}

interface ShownProps {
  answer: ScopeAnswer;
  ask: ScopeAsk;
  settings: ScopeSettings;
}

function Shown({ answer, ask, settings }: ShownProps) {
  const { against, capture, channel, shift, lanes, plane } = settings;
  const { then, trouble } = useThen(`scope-then ${JSON.stringify(ask)}`, against, (document) =>
    backgroundSolver.ask((solver) => solver.scopeOf(document, { ...ask, inputs: ask.inputs.slice(0, 1) })),
  );
  return (
    <>
      {answer.trouble ? (
        <Notices role="alert">
          {answer.trouble.words} <ToItsField path={answer.trouble.path} />
        </Notices>
      ) : trouble ? (
        <Notices role="alert">{trouble}</Notices>
      ) : null}
      {answer.warnings.length + answer.cautions.length + (capture?.remarks.length ?? 0) > 0 ? (
        <Notices>
          {[...answer.cautions, ...answer.warnings, ...(capture?.remarks ?? [])].map((words) => (
            <p key={words}>{words}</p>
          ))}
        </Notices>
      ) : null}
      {answer.assumed.length > 0 ? (
        <p className="text-body-secondary" data-testid="assumed">
          {answer.assumed.join(' ')}
        </p>
      ) : null}
      {answer.runs.length > 0 ? (
        <div className={css['columns']}>
          <div>
            <ErrorBoundary of="The traces">
              <LanePicks shown={lanes} run={answer.runs[0]!} plane={plane} />
              {plane ? (
                <Plane runs={answer.runs} />
              ) : (
                <Traces
                  runs={answer.runs}
                  event={answer.event}
                  allowed={answer.allowed}
                  shown={lanes}
                  then={then?.runs[0]}
                  capture={capture && { ...capture, channel, shift }}
                />
              )}
            </ErrorBoundary>
          </div>
          <ErrorBoundary of="The measurements">
            <Measures answer={answer} then={then?.runs[0]} capture={capture && { ...capture, channel, shift }} />
          </ErrorBoundary>
        </div>
      ) : null}
    </>
  );
}
