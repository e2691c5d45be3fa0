import { formatQuantity, type QuantityId, type Unit } from '@yundro/core';
import { askWhy, type WhyOf } from '../stores/viewStore.ts';
import css from './why.module.css';
import { Quiet } from '../app/Quiet.tsx';

/** A computed number: shown with its prefix, and opening the sheet that says why it is what it is. */
export function WhyNumber({
  id,
  value,
  unit,
  digits = 3,
  of,
}: {
  id: QuantityId;
  value: number;
  unit: Unit;
  digits?: number;
  /** where it is not the open design's at the corner looked at */
  of?: WhyOf;
}) {
  const text = formatQuantity(value, unit, { digits });
  return (
    <Quiet className={`${css['why-number']} font-monospace`} title="Why?" onClick={() => askWhy(id, of)}>
      {text}
    </Quiet>
  );
}
