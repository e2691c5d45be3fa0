import { Component, type ReactNode } from 'react';
import Alert from 'react-bootstrap/Alert';
import Button from 'react-bootstrap/Button';

interface Props {
  /** what is shown here, for the words */
  of: string;
  children: ReactNode;
}

/** Keeps a fault of one part from taking the page with it, and what is kept from being in doubt. */
export class ErrorBoundary extends Component<Props, { failed: boolean }> {
  override state = { failed: false };

  static getDerivedStateFromError(): { failed: boolean } {
    return { failed: true };
  }

  override render(): ReactNode {
    if (!this.state.failed) return this.props.children;
    return (
      <Alert variant="warning">
        {this.props.of} could not be shown. Your design is kept as it was.{' '}
        <Button size="sm" variant="outline-dark" onClick={() => this.setState({ failed: false })}>
          Try again
        </Button>
      </Alert>
    );
  }
}
