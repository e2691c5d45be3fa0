import { formatQuantity, type QuantityId, type Unit } from '@yundro/core';
import { askWhy } from '../stores/viewStore.ts';
import css from './why.module.css';
import { Quiet } from '../app/Quiet.tsx';

/** A computed number: shown with its prefix, and opening the sheet that says why it is what it is. */
export function WhyNumber({
  id,
  value,
  unit,
  digits = 3,
}: {
  id: QuantityId;
  value: number;
  unit: Unit;
  digits?: number;
}) {
  const text = formatQuantity(value, unit, { digits });
  return (
    <Quiet className={`${css['why-number']} font-monospace`} title="Why?" onClick={() => askWhy(id)}>
      {text}
    </Quiet>
  );
}
