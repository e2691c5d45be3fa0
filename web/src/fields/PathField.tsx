import { valueAt, withoutValue, withValue, type Unit } from '@yundro/core';
import { edit, useDocument } from '../stores/designStore.ts';
import { QuantityField } from './QuantityField.tsx';

interface PathFieldProps {
  /** in the document: "brief.serviceLife", "decisions.cooling.airflow" */
  path: string;
  label: string;
  unit: Unit;
  /** what stands where it is left empty */
  placeholder: string;
  /** SI base units of one of what is typed, where people count in another unit (said in the label) */
  scale?: number;
  zero?: boolean;
  most?: number;
  small?: boolean;
}

/** An optional number of the document, held as soon as it is typed and let go of when it is emptied. */
export function PathField({
  path,
  label,
  unit,
  placeholder,
  scale = 1,
  zero = false,
  most = Infinity,
  small = true,
}: PathFieldProps) {
  const value = useDocument((state) => valueAt(state.document, path) as number | undefined);
  return (
    <QuantityField
      label={label}
      unit={unit}
      small={small}
      // what was scaled on its way in comes back as it was typed
      value={value === undefined ? undefined : Number((value / scale).toPrecision(12))}
      optional
      placeholder={placeholder}
      check={(typed) =>
        typed < 0 || (typed === 0 && !zero)
          ? `${zero ? 'Zero or more' : 'More than zero'} is needed here.`
          : typed > most
            ? `At most ${most} is needed here.`
            : undefined
      }
      onChange={(next) =>
        edit((document) =>
          next === undefined ? withoutValue(document, path) : withValue(document, path, next * scale),
        )
      }
    />
  );
}
