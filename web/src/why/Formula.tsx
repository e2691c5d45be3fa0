import katex from 'katex';
import 'katex/dist/katex.min.css';

/** A formula in a line of text. */
export function Formula({ tex }: { tex: string }) {
  const html = katex.renderToString(tex, { throwOnError: false, output: 'htmlAndMathml' });
  return <span dangerouslySetInnerHTML={{ __html: html }} />;
}
