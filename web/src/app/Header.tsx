import type { ReactNode } from 'react';
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
      <button type="button" className="btn btn-sm theme" onClick={toggleTheme}>
        {theme === 'light' ? 'Dark' : 'Light'}
      </button>
    </header>
  );
}
