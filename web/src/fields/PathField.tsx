import { fieldOf, valueAt, withoutValue, withValue, type Unit } from '@yundro/core';
import { edit, useDocument } from '../stores/designStore.ts';
import { neededAt } from './needed.ts';
import { QuantityField } from './QuantityField.tsx';

interface PathFieldProps {
  /** in the document: "brief.serviceLife", "decisions.cooling.airflow" */
  path: string;
  /** what it is called here; the file's own name for it when absent */
  label?: string;
  /** of what is typed; the file's own when absent */
  unit?: Unit;
  /** what stands where it is left empty */
  placeholder: string;
  /** SI base units of one of what is typed, where people count in another unit (said in the label) */
  scale?: number;
  small?: boolean;
}

/** An optional number of the document, held as soon as it is typed and let go of when it is emptied. */
export function PathField({ path, label, unit, placeholder, scale = 1, small = true }: PathFieldProps) {
  const { name, unit: own = '' } = fieldOf(path)!;
  const value = useDocument((state) => valueAt(state.document, path) as number | undefined);
  return (
    <QuantityField
      label={label ?? name}
      unit={unit ?? own}
      small={small}
      // what was scaled on its way in comes back as it was typed
      value={value === undefined ? undefined : Number((value / scale).toPrecision(12))}
      optional
      placeholder={placeholder}
      check={neededAt(path, scale)}
      onChange={(next) =>
        edit((document) =>
          next === undefined ? withoutValue(document, path) : withValue(document, path, next * scale),
        )
      }
    />
  );
}
