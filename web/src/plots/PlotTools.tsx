import type { Chart } from 'chart.js';
import type { RefObject } from 'react';
import Dropdown from 'react-bootstrap/Dropdown';
import dots from 'bootstrap-icons/icons/three-dots.svg?raw';
import { fileName, handOver } from '../app/files.ts';
import { Icon } from '../app/Icon.tsx';
import { say } from '../app/undoToast.tsx';
import { csvOf, type Across, type Lane, type Range } from './model.ts';
import { drawingOf, pictureOf } from './save.ts';
import css from './plot.module.css';

interface PlotToolsProps {
  chart: RefObject<Chart | undefined>;
  title: string;
  across: Across;
  lanes: readonly Lane[];
  shown: Range;
  onWhole: (() => void) | undefined;
}

/** What can be done with what a plot shows: the whole again, copied, or saved as it is seen. */
export function PlotTools({ chart, title, across, lanes, shown, onWhole }: PlotToolsProps) {
  const done = (work: Promise<unknown>, words: string): void => {
    work.then(
      () => say(words),
      () => say('That was not possible in this browser.'),
    );
  };
  const withChart = (work: (chart: Chart) => Promise<unknown>, words: string): void => {
    if (chart.current) done(work(chart.current), words);
  };
  const contentOf = async (form: 'png' | 'svg' | 'csv', drawn: Chart): Promise<Blob> => {
    if (form === 'png') return pictureOf(drawn);
    if (form === 'svg') return drawingOf(drawn);
    return new Blob([csvOf(across, lanes, shown)], { type: 'text/csv' });
  };
  return (
    <Dropdown align="end" className={css['tools']}>
      <Dropdown.Toggle
        size="sm"
        variant="link"
        bsPrefix="tools"
        className="btn btn-link btn-sm"
        aria-label={`Copy or save ${title}`}
      >
        <Icon svg={dots} />
      </Dropdown.Toggle>
      <Dropdown.Menu>
        <Dropdown.Item disabled={!onWhole} onClick={onWhole}>
          Show the whole
        </Dropdown.Item>
        <Dropdown.Divider />
        <Dropdown.Item
          onClick={() =>
            withChart(
              async (drawn) => navigator.clipboard.write([new ClipboardItem({ 'image/png': await pictureOf(drawn) })]),
              'The picture was copied.',
            )
          }
        >
          Copy picture
        </Dropdown.Item>
        <Dropdown.Item
          onClick={() => done(navigator.clipboard.writeText(csvOf(across, lanes, shown)), 'The values were copied.')}
        >
          Copy values
        </Dropdown.Item>
        <Dropdown.Divider />
        {(['png', 'svg', 'csv'] as const).map((form) => (
          <Dropdown.Item
            key={form}
            onClick={() =>
              withChart(
                async (drawn) => handOver(fileName(title, form, 'plot'), await contentOf(form, drawn)),
                `Saved as ${form.toUpperCase()}.`,
              )
            }
          >
            Save as {form.toUpperCase()}
          </Dropdown.Item>
        ))}
      </Dropdown.Menu>
    </Dropdown>
  );
}
