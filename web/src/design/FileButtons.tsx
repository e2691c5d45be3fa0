import { useState } from 'react';
import Alert from 'react-bootstrap/Alert';
import { writeDesignText, type Fault } from '@yundro/core';
import Button from 'react-bootstrap/Button';
import { fileName, handOver } from '../app/files.ts';
import { DesignFilePicker } from './DesignFilePicker.tsx';
import { edit, useDocument } from '../stores/designStore.ts';
import css from './workspace.module.css';

/** Hands the open design over as its file. */
function exportOpen(): void {
  const { document: design } = useDocument.getState();
  if (!design) return;
  const text = new Blob([writeDesignText(design)], { type: 'application/json' });
  handOver(fileName(design.name, 'yundro.json', 'design'), text);
}

/** Export of the open design's file, and import of one into it (undo brings the old one back). */
export function FileButtons() {
  const [faults, setFaults] = useState<{ file: string; list: Fault[] }>();
  return (
    <span className={css['files']}>
      <Button size="sm" variant="link" onClick={exportOpen}>
        Export
      </Button>
      <DesignFilePicker
        label="Design file to import"
        words="Import"
        variant="link"
        onDesign={(design) => {
          setFaults(undefined);
          edit(() => design);
        }}
        onFaults={(file, list) => setFaults({ file, list })}
      />
      {faults ? (
        <Alert variant="danger" dismissible onClose={() => setFaults(undefined)} className={css['file-faults']}>
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
