import type { ReactNode } from 'react';
import Alert from 'react-bootstrap/Alert';
import page from './page.module.css';

/** What a design's maker has to know, above what it is about. */
export function Notices({ children, role }: { children: ReactNode; role?: 'alert' }) {
  return (
    <Alert variant="warning" className={page['notice']} {...(role ? { role } : {})}>
      {children}
    </Alert>
  );
}
