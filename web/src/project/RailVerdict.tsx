import type { Verdicts } from '@yundro/core';
import { Mark } from '../margins/Mark.tsx';
import { headLine, inSentence, ordered } from '../margins/order.ts';
import page from '../app/page.module.css';

/** A rail's verdict, by the same judge as its margins: what is missed or open named, else the tightest. */
export function RailVerdict({ judged }: { judged: Verdicts | undefined }) {
  if (!judged)
    return (
      <span className={page['verdict']} data-verdict="open" data-testid="rail-verdict">
        <Mark verdict="open" of="found" /> being judged …
      </span>
    );
  const { verdict, targets } = judged;
  const { missed, open, marginal, met } = ordered(targets);
  const [first, ...more] = [...missed, ...open];
  const [tightest] = [...marginal, ...met];
  return (
    <span className={page['verdict']} data-verdict={verdict} data-testid="rail-verdict">
      <Mark verdict={verdict} /> {verdict === 'met' || verdict === 'marginal' ? verdict : headLine(targets)}
      <small>
        {' '}
        {first
          ? `${inSentence(first.name)}${more.length > 0 ? ` and ${more.length} more` : ''}`
          : tightest
            ? `tightest: ${inSentence(tightest.name)}`
            : ''}
      </small>
    </span>
  );
}
