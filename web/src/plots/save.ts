import type { Chart } from 'chart.js';
import { readInks } from './draw.ts';

/** The plot as it is seen, on the theme's paper. */
export function pictureOf(chart: Chart): Promise<Blob> {
  const { canvas } = chart;
  const copy = document.createElement('canvas');
  copy.width = canvas.width;
  copy.height = canvas.height;
  const ctx = copy.getContext('2d')!;
  ctx.fillStyle = readInks().paper;
  ctx.fillRect(0, 0, copy.width, copy.height);
  ctx.drawImage(canvas, 0, 0);
  return new Promise((resolve, reject) => {
    copy.toBlob((blob) => (blob ? resolve(blob) : reject(new Error('the picture could not be made'))), 'image/png');
  });
}

/** The same as lines and text: the chart draws itself once into a context that writes them down. */
export async function drawingOf(chart: Chart): Promise<Blob> {
  const { Context } = await import('svgcanvas');
  const { width, height } = chart;
  const written = new Context({ width, height }) as CanvasRenderingContext2D & { getSerializedSvg(): string };
  const holders: { ctx: CanvasRenderingContext2D }[] = [chart, ...Object.values(chart.scales)];
  const own = chart.ctx;
  for (const holder of holders) holder.ctx = written;
  try {
    chart.draw();
  } finally {
    for (const holder of holders) holder.ctx = own;
    chart.draw();
  }
  const { paper } = readInks();
  const text = written
    .getSerializedSvg()
    .replace(/<svg([^>]*)>/u, `<svg$1><rect width="100%" height="100%" fill="${paper}"/>`);
  return new Blob([text], { type: 'image/svg+xml' });
}
