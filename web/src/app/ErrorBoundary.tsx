import { Component, type ErrorInfo, type ReactNode } from 'react';
import Button from 'react-bootstrap/Button';
import { useDocument } from '../stores/designStore.ts';
import { Notices } from './Notices.tsx';
import { reportOf, saveReport } from './report.ts';

interface Props {
  /** what is shown here, for the words */
  of: string;
  children: ReactNode;
}

/** Keeps a fault of one part from taking the page with it, and what is kept from being in doubt. */
export class ErrorBoundary extends Component<Props, { error: unknown; components: string }> {
  override state = { error: undefined as unknown, components: '' };

  static getDerivedStateFromError(error: unknown): { error: unknown } {
    return { error: error ?? 'nothing was said' };
  }

  override componentDidCatch(_error: unknown, { componentStack }: ErrorInfo): void {
    this.setState({ components: componentStack ?? '' });
  }

  override render(): ReactNode {
    const { error, components } = this.state;
    const { of } = this.props;
    if (error === undefined) return this.props.children;
    return (
      <Notices>
        {of} could not be shown. Your design is kept as it was.{' '}
        <Button size="sm" variant="outline-dark" onClick={() => this.setState({ error: undefined })}>
          Try again
        </Button>{' '}
        <Button
          size="sm"
          variant="link"
          title="A file with this fault, the version and the open design, for you to read and send"
          onClick={() => saveReport(reportOf(of, error, components, useDocument.getState().document))}
        >
          Save a report
        </Button>
      </Notices>
    );
  }
}
