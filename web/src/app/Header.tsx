import type { ReactNode } from 'react';
import Button from 'react-bootstrap/Button';
import { Link } from 'react-router';
import { toggleTheme, useView } from '../stores/viewStore.ts';
import css from './page.module.css';

export function Header({ children }: { children?: ReactNode }) {
  const theme = useView((state) => state.theme);
  return (
    <header className={css['top']}>
      <Link to="/" className={css['brand']}>
        Yundro
      </Link>
      <div className={css['in-top']}>{children}</div>
      <Link to="/shelf" className="btn btn-sm btn-link">
        Shelf
      </Link>
      <Button size="sm" variant="link" onClick={toggleTheme}>
        {theme === 'light' ? 'Dark' : 'Light'}
      </Button>
    </header>
  );
}
