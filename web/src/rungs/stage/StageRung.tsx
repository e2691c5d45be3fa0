import { memo, useDeferredValue, useEffect } from 'react';
import Form from 'react-bootstrap/Form';
import { cornersOf, formatQuantity, TAPES } from '@yundro/core';
import { ErrorBoundary } from '../../app/ErrorBoundary.tsx';
import { pickCorner, useDocument, useSolved, watchTapes } from '../../stores/designStore.ts';
import { AgainstLoad } from './AgainstLoad.tsx';
import { CornerTable } from './CornerTable.tsx';
import { OtherDecisions } from './OtherDecisions.tsx';
import { Schematic } from './Schematic.tsx';
import { SmallParts } from './SmallParts.tsx';
import { Tape } from '../../decisions/Tape.tsx';
import { ProbeMenu } from '../scope/ProbeMenu.tsx';
import { WaveformStack } from './Waveforms.tsx';
import css from './stage.module.css';
import page from '../../app/page.module.css';

// what is read at rest follows a moving value a moment later, so that schematic and waveforms keep up with it
const CalmDecisions = memo(OtherDecisions);
const CalmCorners = memo(CornerTable);
const CalmSmall = memo(SmallParts);
const StillLoad = memo(AgainstLoad);
const StillProbe = memo(ProbeMenu);

/** The power stage: schematic, decisions as tapes, waveforms at one corner, every corner's figures. */
export default function StageRung() {
  const brief = useDocument((state) => state.document!.brief);
  const result = useSolved((state) => state.result);
  const calm = useDeferredValue(result);
  const figures = useDeferredValue(useSolved((state) => state.figures));
  const waveforms = useSolved((state) => state.waveforms);
  const ghost = useSolved((state) => state.ghost);
  const corner = useSolved((state) => state.corner);

  useEffect(() => () => watchTapes([]), []);

  const decisions = useSolved((state) => state.decisions);
  const point = useSolved((state) => state.point);
  const drawn = useSolved((state) => state.drawn);

  if (!decisions) return <p className="text-body-secondary">Solving…</p>;
  const corners = cornersOf({ brief });
  const at = corners.findIndex(
    (c) => c.inputVoltage === corner.inputVoltage && c.outputCurrent === corner.outputCurrent,
  );
  return (
    <div>
      {point ? (
        <section className={`border rounded-1 bg-body-tertiary ${css['strip']}`}>
          <ErrorBoundary of="The schematic">
            <Schematic decisions={decisions} point={point} drawn={drawn} />
          </ErrorBoundary>
        </section>
      ) : null}
      <div className={css['stage-columns']}>
        <section aria-label="Decisions">
          <h2>Decisions</h2>
          {TAPES.map((tape) => (
            <ErrorBoundary key={tape.path} of={`The tape of ${tape.name.toLowerCase()}`}>
              <Tape tape={tape} />
            </ErrorBoundary>
          ))}
        </section>
        <section aria-label="Waveforms">
          <div className={page['row-head']}>
            <h2>Two periods at</h2>
            <Form.Select
              size="sm"
              aria-label="Corner in view"
              className={`font-monospace ${page['pick']}`}
              value={at}
              onChange={(event) => pickCorner(corners[Number(event.target.value)]!)}
            >
              {corners.map((c, index) => (
                <option key={`${c.inputVoltage}/${c.outputCurrent}`} value={index}>
                  {formatQuantity(c.inputVoltage, 'V')}, {formatQuantity(c.outputCurrent, 'A')}
                </option>
              ))}
            </Form.Select>
            <StillProbe brief={brief} corner={corner} />
          </div>
          {waveforms ? (
            <ErrorBoundary of="The waveforms">
              <WaveformStack waveforms={waveforms} ghost={ghost} />
            </ErrorBoundary>
          ) : (
            <p className="text-body-secondary">No pulses at this corner: with no load the output holds itself.</p>
          )}
        </section>
      </div>
      <ErrorBoundary of="The other decisions">
        {calm ? <CalmDecisions decisions={calm.decisions} /> : null}
      </ErrorBoundary>
      <ErrorBoundary of="The curves over load">
        <StillLoad />
      </ErrorBoundary>
      <ErrorBoundary of="The small parts">{calm ? <CalmSmall decisions={calm.decisions} /> : null}</ErrorBoundary>
      <ErrorBoundary of="The table of corners">
        {calm && calm.operatingPoints.length > 0 ? (
          <CalmCorners points={calm.operatingPoints} figures={figures} />
        ) : null}
      </ErrorBoundary>
    </div>
  );
}
