import { Chart, LinearScale, LineController, LineElement, LogarithmicScale, PointElement, type Plugin } from 'chart.js';
import { useLayoutEffect, useRef } from 'react';
import { formatQuantity, type Curve, type Unit } from '@yundro/core';
import { useView } from '../stores/viewStore.ts';

Chart.register(LineController, LineElement, PointElement, LinearScale, LogarithmicScale);

export interface Trace {
  name: string;
  curve: Curve;
  /** CSS variable that holds its colour */
  ink: string;
  dash?: number[];
  wide?: boolean;
  /** marks at places instead of a line */
  marks?: 'circle' | 'triangle' | 'rect';
  /** written on the line, at a place along the axis */
  label?: { text: string; at: number };
}

interface AxisOf {
  title: string;
  unit: Unit;
  min?: number;
  max?: number;
  log?: boolean;
}

type Point = { x: number; y: number };

function colour(name: string): string {
  return getComputedStyle(document.documentElement).getPropertyValue(name).trim();
}

/** Curves over one axis, with a tinted span, the traces' names beside them, and a summary for those who cannot see it. */
export function Plot({
  title,
  summary,
  x,
  y,
  traces,
  span,
}: {
  title: string;
  summary: string;
  x: AxisOf;
  y: AxisOf;
  traces: readonly Trace[];
  span?: { min: number; max: number; name: string } | undefined;
}) {
  const canvas = useRef<HTMLCanvasElement>(null);
  const theme = useView((state) => state.theme);
  useLayoutEffect(() => {
    const soft = colour('--soft');
    const hair = colour('--hair');
    const font = { family: 'Spline Sans Mono Variable', size: 10 };
    const tinted: Plugin<'line'> = {
      id: 'span',
      beforeDatasetsDraw({ ctx, chartArea, scales }) {
        const axis = scales['x'];
        if (!span || !axis || span.max < span.min) return;
        const left = axis.getPixelForValue(span.min);
        const width = Math.max(2, axis.getPixelForValue(span.max) - left);
        ctx.save();
        ctx.globalAlpha = 0.6;
        ctx.fillStyle = hair;
        ctx.fillRect(left, chartArea.top, width, chartArea.bottom - chartArea.top);
        ctx.globalAlpha = 1;
        ctx.fillStyle = soft;
        ctx.font = "11px 'Spline Sans Variable', sans-serif";
        const over = left + width + 4 + ctx.measureText(span.name).width > chartArea.right;
        ctx.textAlign = over ? 'right' : 'left';
        ctx.fillText(span.name, over ? left - 4 : left + width + 4, chartArea.top + 24);
        ctx.restore();
      },
      afterDatasetsDraw({ ctx, scales, chartArea }) {
        ctx.save();
        ctx.font = "11px 'Spline Sans Variable', sans-serif";
        for (const trace of traces) {
          if (trace.label === undefined) continue;
          const { x: xs, y: ys } = trace.curve;
          const place = trace.label.at;
          const at = Math.max(
            0,
            xs.findIndex((value) => value >= place),
          );
          const px = scales['x']!.getPixelForValue(xs[at]!);
          const py = Math.max(chartArea.top + 9, scales['y']!.getPixelForValue(ys[at]!) - 3);
          ctx.fillStyle = colour(trace.ink);
          ctx.textAlign = px > chartArea.right - 30 ? 'right' : 'center';
          ctx.fillText(trace.label.text, px, py);
        }
        ctx.restore();
      },
    };
    const axis = ({ title: text, unit, min, max, log }: AxisOf) => ({
      type: log ? ('logarithmic' as const) : ('linear' as const),
      ...(min === undefined ? {} : { min }),
      ...(max === undefined ? {} : { max }),
      title: { display: true, text, color: soft, font: { family: 'Spline Sans Variable', size: 11 } },
      grid: { color: hair, drawTicks: false },
      border: { display: false },
      ticks: {
        color: soft,
        font,
        maxTicksLimit: 7,
        maxRotation: 0,
        callback: (value: string | number) => {
          const number = Number(value);
          if (log && !/^[125]/u.test(number.toExponential())) return null;
          return unit === '' ? String(Number(number.toPrecision(3))) : formatQuantity(number, unit, { digits: 2 });
        },
      },
    });
    const chart = new Chart<'line', Point[]>(canvas.current!, {
      type: 'line',
      plugins: [tinted],
      data: {
        datasets: traces.map((trace) => ({
          data: trace.curve.x.map((at, i) => ({ x: at, y: trace.curve.y[i]! })),
          parsing: false as const,
          borderColor: colour(trace.ink),
          backgroundColor: colour(trace.ink),
          borderWidth: trace.wide ? 2.4 : 1.5,
          borderDash: trace.dash ?? [],
          showLine: trace.marks === undefined,
          pointRadius: trace.marks === undefined ? 0 : 4.5,
          pointStyle: trace.marks ?? 'circle',
        })),
      },
      options: {
        animation: false,
        responsive: true,
        maintainAspectRatio: false,
        events: [],
        scales: { x: axis(x), y: axis(y) },
      },
    });
    return () => chart.destroy();
  }, [traces, span, x, y, theme]);
  return (
    <figure className="plot">
      <figcaption>
        <h3>{title}</h3>
        <ul className="legend">
          {traces
            .filter((trace) => trace.name !== '')
            .map((trace) => (
              <li key={trace.name}>
                <svg width="22" height="8" aria-hidden="true">
                  {trace.marks === undefined ? (
                    <path
                      d="M1 4h20"
                      stroke={`var(${trace.ink})`}
                      strokeWidth={trace.wide ? 2.4 : 1.5}
                      strokeDasharray={trace.dash?.join(' ')}
                    />
                  ) : (
                    <circle cx="11" cy="4" r="3.5" fill={`var(${trace.ink})`} />
                  )}
                </svg>
                {trace.name}
              </li>
            ))}
        </ul>
      </figcaption>
      <div className="plot-canvas">
        <canvas ref={canvas} role="img" aria-label={`${title}. ${summary}`} />
      </div>
    </figure>
  );
}
