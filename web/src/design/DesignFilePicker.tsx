import { useRef } from 'react';
import { readDesignText, type Design, type Fault } from '@yundro/core';
import Button from 'react-bootstrap/Button';

export interface DesignFilePickerProps {
  label: string;
  words: string;
  variant: 'link' | 'outline-secondary';
  onDesign: (design: Design) => void;
  onFaults: (file: string, faults: Fault[]) => void;
}

/** A button that reads one design file: hands over the design, or every fault of the file. */
export function DesignFilePicker({ label, words, variant, onDesign, onFaults }: DesignFilePickerProps) {
  const input = useRef<HTMLInputElement>(null);
  const take = async (file: File | undefined): Promise<void> => {
    if (!file) return;
    const read = readDesignText(await file.text());
    if (read.ok) onDesign(read.design);
    else onFaults(file.name, read.faults);
  };
  return (
    <>
      <Button size="sm" variant={variant} onClick={() => input.current?.click()}>
        {words}
      </Button>
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
