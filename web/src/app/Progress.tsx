import ProgressBar from 'react-bootstrap/ProgressBar';

/** How far something is, named where assistive technology looks: only a bar within another takes its own name. */
export function Progress({ name, part, words }: { name: string; part: number; words: string }) {
  return (
    <ProgressBar>
      <ProgressBar isChild now={part * 100} label={words} aria-label={name} />
    </ProgressBar>
  );
}
