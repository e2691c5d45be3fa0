import { useState, type ReactNode } from 'react';
import Button from 'react-bootstrap/Button';
import { VERDICTS } from '@yundro/core';
import { ErrorBoundary } from '../app/ErrorBoundary.tsx';
import { Fold } from '../app/Fold.tsx';
import { Header } from '../app/Header.tsx';
import { Notices } from '../app/Notices.tsx';
import { Progress } from '../app/Progress.tsx';
import { Working } from '../app/Working.tsx';
import { QuantityField } from '../fields/QuantityField.tsx';
import { RangeFields } from '../fields/RangeFields.tsx';
import { Mark } from '../margins/Mark.tsx';
import type { Running } from '../workers/useAnswer.ts';
import page from '../app/page.module.css';

/*
 * The pieces of the page in each of their states, side by side, for who works on them: `npm run dev`, then /states. It is
 * no part of what is built.
 */

const run = (state: Running<unknown>['state']): Running<unknown> => ({
  answer: undefined,
  part: 0.4,
  state,
  stop: () => undefined,
  again: () => undefined,
});

function Broken(): ReactNode {
  throw new Error('broken on purpose');
}

function Shown({ name, children }: { name: string; children: ReactNode }) {
  return (
    <section>
      <h2>{name}</h2>
      {children}
    </section>
  );
}

export default function StatesPage() {
  const [value, setValue] = useState<number | undefined>(4.7e-6);
  const [range, setRange] = useState({ min: 9, max: 16 });
  return (
    <div className={page['plain']}>
      <Header />
      <main>
        <h1>States</h1>
        <Shown name="Verdicts">
          {VERDICTS.map((verdict) => (
            <p key={verdict} className={page['verdict']} data-verdict={verdict}>
              <Mark verdict={verdict} /> {verdict}
            </p>
          ))}
          <p>
            <Mark verdict="open" of="found" /> being found, <Mark verdict="open" of="estimate" /> an estimate
          </p>
        </Shown>
        <Shown name="A value: good, wrong, empty, with a fault of the whole">
          <QuantityField label="Inductance" unit="H" value={value} onChange={setValue} />
          <QuantityField label="Wrong" unit="H" value={value} begun="4.7 uF" onChange={setValue} />
          <QuantityField label="Empty" unit="H" value={undefined} optional placeholder="none" onChange={setValue} />
          <QuantityField label="Fault" unit="H" value={value} fault="Above what it may be." onChange={setValue} />
        </Shown>
        <Shown name="A range">
          <RangeFields
            value={range}
            unit="V"
            order={[
              { key: 'min', label: 'Minimum' },
              { key: 'max', label: 'Maximum' },
            ]}
            onChange={setRange}
          />
        </Shown>
        <Shown name="Notices">
          <Notices>What a design’s maker has to know.</Notices>
          <Notices role="alert">What went wrong just now.</Notices>
        </Shown>
        <Shown name="Long work: under way, stopped, failed">
          <Progress name="Working" part={0.4} words="40 %" />
          <Working run={run('working')} of="A run" />
          <Working run={run('stopped')} of="A run" />
          <Working run={run('failed')} of="A run" />
        </Shown>
        <Shown name="Folded">
          <Fold name="What is rarer">Unfolds where it belongs.</Fold>
        </Shown>
        <Shown name="Buttons">
          <Button size="sm" variant="dark">
            The act
          </Button>{' '}
          <Button size="sm" variant="outline-secondary">
            Another
          </Button>{' '}
          <Button size="sm" variant="link">
            A way
          </Button>{' '}
          <Button size="sm" variant="dark" disabled>
            Not now
          </Button>
        </Shown>
        <Shown name="A part that failed">
          <ErrorBoundary of="This part">
            <Broken />
          </ErrorBoundary>
        </Shown>
      </main>
    </div>
  );
}
