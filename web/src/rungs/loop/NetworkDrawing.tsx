import { useRef } from 'react';
import Button from 'react-bootstrap/Button';
import { formatQuantity, type CompensatorParts } from '@yundro/core';
import { fileName, handOver } from '../../app/files.ts';
import css from './loop.module.css';

/** A resistor as a box, or two plates, along a line from left to right; from top to bottom where it stands. */
function PartMark({ kind, x, y, upright = false }: { kind: 'r' | 'c'; x: number; y: number; upright?: boolean }) {
  return (
    <g
      transform={`translate(${x} ${y})${upright ? ' rotate(90)' : ''}`}
      fill="var(--paper, #fff)"
      stroke="currentColor"
    >
      {kind === 'r' ? (
        <rect x={-13} y={-5} width={26} height={10} />
      ) : (
        <>
          <rect x={-2.5} y={-9} width={5} height={18} stroke="none" />
          <path d="M-2.5 -9v18M2.5 -9v18" />
        </>
      )}
    </g>
  );
}

interface Branch {
  marks: readonly { kind: 'r' | 'c'; value: string }[];
}

/** Parts in series from one node to another, at a height. */
function Row({ branch, from, to, y }: { branch: Branch; from: number; to: number; y: number }) {
  const { marks } = branch;
  return (
    <g>
      <path d={`M${from} ${y}H${to}`} stroke="currentColor" />
      {marks.map(({ kind, value }, k) => {
        const x = from + ((to - from) * (k + 1)) / (marks.length + 1);
        return (
          <g key={value}>
            <PartMark kind={kind} x={x} y={y} />
            <text x={x} y={y - 11} textAnchor="middle">
              {value}
            </text>
          </g>
        );
      })}
    </g>
  );
}

/** The amplifier with its network, to be looked at and taken along. */
export function NetworkDrawing({ network, title }: { network: CompensatorParts; title: string }) {
  const svg = useRef<SVGSVGElement>(null);
  const { amplifier = 'op-amp', type = 1 } = network;
  const ota = amplifier === 'ota';
  const ohms = (value: number | undefined): string => (value === undefined ? '–' : formatQuantity(value, 'Ω'));
  const farads = (value: number | undefined): string => (value === undefined ? '–' : formatQuantity(value, 'F'));
  const lead: Branch = {
    marks: [
      ...(network.inputResistor ? [{ kind: 'r' as const, value: ohms(network.inputResistor) }] : []),
      { kind: 'c', value: farads(network.inputCapacitor) },
    ],
  };
  const series: Branch = {
    marks: [
      ...(type > 1 && network.feedbackResistor ? [{ kind: 'r' as const, value: ohms(network.feedbackResistor) }] : []),
      ...(network.feedbackCapacitor === undefined
        ? []
        : [{ kind: 'c' as const, value: farads(network.feedbackCapacitor) }]),
    ],
  };
  const shunt = type > 1 && network.shuntCapacitor !== undefined;
  const save = (): void => {
    const drawing = svg.current!.cloneNode(true) as SVGSVGElement;
    drawing.setAttribute('xmlns', 'http://www.w3.org/2000/svg');
    drawing.setAttribute('style', 'color:#000;background:#fff;font:11px sans-serif');
    handOver(fileName(`${title} network`, 'svg', 'network'), new Blob([drawing.outerHTML], { type: 'image/svg+xml' }));
  };
  const node = 190;
  const out = 420;
  return (
    <figure className={css['drawing']}>
      <svg
        ref={svg}
        viewBox="0 0 480 190"
        width={480}
        height={190}
        role="img"
        aria-label="The amplifier and its network"
      >
        <g fill="currentColor" fontSize={11}>
          <text x={4} y={104}>
            output
          </text>
          <text x={out + 8} y={129}>
            control
          </text>
          <text x={node + 62} y={150} textAnchor="end">
            reference
          </text>
          <Row branch={{ marks: [{ kind: 'r', value: ohms(network.dividerTop) }] }} from={44} to={node} y={100} />
          {type === 3 ? (
            <>
              <path d={`M60 100V64M${node - 10} 100V64`} fill="none" stroke="currentColor" />
              <Row branch={lead} from={60} to={node - 10} y={64} />
            </>
          ) : null}
          {network.dividerBottom === undefined ? null : (
            <>
              <path d={`M${node} 100V160M${node - 8} 160h16`} fill="none" stroke="currentColor" />
              <PartMark kind="r" x={node} y={132} upright />
              <text x={node - 10} y={136} textAnchor="end">
                {ohms(network.dividerBottom)}
              </text>
            </>
          )}
          <path
            d={`M${node} 100H270M270 88V164L350 126ZM350 126H${out}M270 146h-14`}
            fill="none"
            stroke="currentColor"
          />
          {ota ? (
            <text x={300} y={130}>
              {formatQuantity(network.transconductance ?? 1e-3, 'A/V')}
            </text>
          ) : null}
          <text x={276} y={105}>
            −
          </text>
          <text x={276} y={151}>
            +
          </text>
          {ota ? (
            <>
              <path
                d={`M${out - 20} 126V64M${out - 20} 64H300M300 64v10M292 74h16`}
                fill="none"
                stroke="currentColor"
              />
              <Row branch={series} from={300} to={out - 20} y={64} />
              {shunt ? (
                <>
                  <path d={`M${out - 20} 64V30M300 30V64`} fill="none" stroke="currentColor" />
                  <Row
                    branch={{ marks: [{ kind: 'c', value: farads(network.shuntCapacitor) }] }}
                    from={300}
                    to={out - 20}
                    y={30}
                  />
                </>
              ) : null}
            </>
          ) : (
            <>
              <path d={`M${node + 30} 100V56H240M${out - 20} 126V56H390`} fill="none" stroke="currentColor" />
              <Row branch={series} from={240} to={390} y={56} />
              {shunt ? (
                <>
                  <path d={`M240 56V24M390 56V24`} fill="none" stroke="currentColor" />
                  <Row
                    branch={{ marks: [{ kind: 'c', value: farads(network.shuntCapacitor) }] }}
                    from={240}
                    to={390}
                    y={24}
                  />
                </>
              ) : null}
            </>
          )}
        </g>
      </svg>
      <Button size="sm" variant="link" onClick={save}>
        Save the drawing
      </Button>
    </figure>
  );
}
