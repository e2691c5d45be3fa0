import { useState } from 'react';
import { formatQuantity, type Unit } from '@yundro/core';
import { QuantityField } from './QuantityField.tsx';

export interface RangeFieldsProps<K extends string> {
  /** the range in force, lowest first */
  value: Record<K, number>;
  order: readonly { key: K; label: string }[];
  unit: Unit;
  /** whether the lowest may be nothing */
  zero?: boolean;
  onChange: (value: Record<K, number>) => void;
}

/**
 * A range, judged as one: each entry is kept as it is made, and the range takes force when its entries are in order.
 * So a new range can be typed in any order, and one that contradicts itself is marked where it does and changes nothing.
 */
export function RangeFields<K extends string>({ value, order, unit, zero = false, onChange }: RangeFieldsProps<K>) {
  /** entries made that are not in force, since with them the range would contradict itself */
  const [waiting, setWaiting] = useState<Partial<Record<K, number>>>({});
  const now = { ...value, ...waiting };
  const orderly = (range: Record<K, number>): boolean =>
    order.every(({ key }, at) => at === 0 || range[key] >= range[order[at - 1]!.key]);
  const put = (key: K, entry: number): void => {
    const next = { ...now, [key]: entry };
    if (orderly(next)) {
      setWaiting({});
      onChange(next);
    } else setWaiting({ ...waiting, [key]: entry });
  };
  const inForce = order.map(({ key }) => formatQuantity(value[key], unit)).join(', ');
  return (
    <>
      {order.map(({ key, label }, at) => {
        const below = order[at - 1];
        const above = order[at + 1];
        const fault =
          Object.keys(waiting).length === 0
            ? undefined
            : below && now[key] < now[below.key]
              ? `Below ${below.label.toLowerCase()}: the range takes force when it is in order. Still in force: ${inForce}.`
              : above && now[key] > now[above.key]
                ? `Above ${above.label.toLowerCase()}: the range takes force when it is in order. Still in force: ${inForce}.`
                : undefined;
        return (
          <QuantityField
            key={key}
            label={label}
            unit={unit}
            value={now[key]}
            check={(entry) =>
              (zero && at === 0 ? entry >= 0 : entry > 0) && entry <= 1e18
                ? undefined
                : zero && at === 0
                  ? 'Zero or more is needed here.'
                  : 'More than zero is needed here.'
            }
            fault={fault}
            onAbandon={() => setWaiting({})}
            onChange={(entry) => {
              if (entry !== undefined) put(key, entry);
            }}
          />
        );
      })}
    </>
  );
}
