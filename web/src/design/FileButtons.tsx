import { useRef, useState } from 'react';
import Alert from 'react-bootstrap/Alert';
import { readDesignText, writeDesignText, type Design, type Fault } from '@yundro/core';
import { edit, useDesign } from '../stores/designStore.ts';

/** Saves text as a file of the browser. */
export function download(name: string, text: string): void {
  const link = document.createElement('a');
  link.href = URL.createObjectURL(new Blob([text], { type: 'application/json' }));
  link.download = name;
  link.click();
  setTimeout(() => URL.revokeObjectURL(link.href), 1000);
}

export function fileNameOf(design: Design): string {
  const plain = design.name
    .toLowerCase()
    .replace(/[^\p{L}\p{N}]+/gu, '-')
    .replace(/^-|-$/gu, '');
  return `${plain === '' ? 'design' : plain}.yundro.json`;
}

/** Hands the open design over as its file. */
function exportOpen(): void {
  const { document: design } = useDesign.getState();
  if (design) download(fileNameOf(design), writeDesignText(design));
}

/** Export of the open design's file, and import of one into it (undo brings the old one back). */
export function FileButtons() {
  const input = useRef<HTMLInputElement>(null);
  const [faults, setFaults] = useState<{ file: string; list: Fault[] }>();
  const take = async (file: File | undefined): Promise<void> => {
    if (!file) return;
    const read = readDesignText(await file.text());
    if (read.ok) {
      setFaults(undefined);
      edit(() => read.design);
    } else setFaults({ file: file.name, list: read.faults });
  };
  return (
    <span className="files">
      <button type="button" className="btn btn-sm" onClick={() => exportOpen()}>
        Export
      </button>
      <button type="button" className="btn btn-sm" onClick={() => input.current?.click()}>
        Import
      </button>
      <input
        ref={input}
        type="file"
        accept=".json,application/json"
        hidden
        aria-label="Design file to import"
        onChange={(event) => {
          void take(event.target.files?.[0]);
          event.target.value = '';
        }}
      />
      {faults ? (
        <Alert variant="danger" dismissible onClose={() => setFaults(undefined)} className="file-faults">
          <strong>{faults.file} was not taken in; the design is as it was.</strong>
          <FaultList faults={faults.list} />
        </Alert>
      ) : null}
    </span>
  );
}

export function FaultList({ faults }: { faults: readonly Fault[] }) {
  return (
    <ul>
      {faults.map((fault) => (
        <li key={fault.path + fault.message}>
          {fault.path === '' ? null : <code>{fault.path}</code>} {fault.message}, expected {fault.expected}
        </li>
      ))}
    </ul>
  );
}
