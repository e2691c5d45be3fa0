declare module 'svgcanvas' {
  /** A drawing context that writes what is drawn into it as SVG. */
  export const Context: new (options: { width: number; height: number }) => unknown;
}
