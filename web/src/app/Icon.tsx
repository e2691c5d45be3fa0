import css from './page.module.css';

/** An icon of the set, in the colour and size of the text around it. Its markup is one of the package's own files. */
export function Icon({ svg }: { svg: string }) {
  return <span className={css['icon']} aria-hidden="true" dangerouslySetInnerHTML={{ __html: svg }} />;
}
