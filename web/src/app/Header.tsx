import type { ReactNode } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';
import { toggleTheme, useView } from '../stores/viewStore.ts';

export function Header({ children }: { children?: ReactNode }) {
  const theme = useView((state) => state.theme);
  return (
    <header className="top">
      <Link to="/" className="brand">
        Yundro
      </Link>
      {children}
      <Button size="sm" variant="link" className="theme" onClick={toggleTheme}>
        {theme === 'light' ? 'Dark' : 'Light'}
      </Button>
    </header>
  );
}
