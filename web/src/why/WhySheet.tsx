import { useEffect, useRef, useState } from 'react';
import katex from 'katex';
import 'katex/dist/katex.min.css';
import CloseButton from 'react-bootstrap/CloseButton';
import { formatQuantity, type Explanation } from '@yundro/core';
import Button from 'react-bootstrap/Button';
import { useSolved } from '../stores/designStore.ts';
import { backWhy, closeWhy, followWhy, useView } from '../stores/viewStore.ts';
import { backgroundSolver } from '../workers/solver.ts';
import css from './why.module.css';
import { Quiet } from '../app/Quiet.tsx';

function Typeset({ tex, label }: { tex: string; label: string }) {
  // the markup comes from the typesetter, out of the core's own records and figures
  const html = katex.renderToString(tex, { displayMode: true, throwOnError: false, output: 'htmlAndMathml' });
  return (
    <div
      className={css['why-formula']}
      role="figure"
      aria-label={label}
      tabIndex={0}
      dangerouslySetInnerHTML={{ __html: html }}
    />
  );
}

const ORIGIN = { brief: 'from the brief', held: 'held by you', decided: 'decided by Yundro' } as const;

/** Why a number is what it is: form, figures, validity, source, and the way to its inputs. */
export default function WhySheet() {
  const trail = useView((state) => state.why);
  const of = useView((state) => state.whyOf);
  const viewed = useSolved((state) => state.corner);
  const inForce = useSolved((state) => state.inForce);
  const corner = of?.corner ?? viewed;
  const [found, setFound] = useState<Explanation | 'none'>();
  const id = trail.at(-1);

  useEffect(() => {
    let current = true;
    if (id === undefined || !inForce) return;
    backgroundSolver
      .press((solver) => solver.explain(inForce, corner, id))
      .then(
        (explanation) => current && setFound(explanation ?? 'none'),
        () => current && setFound('none'),
      );
    return () => {
      current = false;
    };
  }, [id, inForce, corner]);

  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (event.key === 'Escape') closeWhy();
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);

  // the focus goes to what was asked about, and back to where it was asked from
  const heading = useRef<HTMLHeadingElement>(null);
  const opener = useRef<Element | null>(null);
  const open = id !== undefined;
  const shown = found === undefined || found === 'none' ? undefined : found.id;
  useEffect(() => {
    if (!open) return;
    opener.current ??= document.activeElement;
    return () => {
      const from = opener.current;
      opener.current = null;
      if (from instanceof HTMLElement || from instanceof SVGElement) from.focus();
    };
  }, [open]);
  useEffect(() => {
    if (open) heading.current?.focus();
  }, [open, shown]);

  if (id === undefined || found === undefined) return null;
  const place = `${formatQuantity(corner.inputVoltage, 'V')} in, ${formatQuantity(corner.outputCurrent, 'A')}`;
  return (
    <div className={css['why-sheet']} data-testid="why" role="dialog" aria-label="Why this number">
      <div className={css['why-head']}>
        {trail.length > 1 ? (
          <Button size="sm" variant="link" onClick={backWhy} aria-label="Back to the number before">
            ←
          </Button>
        ) : null}
        <h2 ref={heading} tabIndex={-1}>
          {found === 'none' ? 'No value here' : found.name}
        </h2>
        {found === 'none' ? null : (
          <strong className="font-monospace" data-kind={found.kind}>
            {formatQuantity(found.value, found.unit, { digits: 4 })}
          </strong>
        )}
        <CloseButton onClick={closeWhy} aria-label="Close" />
      </div>
      {found === 'none' ? (
        <p>This quantity has no value at {place}.</p>
      ) : (
        <>
          <p className="text-body-secondary">
            at {place}
            {of?.words === undefined ? '' : `, ${of.words}`}
          </p>
          {found.formula ? (
            <>
              <Typeset tex={found.formula.symbols} label={`Formula of ${found.name}`} />
              <Typeset tex={found.formula.numbers} label="The same with this design’s numbers" />
              <p>
                {found.formula.holds}
                {found.difference === undefined ? null : (
                  <>
                    {' '}
                    The form gives{' '}
                    <span className="font-monospace">
                      {formatQuantity(found.formula.value, found.unit, { digits: 4 })}
                    </span>
                    ; the value shown is measured on the exact waveform, and the form stands{' '}
                    <span className="font-monospace">
                      {formatQuantity(Math.abs(found.difference), '%', { digits: 2 })}
                    </span>{' '}
                    {found.difference < 0 ? 'below' : 'above'} it.
                  </>
                )}
              </p>
              <p className="text-body-secondary">Source: {found.formula.source}.</p>
            </>
          ) : found.origin === undefined ? (
            <p>{found.told ?? 'Measured on the exact periodic waveform; no simple form holds in this mode.'}</p>
          ) : null}
          {found.origin ? (
            <p>
              {found.origin.path.replace(/^brief\./u, '')}: {ORIGIN[found.origin.by]}
              {found.origin.rule === undefined ? '' : ` (${found.origin.rule})`}.
            </p>
          ) : null}
          <Links title="From" links={found.inputs} />
          <Links title="Used by" links={found.usedBy} />
        </>
      )}
    </div>
  );
}

function Links({ title, links }: { title: string; links: Explanation['inputs'] }) {
  if (links.length === 0) return null;
  return (
    <p className={css['why-links']}>
      {title}{' '}
      {links.map((link) => (
        <Quiet key={link.id} onClick={() => followWhy(link.id)}>
          {link.name} <span className="font-monospace">{formatQuantity(link.value, link.unit)}</span>
        </Quiet>
      ))}
    </p>
  );
}
