import { useRef } from 'react';
import { readDesignText, type Design, type Fault } from '@yundro/core';

export interface DesignFilePickerProps {
  label: string;
  words: string;
  className: string;
  onDesign: (design: Design) => void;
  onFaults: (file: string, faults: Fault[]) => void;
}

/** A button that reads one design file: hands over the design, or every fault of the file. */
export function DesignFilePicker({ label, words, className, onDesign, onFaults }: DesignFilePickerProps) {
  const input = useRef<HTMLInputElement>(null);
  const take = async (file: File | undefined): Promise<void> => {
    if (!file) return;
    const read = readDesignText(await file.text());
    if (read.ok) onDesign(read.design);
    else onFaults(file.name, read.faults);
  };
  return (
    <>
      <button type="button" className={className} onClick={() => input.current?.click()}>
        {words}
      </button>
      <input
        ref={input}
        type="file"
        accept=".json,application/json"
        hidden
        aria-label={label}
        onChange={(event) => {
          void take(event.target.files?.[0]);
          event.target.value = '';
        }}
      />
    </>
  );
}
