import { useMemo } from 'react';
import { Working } from '../../app/Working.tsx';
import { Plot, type Lane } from '../../plots/Plot.tsx';
import { useLongAnswer } from '../../workers/useAnswer.ts';

const DASH = { synchronous: [], diode: [6, 3] } as const;

/** The best synchronous rectifier beside the best diode, over load: where a switch with its gate and dead time is worth it. */
export function RectifierPicture() {
  const run = useLongAnswer('rectifiers');
  const { answer } = run;
  const lanes = useMemo((): Lane[] => {
    const of = (id: string, name: string, unit: 'W' | '%', ink: string, log: boolean): Lane => ({
      id,
      name,
      unit,
      log,
      traces: (answer ?? []).map((curve) => ({
        name: curve.kind === 'diode' ? 'diode' : 'synchronous',
        x: curve.x,
        y: unit === '%' ? curve.efficiency : curve.loss,
        ink,
        dash: DASH[curve.kind],
      })),
    });
    return [
      of('efficiency', 'efficiency', '%', '--power', false),
      of('loss', 'lost in the rectifier', 'W', '--power', true),
    ];
  }, [answer]);
  const across = useMemo(() => ({ name: 'load', unit: 'A' as const, log: true }), []);
  return (
    <section aria-label="Diode or synchronous" data-testid="rectifiers">
      <Working run={run} of="Diode and synchronous rectifier" />
      {answer && answer.length > 0 ? (
        <>
          <Plot
            title="Diode or synchronous, over load"
            summary="Efficiency of the stage and the loss in its rectifier, with the best of each kind that the shelf has."
            across={across}
            lanes={lanes}
            height={260}
          />
          <p className="text-body-secondary">
            {answer
              .map(({ kind, words }) => `${kind === 'diode' ? 'Dashed, diode' : 'Full, synchronous'}: ${words}.`)
              .join(' ')}
            {answer.length < 2 && run.state === 'whole' ? ' The shelf has nothing that fits of the other kind.' : ''}
          </p>
        </>
      ) : null}
    </section>
  );
}
