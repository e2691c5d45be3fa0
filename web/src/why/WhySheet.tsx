import { useEffect, useState } from 'react';
import katex from 'katex';
import 'katex/dist/katex.min.css';
import CloseButton from 'react-bootstrap/CloseButton';
import { formatQuantity, type Explanation } from '@yundro/core';
import { useDocument, useSolved } from '../stores/designStore.ts';
import { askWhy, backWhy, closeWhy, useView } from '../stores/viewStore.ts';
import { backgroundSolver } from '../workers/solver.ts';

function Typeset({ tex, label }: { tex: string; label: string }) {
  // the markup comes from the typesetter, out of the core's own records and figures
  const html = katex.renderToString(tex, { displayMode: true, throwOnError: false, output: 'htmlAndMathml' });
  return (
    <div
      className="why-formula"
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
  const document = useDocument((state) => state.document);
  const corner = useSolved((state) => state.corner);
  const [found, setFound] = useState<Explanation | 'none'>();
  const id = trail.at(-1);

  useEffect(() => {
    let current = true;
    if (id === undefined || !document) return;
    backgroundSolver
      .ask((solver) => solver.explain(document, corner, id))
      .then(
        (explanation) => current && setFound(explanation ?? 'none'),
        () => current && setFound('none'),
      );
    return () => {
      current = false;
    };
  }, [id, document, corner]);

  useEffect(() => {
    const onKey = (event: KeyboardEvent): void => {
      if (event.key === 'Escape') closeWhy();
    };
    window.addEventListener('keydown', onKey);
    return () => window.removeEventListener('keydown', onKey);
  }, []);

  if (id === undefined || found === undefined) return null;
  const place = `${formatQuantity(corner.inputVoltage, 'V')} in, ${formatQuantity(corner.outputCurrent, 'A')}`;
  return (
    <section className="why-sheet" aria-label="Why this number">
      <header>
        {trail.length > 1 ? (
          <button
            type="button"
            className="btn btn-sm btn-link"
            onClick={backWhy}
            aria-label="Back to the number before"
          >
            ←
          </button>
        ) : null}
        <h2>{found === 'none' ? 'No value here' : found.name}</h2>
        {found === 'none' ? null : (
          <strong className={`mono kind-${found.kind}`}>
            {formatQuantity(found.value, found.unit, { digits: 4 })}
          </strong>
        )}
        <CloseButton onClick={closeWhy} aria-label="Close" />
      </header>
      {found === 'none' ? (
        <p>This quantity has no value at {place}.</p>
      ) : (
        <>
          <p className="soft">at {place}</p>
          {found.formula ? (
            <>
              <Typeset tex={found.formula.symbols} label={`Formula of ${found.name}`} />
              <Typeset
                tex={`${found.symbol} = ${rightSide(found.formula.numbers)}`}
                label="The same with this design’s numbers"
              />
              <p>
                {found.formula.holds}
                {found.difference === undefined ? null : (
                  <>
                    {' '}
                    The form gives{' '}
                    <span className="mono">{formatQuantity(found.formula.value, found.unit, { digits: 4 })}</span>; the
                    value shown is measured on the exact waveform, and the form stands{' '}
                    <span className="mono">{formatQuantity(Math.abs(found.difference), '%', { digits: 2 })}</span>{' '}
                    {found.difference < 0 ? 'below' : 'above'} it.
                  </>
                )}
              </p>
              <p className="soft">Source: {found.formula.source}.</p>
            </>
          ) : found.origin === undefined ? (
            <p>Measured on the exact periodic waveform; no simple form holds in this mode.</p>
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
    </section>
  );
}

/** The part of a form with figures that follows the first equals sign, since the symbol is set before it. */
function rightSide(tex: string): string {
  const at = tex.search(/=|\\le /u);
  return at < 0 ? tex : tex.slice(at + (tex.charAt(at) === '=' ? 1 : 4));
}

function Links({ title, links }: { title: string; links: Explanation['inputs'] }) {
  if (links.length === 0) return null;
  return (
    <p className="why-links">
      {title}{' '}
      {links.map((link) => (
        <button key={link.id} type="button" onClick={() => askWhy(link.id)}>
          {link.name} <span className="mono">{formatQuantity(link.value, link.unit)}</span>
        </button>
      ))}
    </p>
  );
}
